"""Craft that a moving edge of the arena pushes."""

from typing import Final

from tinrocket.language.subset import kernel
from tinrocket.motion.body import Body
from tinrocket.motion.contacts.tables import StepPath
from tinrocket.motion.sides import LEAP, OPEN, REMOVE, WRAP, X_HIGH, X_LOW, Y_HIGH, Y_LOW, bound_of
from tinrocket.motion.world import Arrival

ALONG_X: Final = 1 << X_LOW | 1 << X_HIGH
ALONG_Y: Final = 1 << Y_LOW | 1 << Y_HIGH


@kernel
def pushes(body: Body, side: int) -> bool:
    """Return whether a craft began the step beyond an edge that nothing passes."""
    kind = body.walls[side].kind
    if kind == OPEN or kind == WRAP or kind == LEAP or kind == REMOVE or body.airborne != 0.0:
        return False
    before = body.before_x if side <= X_HIGH else body.before_y
    low = side == X_LOW or side == Y_LOW
    return before < bound_of(body, side) if low else before > bound_of(body, side)


@kernel
def pushing(body: Body) -> int:
    """Return the edges that push a craft, as bits."""
    pushed = 0
    for side in range(4):
        if pushes(body, side):
            pushed |= 1 << side
    return pushed


@kernel
def push_along(body: Body, arrival: Arrival, path: StepPath) -> None:
    """Put a craft where the edges that push it have put it, and mark these in its path.

    Parameters
    ----------
    body
        The craft before edges acted.
    arrival
        The craft after edges acted.
    """
    path.pushed = pushing(body)
    if path.pushed & ALONG_X != 0:
        body.x, body.vx, body.touch_x = arrival.x, arrival.vx, arrival.touch_x
    if path.pushed & ALONG_Y != 0:
        body.y, body.vy, body.touch_y = arrival.y, arrival.vy, arrival.touch_y


@kernel
def straighten(body: Body, path: StepPath) -> None:
    """Make the path of a pushed craft straight along the push."""
    if path.pushed & ALONG_X != 0:
        path.way_x += path.curve_x
        path.curve_x = 0.0
        body.vx = path.end_vx
    if path.pushed & ALONG_Y != 0:
        path.way_y += path.curve_y
        path.curve_y = 0.0
        body.vy = path.end_vy
