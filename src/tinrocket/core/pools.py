"""Craft that are not there yet, and enter when something sends them."""

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout as at
from tinrocket.core.jit import outlined

Floats = NDArray[np.float64]


@outlined
def enter(
    state: Floats,
    before: Floats,
    first: int,
    count: int,
    x: float,
    y: float,
    vx: float,
    vy: float,
    heading: float,
    now: float,
    steps: float,
) -> int:
    """Let the first of a pool that is not there appear; return which, or -1 if all are there.

    Parameters
    ----------
    before
        Shape (C, 2): place of each craft as the step began.
    first, count
        The craft of the pool.
    now, steps
        When it appears [s], and how many steps came before that.
    """
    for craft in range(first, first + count):
        if state[craft, at.ALIVE] == 0.0:
            for column in range(at.LAPS_X, at.STATE_WIDTH):
                state[craft, column] = 0.0
            state[craft, at.X], state[craft, at.Y] = x, y
            state[craft, at.VX], state[craft, at.VY] = vx, vy
            state[craft, at.HEADING] = heading
            state[craft, at.ALIVE] = 1.0
            state[craft, at.BORN], state[craft, at.BORN_COUNT] = now, steps
            before[craft, 0], before[craft, 1] = x, y
            return craft
    return -1
