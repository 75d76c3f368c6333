"""Thrust: acceleration along the heading while an action is held."""

from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Bound, Context, Step, binds
from tinrocket.motion.body import Body, face
from tinrocket.motion.rules.closed_form import Gathered
from tinrocket.scenario import rules


@kernel
def push(forward: float, backward: float, gain: float, reverse: float) -> float:
    """Return what the inputs come to; the gains are those of full input."""
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
def gather_thrust(
    gathered: Gathered, forward: float, backward: float, gain: float, reverse: float
) -> None:
    """Add to the push that the closed form spends."""
    gathered.push += push(forward, backward, gain, reverse)


@binds(rules.Thrust)
def bind(rule: rules.Thrust, context: Context) -> Bound:
    """Both accelerations, times the step."""
    backward = 0.0 if rule.reverse is None else context.action(rule.reverse_action, rule)
    given = {
        "forward": context.action(rule.action, rule),
        "backward": backward,
        "gain": context.times(rule.accel),
        "reverse": 0.0 if rule.reverse is None else context.times(rule.reverse),
    }
    return Bound((Step(gather_thrust if context.closed else thrust, given),))
