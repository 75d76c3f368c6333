"""StopBelow: stops a craft slower than a threshold."""

from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Bound, Context, Step, binds
from tinrocket.motion.body import Body
from tinrocket.scenario import rules


@kernel
def stop_below(body: Body, below: float) -> None:
    """V = 0 if |v| < below."""
    if body.vx * body.vx + body.vy * body.vy < below * below:
        body.vx = 0.0
        body.vy = 0.0


@kernel
def stop_x(body: Body, below: float) -> None:
    """V_x = 0 if |v_x| < below."""
    if abs(body.vx) < below:
        body.vx = 0.0


@kernel
def stop_y(body: Body, below: float) -> None:
    """V_y = 0 if |v_y| < below."""
    if abs(body.vy) < below:
        body.vy = 0.0


KERNELS = {"both": (stop_below,), "x": (stop_x,), "y": (stop_y,), "each": (stop_x, stop_y)}


@binds(rules.StopBelow)
def bind(rule: rules.StopBelow, context: Context) -> Bound:
    """Bind the threshold."""
    below = {"below": context.plain(rule.below)}
    return Bound(tuple(Step(made, below) for made in KERNELS[rule.axis]))
