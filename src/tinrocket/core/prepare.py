"""What a rule derives from its numbers and the length of the frame.

The only place that knows timings.  The loop calls it when the frame's length changes,
so that a steady clock pays for an exponential once and not once a frame.
"""

from tinrocket.core.jit import inlined
from tinrocket.core.layout import DRAG, FRAME, MOVE_EULER, MOVE_HALF, THRUST, TURN
from tinrocket.core.rules.drag import drag_kept


@inlined
def prepare(
    opcode: int, timing: int, a: float, b: float, dt: float, tuned_dt: float
) -> tuple[float, float]:
    """Coefficients of a rule with the numbers `a`, `b` for frames of `dt` seconds."""
    step = tuned_dt if timing == FRAME else dt
    if opcode == DRAG:
        return drag_kept(timing, a, step), 0.0
    if opcode in (TURN, THRUST):
        return a * step, b * step
    if opcode in (MOVE_EULER, MOVE_HALF):
        return step, 0.0
    return a, b  # limits and thresholds do not depend on the frame's length
