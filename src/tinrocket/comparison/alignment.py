"""Pair the moments of two sequences in order, at the least total cost."""

import numpy as np
from numpy.typing import NDArray

from tinrocket.trajectory.unique_rows import counted

Floats = NDArray[np.float64]
Indices = NDArray[np.int64]

FARTHEST = 1.0
"""Two moments farther apart than this never belong together [s]."""

BAND = 512
"""Number of nearest moments that are candidates for a partner; more matter only in dense crowds."""

CROWD = 20_000
"""With more moments than this, only those are paired that are each other's nearest."""


def reach_of(reference: Floats, least: float) -> float:
    """Return how far a moment may have moved and still be the same one [s].

    The typical distance between two of the reference's own moments, because what has moved
    farther is nearer to another; at least `least`, and at most `FARTHEST`.
    """
    between = np.diff(reference)
    between = between[between > least]
    typical = float(np.median(between)) if between.size else FARTHEST
    return min(max(typical, least), FARTHEST)


def align(reference: Floats, other: Floats, reach: float) -> tuple[Indices, Indices]:
    """Return the pairs of moments that belong together, as indices into both sequences.

    Of all ways to pair two sequences in order, the one with the least total cost: a pair costs
    how far it is apart, and a moment without a partner half of `reach`, so that two that are
    more than `reach` apart are rather one missing and one extra.  It is the alignment of
    sequences by Needleman and Wunsch (1970), within the band that `reach` leaves.  It takes as many
    steps as the band has places; above `CROWD` moments, nearest neighbours are paired instead.

    Parameters
    ----------
    reference, other
        Moments in order [s], shapes (N,) and (M,).
    reach
        Largest distance of two moments that are paired, above zero [s].
    """
    if reference.size == other.size and (np.abs(reference - other) < 1e-12).all():
        every = np.arange(reference.size)
        return every, every
    if max(reference.size, other.size) > CROWD:
        return _nearest_pairs(reference, other, reach)
    low, high = _band(reference, other, reach)
    # saved[k]: cost saved by pairing with the first k moments of the other
    best = np.zeros(other.size + 1)
    front = 0
    rows: list[tuple[int, int, Floats, Floats]] = []
    for row, moment in enumerate(reference.tolist()):
        first, last = int(low[row]), int(high[row])
        if last <= first:
            continue
        best[front + 1 : last + 1] = best[front]
        front = max(front, last)
        before = best[first : last + 1].copy()
        saved = reach - np.abs(other[first:last] - moment)
        best[first + 1 : last + 1] = np.maximum.accumulate(
            np.maximum(before[1:], before[:-1] + saved)
        )
        rows.append((row, first, before, best[first : last + 1].copy()))
    return _walked_back(rows, other.size)


def _nearest_pairs(reference: Floats, other: Floats, reach: float) -> tuple[Indices, Indices]:
    """Return pairs that are each other's nearest; several at one moment are paired in order."""
    sides = [
        np.unique(moments, return_index=True, return_counts=True) for moments in (reference, other)
    ]
    (mine, my_first, my_count), (theirs, their_first, their_count) = sides
    if not mine.size or not theirs.size:
        return np.empty(0, np.int64), np.empty(0, np.int64)
    partner = _nearest(mine, theirs)
    mutual = _nearest(theirs, mine)[partner] == np.arange(mine.size)
    mutual &= np.abs(theirs[partner] - mine) < reach
    one, two = np.flatnonzero(mutual), partner[mutual]
    count = np.minimum(my_count[one], their_count[two])
    nth = counted(count)
    return my_first[one].repeat(count) + nth, their_first[two].repeat(count) + nth


def _nearest(moments: Floats, among: Floats) -> Indices:
    """Return for each moment which of the others is the nearest, the earlier of two."""
    after = np.minimum(np.searchsorted(among, moments), among.size - 1)
    before = np.maximum(after - 1, 0)
    nearer = np.abs(moments - among[before]) <= np.abs(among[after] - moments)
    return np.where(nearer, before, after)


def _band(reference: Floats, other: Floats, reach: float) -> tuple[Indices, Indices]:
    """Return from which and up to which of the other's moments each may be a partner."""
    low = np.searchsorted(other, reference - reach, side="right")
    high = np.searchsorted(other, reference + reach, side="left")
    if (high - low).max(initial=0) > BAND:
        # of many at one moment the n-th is nearest to the n-th
        nth = np.arange(reference.size) - np.searchsorted(reference, reference, side="left")
        nearest = np.searchsorted(other, reference, side="left") + nth
        middle = np.maximum.accumulate(np.clip(nearest, low, high))
        low, high = np.maximum(low, middle - BAND // 2), np.minimum(high, middle + BAND // 2)
    return low, high


def _walked_back(rows: list[tuple[int, int, Floats, Floats]], size: int) -> tuple[Indices, Indices]:
    """Return the pairs behind the savings of all rows, from the last to the first."""
    pairs: list[tuple[int, int]] = []
    upto = size
    for row, first, before, after in reversed(rows):
        place = min(upto - first, len(after) - 1)
        if place <= 0:
            continue
        # the first place at which the row saved as much
        earliest = int(np.searchsorted(after[: place + 1], after[place], side="left"))
        if after[place] == before[place] or earliest == 0:  # this moment has no partner
            continue
        pairs.append((row, first + earliest - 1))
        upto = first + earliest - 1
    both = np.array(pairs[::-1], dtype=np.int64).reshape(-1, 2)
    return both[:, 0], both[:, 1]
