"""Turn: the heading changes at a rate, or by a fixed angle at each press."""

import numpy as np

from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Bound, Context, Step, binds
from tinrocket.motion.body import Body
from tinrocket.motion.rules.closed_form import Gathered
from tinrocket.scenario import rules


@kernel
def turn(body: Body, left: float, right: float, angle: float) -> None:
    """Turn by `angle` [rad] for each unit of input."""
    body.heading += (right - left) * angle


@kernel
def gather_turn(gathered: Gathered, left: float, right: float, angle: float) -> None:
    """Add to the rate of turn of the closed form."""
    gathered.omega += (right - left) * angle


@kernel
def face_way(body: Body, heading: float) -> None:
    """H = heading."""
    body.heading = heading


@binds(rules.Face)
def bind_face(rule: rules.Face, context: Context) -> Bound:
    """Bind a heading in kernel units."""
    heading = context.heading.zero + context.heading.sign * np.radians(rule.heading)
    return Bound((Step(face_way, {"heading": context.plain(heading)}),))


@binds(rules.Turn)
def bind_turn(rule: rules.Turn, context: Context) -> Bound:
    """Bind a rate, times the step."""
    angle = context.times(context.heading.clockwise * np.radians(rule.rate))
    left, right = context.turning(rule)
    inputs = {"left": left, "right": right}
    return Bound((Step(gather_turn if context.closed else turn, inputs | {"angle": angle}),))


@binds(rules.TurnBy)
def bind_turn_by(rule: rules.TurnBy, context: Context) -> Bound:
    """Bind an angle, at each press or in each frame held."""
    angle = context.each(context.heading.clockwise * np.radians(rule.angle), rule.when)
    left, right = context.turning(rule)
    inputs = {"left": left, "right": right}
    return Bound((Step(turn, inputs | {"angle": angle}),))
