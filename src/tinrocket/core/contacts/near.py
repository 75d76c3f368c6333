"""Whether anything may meet in a step: asked in every one, so it must cost next to nothing.

Who was far from everything else a moment ago still is, as long as nobody has gone half of
that way: most steps need no more than that.
"""

import math

import numpy as np
from numpy.typing import NDArray

from tinrocket.core.jit import inlined
from tinrocket.core.layout import ALIVE, X, Y

Floats = NDArray[np.float64]


@inlined
def still_quiet(quiet: Floats, lines: Floats, state: Floats) -> bool:
    """Whether all craft are within `quiet` of where they were when last asked what is near.

    Nobody may have been put somewhere since, only have moved.
    """
    quiet_x, quiet_y = quiet[0], quiet[1]
    for craft in range(state.shape[0]):
        way_x = abs(state[craft, X] - lines[craft, 2])
        way_y = abs(state[craft, Y] - lines[craft, 3])
        if not (way_x <= quiet_x and way_y <= quiet_y):
            return False
    return True


@inlined
def anything_near(
    pairs: NDArray[np.int64],
    apart: Floats,
    touching: Floats,
    lines: Floats,
    quiet: Floats,
    before: Floats,
    state: Floats,
) -> bool:
    """Whether the boxes around a pair come together on the straight way of the step.

    Or whether a pair has touched before; see `Meetings` and `Scratch` for the arrays.  If
    nothing is near, `quiet` tells how far the craft may go along x and along y before it must
    be asked again: a pair is kept apart by the axis along which it is farther.
    """
    quiet[0] = -1.0
    crafts = state.shape[0]
    for craft in range(crafts):
        lines[craft, 2], lines[craft, 3] = state[craft, X], state[craft, Y]
        lines[craft, 0], lines[craft, 1] = before[craft, 0], before[craft, 1]
        if state[craft, ALIVE] <= 0.0:  # it stands still, or is not there and so nowhere
            nowhere = math.nan if state[craft, ALIVE] == 0.0 else 0.0
            lines[craft, 0], lines[craft, 1] = state[craft, X] + nowhere, state[craft, Y] + nowhere
    least_x = least_y = math.inf
    for pair in range(pairs.shape[0]):
        one, other = np.uint64(pairs[pair, 0]), np.uint64(pairs[pair, 1])
        x0, x1 = lines[one, 0] - lines[other, 0], lines[one, 2] - lines[other, 2]
        y0, y1 = lines[one, 1] - lines[other, 1], lines[one, 3] - lines[other, 3]
        # twice the least room between the boxes on the way from x0 to x1, and from y0 to y1
        room_x = abs(x0 + x1) - abs(x1 - x0) - 2.0 * apart[pair, 0]
        room_y = abs(y0 + y1) - abs(y1 - y0) - 2.0 * apart[pair, 1]
        if (room_x <= 0.0 and room_y <= 0.0) or touching[pair] != 0.0:
            return True
        share = 0.25 if other < crafts else 0.5  # a craft goes half of the way
        if room_x > room_y:
            least_x = min(least_x, share * room_x)
        else:
            least_y = min(least_y, share * room_y)  # of who is nowhere it is not a number
    quiet[0], quiet[1] = least_x, least_y
    return False
