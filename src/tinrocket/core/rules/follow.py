"""Following and chasing: the way to a target, by share, by top speed, or straight at it."""

import math

from tinrocket.core.jit import outlined


@outlined
def follow(
    x: float,
    y: float,
    vx: float,
    vy: float,
    dx: float,
    dy: float,
    share: float,
    most: float,
    on_x: float,
    on_y: float,
    per: float,
) -> tuple[float, float, float, float]:
    """Place and velocity of a follower after a step toward a target (dx, dy) away.

    It goes a share of the distance, and never more than `most` [px].  With the share
    1 - exp(-r dt) what remains after a time t is exp(-r t) of the distance, at every frame
    rate.  It follows along x with `on_x` 1 and along y with `on_y` 1, and else keeps its
    velocity; `per` is 1 over the length of the step.
    """
    way_x, way_y = dx * on_x * share, dy * on_y * share
    if on_x * on_y == 0.0:  # along one axis there is no root to take
        way_x, way_y = min(max(way_x, -most), most), min(max(way_y, -most), most)
    else:
        square = way_x * way_x + way_y * way_y
        if square > most * most:
            shorter = most / math.sqrt(square)
            way_x *= shorter
            way_y *= shorter
    vx = way_x * per if on_x != 0.0 else vx
    vy = way_y * per if on_y != 0.0 else vy
    return x + way_x, y + way_y, vx, vy


@outlined
def toward(dx: float, dy: float, length: float) -> tuple[float, float]:
    """Vector of a length in the direction (dx, dy); nothing where there is none."""
    square = dx * dx + dy * dy
    if square == 0.0:
        return 0.0, 0.0
    stretched = length / math.sqrt(square)
    return dx * stretched, dy * stretched


@outlined
def chase(
    dx: float, dy: float, speed: float, way: float, per: float, stops: float
) -> tuple[float, float]:
    """Velocity [px/s] straight at a target (dx, dy) away.

    `way` is what one step covers and `per` is 1 over its length.  A chase that `stops`
    arrives on the spot; another overshoots by up to one step and turns back.
    """
    if stops != 0.0 and dx * dx + dy * dy < way * way:
        return dx * per, dy * per
    return toward(dx, dy, speed)
