"""Following and chasing: the way to a target, by share, by top speed, or straight at it."""

import math

from tinrocket.core.jit import outlined


@outlined
def follow(dx: float, dy: float, share: float, most: float) -> tuple[float, float]:
    """Way [px] that a follower takes toward a target (dx, dy) away.

    A share of the distance, and never more than `most`.  With the share 1 - exp(-r dt)
    what remains after a time t is exp(-r t) of the distance, at every frame rate.
    """
    dx *= share
    dy *= share
    square = dx * dx + dy * dy
    if square > most * most:
        shorter = most / math.sqrt(square)
        dx *= shorter
        dy *= shorter
    return dx, dy


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
