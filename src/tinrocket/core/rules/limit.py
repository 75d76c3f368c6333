"""Limit: a top speed, for the whole velocity or for each axis."""

import math

from tinrocket.core.jit import inlined


@inlined
def limit_speed(vx: float, vy: float, top: float) -> tuple[float, float]:
    """Velocity shortened to `top` [px/s] along its own direction."""
    square = vx * vx + vy * vy
    if square > top * top:
        # the square of a finite speed may overflow; hypot knows how not to, but is slow
        speed = math.sqrt(square) if square < math.inf else math.hypot(vx, vy)
        share = top / speed
        return vx * share, vy * share
    return vx, vy


@inlined
def limit_axes(vx: float, vy: float, top_x: float, top_y: float) -> tuple[float, float]:
    """Velocity with each component held within its own limit [px/s]."""
    return min(max(vx, -top_x), top_x), min(max(vy, -top_y), top_y)
