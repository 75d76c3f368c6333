"""Thrust: acceleration along the heading while an action is held."""

import numpy as np

from tinrocket.language.maths import sincos
from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Argument, Bound, Context, Number, Step, binds
from tinrocket.motion.body import Body, face
from tinrocket.motion.rules.closed_form import Gathered
from tinrocket.scenario import rules


@kernel
def push(forward: float, backward: float, gain: float, reverse: float) -> float:
    """Return the push of the inputs; the gains are those of full input."""
    return forward * gain - backward * reverse


@kernel
def thrust(body: Body, forward: float, backward: float, gain: float, reverse: float) -> None:
    """V += push (cos h, sin h)."""
    gained = push(forward, backward, gain, reverse)
    if gained != 0.0:
        face(body)
        body.vx += gained * body.face_x
        body.vy += gained * body.face_y


@kernel
def thrust_aside(
    body: Body, forward: float, backward: float, gain: float, reverse: float, angle: float
) -> None:
    """V += push (cos (h + angle), sin (h + angle))."""
    gained = push(forward, backward, gain, reverse)
    if gained != 0.0:
        cos_a, sin_a = sincos(body.heading + angle)
        body.vx += gained * cos_a
        body.vy += gained * sin_a


@kernel
def gather_thrust(
    gathered: Gathered, forward: float, backward: float, gain: float, reverse: float
) -> None:
    """Add to the push of the closed form."""
    gathered.push += push(forward, backward, gain, reverse)


@binds(rules.Thrust)
def bind(rule: rules.Thrust, context: Context) -> Bound:
    """Bind both accelerations, times the step."""
    backward = 0.0 if rule.reverse is None else context.action(rule.reverse_action, rule)
    arguments: dict[str, Argument] = {
        "forward": context.action(rule.action, rule),
        "backward": backward,
        "gain": context.times(rule.accel),
        "reverse": 0.0 if rule.reverse is None else context.times(rule.reverse),
    }
    if np.any(rule.direction != 0.0):
        angle = Number(context.heading.sign * np.radians(rule.direction))
        return Bound((Step(thrust_aside, arguments | {"angle": angle}),))
    return Bound((Step(gather_thrust if context.closed else thrust, arguments),))
