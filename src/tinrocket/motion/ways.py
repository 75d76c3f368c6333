"""Vectors from a craft to a target: distance, direction, and the shorter way across seams."""

from typing import Final

from tinrocket.language.intrinsics import INFINITE, floor, sqrt
from tinrocket.language.maths import atan2, degrees
from tinrocket.language.subset import kernel
from tinrocket.motion.body import Body
from tinrocket.motion.sides import LEAP, WRAP, X_LOW, Y_LOW

PI: Final = 3.141592653589793
TURN: Final = 6.283185307179586


@kernel
def shorter(way: float, kind: int, low: float, high: float) -> float:
    """Return a distance along an axis, or that across a wrapping edge if it is shorter."""
    if kind == WRAP or kind == LEAP:
        period = high - low
        way -= period * floor(way / period + 0.5)
    return way


@kernel
def way_to(body: Body, x: float, y: float, target_x: float, target_y: float) -> tuple[float, float]:
    """Return the shorter way from where a craft is at (x, y) to a target."""
    across = shorter(target_x - x, body.walls[X_LOW].kind, body.low_x, body.high_x)
    return across, shorter(target_y - y, body.walls[Y_LOW].kind, body.low_y, body.high_y)


@kernel
def distance_to(
    body: Body, x: float, y: float, target_x: float, target_y: float, there: bool
) -> float:
    """Return the distance of a craft from a target; infinite if the target is absent."""
    if not there:
        return INFINITE
    across, along = way_to(body, x, y, target_x, target_y)
    return sqrt(across * across + along * along)


@kernel
def bearing_to(
    body: Body,
    x: float,
    y: float,
    heading: float,
    target_x: float,
    target_y: float,
    there: bool,
    sign: float,
) -> float:
    """Return the angle from a craft's heading to a target, -180 to 180 degrees; 0 if it is gone.

    `sign` is 1 where the arena counts angles as kernels do, else -1.
    """
    if not there:
        return 0.0
    across, along = way_to(body, x, y, target_x, target_y)
    apart = atan2(along, across) - heading
    apart -= TURN * floor((apart + PI) / TURN)
    return sign * degrees(apart)
