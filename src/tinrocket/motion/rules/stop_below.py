"""StopBelow: a craft slower than a threshold stands still."""

from tinrocket.kernel.subset import kernel
from tinrocket.motion.binding import Bound, Context, Step, binds
from tinrocket.motion.body import Body
from tinrocket.scenario import rules


@kernel
def snap(body: Body, below: float) -> None:
    """V = 0 if |v| < below."""
    if body.vx * body.vx + body.vy * body.vy < below * below:
        body.vx = 0.0
        body.vy = 0.0


@binds(rules.StopBelow)
def bind(rule: rules.StopBelow, context: Context) -> Bound:
    """Its threshold."""
    return Bound((Step(snap, {"below": context.plain(rule.below)}),))
