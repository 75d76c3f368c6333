"""Snap: a craft slower than a threshold stands still."""

from tinrocket.core.jit import inlined


@inlined
def snap(vx: float, vy: float, below: float) -> tuple[float, float]:
    """Zero velocity if its magnitude is under `below` [px/s]."""
    if vx * vx + vy * vy < below * below:
        return 0.0, 0.0
    return vx, vy
