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


@outlined
def overdue(numbers: Floats, ledger: Floats, cell: int, played: float, steps: float) -> float:
    """How long ago the next was due, in s or in steps; below zero if it is not yet.

    Parameters
    ----------
    cell
        Of the ledger, in which stands when it is due, counted from the first.
    played, steps
        Time [s] and steps by the end of this one; pauses left out of the time.
    """
    ends = steps - ledger[at.PAUSED_COUNT] if numbers[of.COUNTED] != 0.0 else played
    return float(ends - numbers[of.FIRST] - ledger[cell])


@outlined
def seconds_late(numbers: Floats, late: float) -> float:
    """How long before the end of the step it was due [s]; what counts steps is never late."""
    return 0.0 if numbers[of.COUNTED] != 0.0 else max(late, 0.0)


@outlined
def within(behind: float, dt: float) -> float:
    """Fraction of a step after which something happened that lies so long before its end."""
    return 1.0 - behind / dt if dt > 0.0 else 1.0
