"""Torque: the rate of turn grows while an action is held."""

import numpy as np

from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Bound, Context, Step, binds
from tinrocket.motion.body import Body
from tinrocket.scenario import rules


@kernel
def torque(body: Body, left: float, right: float, gain: float) -> None:
    """Spin += gain for each unit of input."""
    body.spin += (right - left) * gain


@binds(rules.Torque)
def bind(rule: rules.Torque, context: Context) -> Bound:
    """Bind an angular acceleration, times the step."""
    gain = context.times(context.heading.clockwise * np.radians(rule.accel))
    left, right = context.turning(rule)
    arguments = {"left": left, "right": right}
    return Bound((Step(torque, arguments | {"gain": gain}),))
