"""Sampling a tape at the start of each frame."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from tinrocket.scenario.tape import Points, Tape

Floats = NDArray[np.float64]


EARLY = 1e-9
"""Rounding allowed for a repeated press at the start of a frame [s]."""


def sample_presses(
    begins: Floats, presses: Sequence[tuple[float, float]], *, buffered: bool
) -> tuple[Floats, Floats, list[float]]:
    """Sample a digital action.

    Parameters
    ----------
    begins
        Shape (N,): begin of each frame [s], ascending.
    presses
        Intervals (down, up) [s]; the action is down from `down` to just before `up`.
    buffered
        Whether a press between two frames is kept for the later of them.

    Returns
    -------
    values, again, lost
        Shape (N,): 1 in frames that see the action down, else 0.  Shape (N,): 1 in frames that
        get a new press although the frame before saw the action down.  Begin of each press that no
        frame saw, or that fell into one frame with another [s].
    """
    values, again = np.zeros(begins.size), np.zeros(begins.size)
    if not presses:
        return values, again, []
    down, up = np.asarray(presses, dtype=np.float64).T
    first = np.searchsorted(begins, down)
    past = np.searchsorted(begins, up)
    unseen = (past == first) & (first < begins.size)
    if buffered:
        past = np.where(unseen, first + 1, past)
        unseen[:] = False
        unseen[1:] = (first[1:] == first[:-1]) & (first[1:] < begins.size)
    for begin, end in zip(first.tolist(), past.tolist(), strict=True):
        if buffered and 0 < begin < begins.size and values[begin - 1] != 0.0:
            again[begin] = 1.0
        values[begin:end] = 1.0
    return values, again, down[unseen].tolist()


def sample_values(begins: Floats, changes: Sequence[tuple[float, float]]) -> Floats:
    """Sample an analog action: the last (time, value) at or before each frame, 0 before all."""
    times, values = np.asarray(changes, dtype=np.float64).reshape(-1, 2).T
    last = np.searchsorted(times, begins, side="right")
    return np.concatenate([[0.0], values])[last]


def sample_path(begins: Floats, points: Points) -> Floats:
    """Sample a pointer's place, shape (2, N): linear between (time, x, y), constant outside.

    Spans in frames must be converted to seconds first.
    """
    t, x, y = np.asarray(points, dtype=np.float64).T
    return np.stack([np.interp(begins, t, x), np.interp(begins, t, y)])


def repeat_presses(begins: Floats, seen: Floats, again: Floats, tape: Tape, action: str) -> None:
    """Mark in place the frames that see a new press of a key that repeats while it is held.

    A buffered tape keeps a repeat for the next frame even if the key is let go before that.
    """
    repeat = tape.repeats[action]
    for down, up in tape.presses(action):
        begin = down
        if repeat.counts_from == "frame":
            seen_in = int(np.searchsorted(begins, down))
            if seen_in == begins.size:
                continue
            begin = float(begins[seen_in])
        first = begin + repeat.delay
        last = np.ceil((up - first) * repeat.rate) - 1.0
        # count of repeats by each frame, computed without listing the repeats
        come = np.clip(np.floor((begins + EARLY - first) * repeat.rate), -1.0, max(last, -1.0))
        new = np.flatnonzero(np.diff(come, prepend=-1.0) > 0.0)
        if tape.sampling == "buffered":
            again[new] = (seen[new - 1] != 0.0) & (new > 0)
            seen[new] = 1.0
        else:
            again[new] = seen[new]


def asked_since(times: Floats, stepping: NDArray[np.int64], tape: Tape, action: str) -> Floats:
    """Return for each frame that takes steps the sum of an input over all frames since the last."""
    if action in tape.values:
        seen = sample_values(times, tape.changes(action))
    else:
        buffered = tape.sampling == "buffered"
        seen, _again, _lost = sample_presses(times, tape.presses(action), buffered=buffered)
    total = np.concatenate([[0.0], np.cumsum(seen)])
    before = np.concatenate([[0], stepping[:-1] + 1])
    summed: Floats = total[stepping + 1] - total[before]
    return summed
