"""Steering: the heading follows actions, a direction or a target."""

import math

from tinrocket.core.jit import inlined, outlined

TURN = 2.0 * math.pi


@inlined
def turn(heading: float, left: float, right: float, angle: float) -> float:
    """Heading [rad] after a step that turns by `angle` [rad] per unit of input."""
    return heading + (right - left) * angle


@outlined
def aim(heading: float, dx: float, dy: float, most: float) -> float:
    """Heading [rad] turned the short way toward (dx, dy), by at most `most` [rad].

    It is not reduced to one turn, so that it can be followed over time; without a
    direction it stays.
    """
    if dx == 0.0 and dy == 0.0:
        return heading
    apart = math.atan2(dy, dx) - heading
    apart -= TURN * math.floor((apart + math.pi) / TURN)
    return heading + min(max(apart, -most), most)
