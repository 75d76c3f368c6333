"""Whether anything may meet in a step: asked in every one, so it must cost next to nothing."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from tinrocket.core.jit import inlined
from tinrocket.core.layout import SIGHT, X, Y

Floats = NDArray[np.float64]
Near = Callable[..., bool]
"""As `anything_near`."""


@inlined
def anything_near(
    pairs: NDArray[np.int64],
    places: Floats,
    apart: Floats,
    touching: Floats,
    before: Floats,
    state: Floats,
) -> bool:
    """Whether the boxes around a pair come together on the straight way of the step.

    Or whether they touched before, or one looks along its heading; see `Meetings` and
    `Scratch` for the arrays.
    """
    crafts = state.shape[0]
    for pair in range(pairs.shape[0]):
        one, other = pairs[pair, 0], pairs[pair, 1]
        x1, y1, x0, y0 = state[one, X], state[one, Y], before[one, 0], before[one, 1]
        if other < crafts:
            x1, y1 = x1 - state[other, X], y1 - state[other, Y]
            x0, y0 = x0 - before[other, 0], y0 - before[other, 1]
        else:
            ox, oy = places[other - crafts, 0], places[other - crafts, 1]
            x1, y1, x0, y0 = x1 - ox, y1 - oy, x0 - ox, y0 - oy
        reach_x, reach_y = apart[pair, 0], apart[pair, 1]
        meets_x = min(x0, x1) <= reach_x and max(x0, x1) >= -reach_x
        if meets_x and min(y0, y1) <= reach_y and max(y0, y1) >= -reach_y:
            return True
        if touching[pair] != 0.0 or state[one, SIGHT] != 0.0:
            return True
    return False


def make_near(sources: int) -> Near:
    """Return it, not compiled; `sources` is a fingerprint of the files it is made of."""

    def near(
        pairs: NDArray[np.int64],
        places: Floats,
        apart: Floats,
        touching: Floats,
        before: Floats,
        state: Floats,
    ) -> bool:
        _ = sources
        return anything_near(pairs, places, apart, touching, before, state)

    return near
