"""The four edges of the arena, as a craft meets them: kinds and places."""

from typing import Final

from tinrocket.language.subset import kernel
from tinrocket.motion.body import Body

OPEN: Final = 0
WRAP: Final = 1
CLAMP: Final = 2
BOUNCE: Final = 3
HOLD: Final = 4  # a clamp that keeps the velocity
REMOVE: Final = 5
ONTO: Final = 6  # a bounce that puts the craft back onto the wall
LEAP: Final = 7  # a wrap that puts the craft onto the opposite edge

X_LOW: Final = 0
X_HIGH: Final = 1
Y_LOW: Final = 2
Y_HIGH: Final = 3


@kernel
def bound_of(body: Body, side: int) -> float:
    """Return the place of an edge in this step."""
    if side < Y_LOW:
        return body.low_x if side == X_LOW else body.high_x
    return body.low_y if side == Y_LOW else body.high_y
