"""Hop: a short leap above the ground, with a timed return to where it began."""

from typing import Final

from tinrocket.language.intrinsics import INFINITE
from tinrocket.language.records import Record
from tinrocket.language.subset import kernel
from tinrocket.motion.amounts import Amount
from tinrocket.motion.binding import Argument, Bound, Context, Number, Step, binds
from tinrocket.motion.body import Body
from tinrocket.motion.events import note_rule
from tinrocket.motion.timers import after, is_over, moment_of
from tinrocket.motion.world import TIME_EPSILON, World
from tinrocket.scenario import rules

GROUND: Final = 1e-9
"""Share of the peak that is rounding."""


class Hopping(Record):
    """Memory of a hop."""

    until: float  # when it is over
    ready: float  # when the next may begin
    speed: float  # upward


class HopNumbers(Record):
    """Numbers and choices of a hop."""

    peak: float
    ground: float  # a craft not above it is on the ground
    rise: float
    loss: float
    step: float
    duration: float
    counted: bool
    cooldown: float
    cooldown_counted: bool
    exact: bool
    over_walls: bool
    timed: bool
    eased: bool
    rising: float


@kernel
def timed_height(passed: float, rising: float, duration: float, peak: float, eased: bool) -> float:
    """Return the height after some time: a rise to the peak, and a return to the ground.

    Even, or the halves of parabolas: 1 - (1 - f)^2 up, and 1 - f^2 down.
    """
    up, down = min(passed / rising, 1.0), max((passed - rising) / (duration - rising), 0.0)
    if eased:
        up, down = 1.0 - (1.0 - up) * (1.0 - up), down * down
    return peak * (up - down)


@kernel
def hop(
    world: World,
    body: Body,
    memory: Hopping,
    rule: int,
    action: float,
    own: HopNumbers,
) -> None:
    """Leap to a given peak P and back within a given duration T.

    The parabola is z = 4 P f (1 - f) with f = t / T.  Stepwise it is v0 = 4 P / T, then
    v -= 8 P / T^2 step and z += v step; it ends when the ground is met or the time is over,
    whichever is first, and so returns exactly.
    """
    moment = moment_of(world, own.counted)
    patient = moment_of(world, own.cooldown_counted)
    airborne = not is_over(memory.until, moment)
    if action != 0.0 and is_over(memory.ready, patient) and not airborne:
        memory.until = after(moment, own.duration)
        memory.ready = after(patient, own.cooldown)
        memory.speed = own.rise
        airborne = True
        note_rule(world, body, rule, 1.0, 0.0)
    if airborne:
        left = memory.until + TIME_EPSILON - moment - (1.0 if own.counted else world.dt)
        if own.timed:
            passed = own.duration - left
            body.height = timed_height(passed, own.rising, own.duration, own.peak, own.eased)
        elif own.exact:
            part = 1.0 - left / own.duration
            body.height = 4.0 * own.peak * part * (1.0 - part)
        else:
            memory.speed -= own.loss
            body.height += memory.speed * own.step
        body.airborne = 1.0 if own.over_walls else 0.0
        if left <= TIME_EPSILON or body.height <= own.ground:
            memory.until = 0.0
            airborne = False
    if not airborne:
        body.height = 0.0
        body.airborne = 0.0


@binds(rules.Hop)
def bind(rule: rules.Hop, context: Context) -> Bound:
    """Bind the parabola's speeds, times the step."""
    height: Amount = 0.0 if rule.height is None else rule.height
    rising, timed, counted = Number(1.0), False, False
    if rule.speed is not None and rule.gravity is not None:
        height = rule.speed**2 / (2.0 * rule.gravity)
        airborne = 2.0 * rule.speed / rule.gravity
        duration = Number(airborne if context.exact else INFINITE)  # it ends on the ground
    elif rule.rise is not None:
        (rising, counted), (back, _counted) = context.span(rule.rise), context.span(rule.back)
        duration, timed = Number(rising.value + back.value), True
    else:
        duration, counted = context.span(rule.duration)
    cooldown, cooldown_counted = context.span(rule.cooldown)
    length = duration.value / context.frames if counted else duration.value
    rise, loss = 4.0 * height / length, 8.0 * height / length**2
    if rule.speed is not None and rule.gravity is not None:
        rise, loss = rule.speed, rule.gravity
    arguments: dict[str, Argument] = {
        "action": context.action(rule.action, rule),
        "peak": context.plain(height),
        # a game that counts frames ends by its own rounding
        "ground": context.plain(GROUND * height if context.timing == "dt" else 0.0),
        "rise": context.plain(rise),
        "loss": context.step(loss),
        "step": context.step(),
        "duration": duration,
        "counted": counted,
        "cooldown": cooldown,
        "cooldown_counted": cooldown_counted,
        "exact": context.exact,
        "over_walls": not rule.contacts,
        "timed": timed,
        "eased": rule.easing == "eased",
        "rising": rising,
    }
    return Bound((Step(hop, arguments),), memory=Hopping, lasts=("until", counted))
