"""How long it is from one to the next, when that changes as the game goes on."""

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout as at
from tinrocket.core.jit import outlined
from tinrocket.core.stage import staging as of
from tinrocket.core.stage.staging import Staging

Floats = NDArray[np.float64]

MOST = 1000
"""Entries, or steps of a march, that may be due in one step of the game."""


@outlined
def point_total(staging: Staging, ledger: Floats) -> float:
    """Return the points of all sides together."""
    total = 0.0
    for side in range(len(staging.sides)):
        total += ledger[at.FIRST_SCORE + side]
    return total


@outlined
def interval(numbers: Floats, played: float, points: float, gone: float) -> float:
    """Return how long an interval is by now, in s or in steps."""
    by, share = numbers[of.RAMP_BY], 0.0
    if by == of.BY_TIME:
        share = played / numbers[of.RAMP_OVER]
    elif by == of.BY_SCORE:
        share = points / numbers[of.RAMP_OVER]
    elif by == of.BY_GONE:
        share = gone / numbers[of.RAMP_OVER]
    every = numbers[of.EVERY]
    share = min(max(share, 0.0), 1.0)
    return float(every + (numbers[of.RAMP_TO] - every) * share)
