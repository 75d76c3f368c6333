"""Moments around a bounce that two flights share, at which their paths cannot be compared."""

import numpy as np
from numpy.typing import NDArray

from tinrocket.scenario.arena import AXES
from tinrocket.trajectory.frames import Track

Floats = NDArray[np.float64]

SHARPNESS = 3.0
"""How many times larger the change of velocity at a bounce is than those just before and after."""


def between_bounces(mine: Track, its: Track, t: Floats) -> NDArray[np.bool_]:
    """Return which moments lie between the frames around one bounce that both flights have.

    A straight line between two frames cuts off the corner of a path that bounces between them.
    Where two flights bounce within a frame of each other, the distance between such lines has a
    spike which no picture shows.  What the bounce costs is seen in the frame after it.

    A bounce counts only if it is alone.  Where a craft bounces again before the next frame, as a
    ball does that comes to rest, nothing is left out.

    Parameters
    ----------
    mine, its
        Track of one craft in both flights.
    t
        Moments to judge [s], shape (n,), sorted.
    """
    inside = np.zeros(t.size, dtype=bool)
    for axis in AXES:
        spans, others = (_reversals(track, axis) for track in (mine, its))
        if not len(spans) or not len(others):
            continue
        for begin, end in spans:
            near = others[(others[:, 0] < end) & (others[:, 1] > begin)]
            if len(near) != 1:
                continue
            first, last = min(begin, near[0, 0]), max(end, near[0, 1])
            overlapping = [np.sum((s[:, 0] < last) & (s[:, 1] > first)) for s in (spans, others)]
            if overlapping == [1, 1]:
                inside |= (t > first) & (t < last)
    return inside


def _reversals(track: Track, axis: str) -> Floats:
    """Return from which frame to which the velocity along an axis turns round [s], shape (n, 2).

    With v the mean velocity between two frames, the path reverses within frame k if v before and
    after it have opposite signs, and the change is sharp: larger than that of the frames around.
    A bounce at the end of a frame makes two such frames, which are joined.
    """
    t, path = track["t"], track[f"{axis}_unwrapped"]
    if t.size < 6:
        return np.empty((0, 2))
    with np.errstate(divide="ignore", invalid="ignore"):
        v = np.diff(path) / np.diff(t)
    change = np.abs(np.diff(v))
    around = np.maximum(change[:-3], change[3:])  # before and after frame k, for k = 2 … n - 3
    jump = np.abs(v[3:-1] - v[1:-3])
    # of signs, because the product of two velocities may be beyond all numbers
    sharp = (np.sign(v[1:-3]) * np.sign(v[3:-1]) < 0.0) & (jump > SHARPNESS * around)
    rows = np.flatnonzero(sharp) + 2
    if not rows.size:
        return np.empty((0, 2))
    groups = np.split(rows, np.flatnonzero(np.diff(rows) > 1) + 1)
    return np.array([(t[group[0]], t[group[-1] + 1]) for group in groups])
