"""Whether anything may meet in a step: asked in every one, so it must cost next to nothing."""

import numpy as np
from numpy.typing import NDArray

from tinrocket.core.jit import inlined
from tinrocket.core.layout import ALIVE, X, Y

Floats = NDArray[np.float64]


@inlined
def anything_near(
    pairs: NDArray[np.int64],
    apart: Floats,
    touching: Floats,
    lines: Floats,
    before: Floats,
    state: Floats,
) -> bool:
    """Whether the boxes around a pair come together on the straight way of the step.

    Or whether a pair has touched before; see `Meetings` and `Scratch` for the arrays.
    """
    for craft in range(state.shape[0]):
        lines[craft, 0], lines[craft, 1] = before[craft, 0], before[craft, 1]
        lines[craft, 2], lines[craft, 3] = state[craft, X], state[craft, Y]
        if state[craft, ALIVE] <= 0.0:  # it stands still
            lines[craft, 0], lines[craft, 1] = state[craft, X], state[craft, Y]
    for pair in range(pairs.shape[0]):
        one, other = pairs[pair, 0], pairs[pair, 1]
        far_x, far_y = apart[pair, 0], apart[pair, 1]
        x0, x1 = lines[one, 0] - lines[other, 0], lines[one, 2] - lines[other, 2]
        y0, y1 = lines[one, 1] - lines[other, 1], lines[one, 3] - lines[other, 3]
        # from x0 to x1 something is no farther than far_x from 0
        meets_x = abs(x0 + x1) <= abs(x1 - x0) + 2.0 * far_x
        if meets_x and abs(y0 + y1) <= abs(y1 - y0) + 2.0 * far_y:
            return True
        if touching[pair] != 0.0:
            return True
    return False
