"""Aim: the heading follows a target or a direction, at a limited rate or at once."""

from dataclasses import replace

from tinrocket.language.intrinsics import INFINITE, floor
from tinrocket.language.maths import atan2
from tinrocket.language.subset import kernel
from tinrocket.motion.amounts import Amount
from tinrocket.motion.binding import Argument, Bound, Context, Step, binds
from tinrocket.motion.body import Body
from tinrocket.motion.sighting import seen
from tinrocket.scenario import rules

PI, TURN = 3.141592653589793, 6.283185307179586


@kernel
def aimed(heading: float, dx: float, dy: float, most: float) -> float:
    """Return a heading [rad] turned the short way toward (dx, dy), by at most `most`.

    It is not reduced to one turn, so that it can be followed over time; without a
    direction it stays.
    """
    if dx == 0.0 and dy == 0.0:
        return heading
    apart = atan2(dy, dx) - heading
    apart -= TURN * floor((apart + PI) / TURN)
    return heading + min(max(apart, -most), most)


@kernel
def aim(body: Body, target_x: float, target_y: float, there: bool, most: float) -> None:
    """Turn toward a target, if it is present."""
    if there:
        body.heading = aimed(body.heading, target_x - body.x, target_y - body.y, most)


@kernel
def aim_along(body: Body, along_x: float, along_y: float, most: float) -> None:
    """Turn toward a direction."""
    body.heading = aimed(body.heading, along_x, along_y, most)


def most_turn(rate: Amount | None, context: Context) -> Argument:
    """Return the most that a step turns [rad]; there is no limit without a rate."""
    return INFINITE if rate is None else context.step(context.radians(rate).value)


@binds(rules.Aim)
def bind(rule: rules.Aim, context: Context) -> Bound:
    """Bind a target or a stick."""
    most = {"most": most_turn(rule.rate, context)}
    if rule.at is None:
        along_x, along_y = context.tilt(rule.stick or "")
        return Bound((Step(aim_along, {"along_x": along_x, "along_y": along_y} | most),))
    target, sighted = seen(rule, rule.at, context)
    return replace(sighted, steps=(Step(aim, target | most),))
