"""Spring: acceleration toward a target by the distance, damped; exact for a target at rest."""

import math
from dataclasses import replace

from tinrocket.language.intrinsics import sqrt
from tinrocket.language.maths import exp, sincos
from tinrocket.language.records import Record
from tinrocket.language.subset import kernel
from tinrocket.motion.amounts import Amount
from tinrocket.motion.binding import Argument, Bound, Context, Step, binds
from tinrocket.motion.body import Body
from tinrocket.motion.sighting import seen
from tinrocket.scenario import rules


class SpringNumbers(Record):
    """Numbers and choices of a spring."""

    pull: float
    loss: float
    length: float
    rope: bool
    moves: bool
    step: float


@kernel
def stretched(across: float, along: float, length: float, rope: bool) -> tuple[float, float]:
    """Return the part of a vector to a target by which a spring is longer than its rest length."""
    if length > 0.0 or rope:
        distance = sqrt(across * across + along * along)
        longer = distance - length
        if distance == 0.0 or (rope and longer <= 0.0):
            return 0.0, 0.0
        return across * (longer / distance), along * (longer / distance)
    return across, along


@kernel
def spring(body: Body, target_x: float, target_y: float, there: bool, own: SpringNumbers) -> None:
    """V += way k step - v c step, then p += v step if it moves the craft by itself."""
    if there:
        across, along = stretched(target_x - body.x, target_y - body.y, own.length, own.rope)
        body.vx += across * own.pull - body.vx * own.loss
        body.vy += along * own.pull - body.vy * own.loss
        if own.moves:
            body.x += body.vx * own.step
            body.y += body.vy * own.step


@kernel
def swung(stiffness: float, damping: float, dt: float) -> tuple[float, float, float, float]:
    """Return the coefficients of a step of a damped oscillator with displacement s and velocity v.

    s = a s0 + b v0 and v = c s0 + d v0, with g = damping / 2 and w^2 = |stiffness - g^2|:
    e^(-g t) times cos and sin of w t below the critical damping, cosh and sinh above it.
    """
    half = 0.5 * damping
    square = stiffness - half * half
    faded = exp(-half * dt)
    even, odd = faded, faded * dt
    if square > 1e-12 * stiffness:
        swing = sqrt(square)
        cos_w, sin_w = sincos(swing * dt)
        even, odd = faded * cos_w, faded * sin_w / swing
    elif square < -1e-12 * stiffness:
        slow = sqrt(-square)
        grown, shrunk = exp((slow - half) * dt), exp((-slow - half) * dt)
        even, odd = 0.5 * (grown + shrunk), 0.5 * (grown - shrunk) / slow
    return even + half * odd, odd, -stiffness * odd, even - half * odd


@kernel
def spring_exact(
    body: Body, target_x: float, target_y: float, there: bool, own: SpringNumbers
) -> None:
    """Move as a damped oscillator about the target; `pull` and `loss` are its rates."""
    if there:
        way_x, way_y = target_x - body.x, target_y - body.y
        across, along = stretched(way_x, way_y, own.length, own.rope)
        s_of_s, s_of_v, v_of_s, v_of_v = swung(own.pull, own.loss, own.step)
        if own.rope and across == 0.0 and along == 0.0:  # slack: the velocity alone decays
            kept = exp(-own.loss * own.step)
            body.vx *= kept
            body.vy *= kept
            if own.moves:
                body.x += body.vx * own.step
                body.y += body.vy * own.step
        else:
            rest_x, rest_y = body.x + across, body.y + along
            off_x, off_y, vx, vy = -across, -along, body.vx, body.vy
            body.vx = v_of_s * off_x + v_of_v * vx
            body.vy = v_of_s * off_y + v_of_v * vy
            if own.moves:
                body.x = rest_x + (s_of_s * off_x + s_of_v * vx)
                body.y = rest_y + (s_of_s * off_y + s_of_v * vy)


@binds(rules.Spring)
def bind(rule: rules.Spring, context: Context) -> Bound:
    """Bind stiffness and damping: as rates in exact timing, else times the step."""
    target, sighted = seen(rule, rule.target, context)
    stiffness: Amount = 0.0 if rule.stiffness is None else rule.stiffness
    damping: Amount = 0.0 if rule.damping is None else rule.damping
    if rule.frequency is not None:
        swing = context.per_second(2.0 * math.pi * rule.frequency)
        stiffness = swing * swing
        damping = 2.0 * swing * (0.0 if rule.damping_ratio is None else rule.damping_ratio)
    exact = context.exact
    arguments: dict[str, Argument] = {
        "pull": context.plain(stiffness) if exact else context.times(stiffness),
        "loss": context.plain(damping) if exact else context.times(damping),
        "length": context.plain(rule.length),
        "rope": rule.pulls_only,
        "moves": rule.moves,
        "step": context.step(),
    }
    made = spring_exact if exact else spring
    return replace(sighted, steps=(Step(made, target | arguments),))
