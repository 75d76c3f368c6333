"""What the game sees of the player's hands: each action at the start of each frame."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


def sample_presses(
    begins: Floats, presses: Sequence[tuple[float, float]], *, buffered: bool
) -> tuple[Floats, list[float]]:
    """Sample a digital action.

    Parameters
    ----------
    begins
        Shape (N,): when each frame begins [s], growing.
    presses
        Intervals (down, up) [s]; the action is down from `down` to just before `up`.
    buffered
        Whether a press between two frames is kept for the later of them.

    Returns
    -------
    values, lost
        Shape (N,): 1 in frames that see the action down, else 0.  When each press began
        that no frame saw.
    """
    if not presses:
        return np.zeros(begins.size), []
    down, up = np.asarray(presses, dtype=np.float64).T
    first = np.searchsorted(begins, down)
    past = np.searchsorted(begins, up)
    unseen = (past == first) & (first < begins.size)
    if buffered:
        past = np.where(unseen, first + 1, past)
        unseen[:] = False
    values = np.zeros(begins.size)
    for begin, end in zip(first.tolist(), past.tolist(), strict=True):
        values[begin:end] = 1.0
    return values, down[unseen].tolist()


def sample_values(begins: Floats, changes: Sequence[tuple[float, float]]) -> Floats:
    """Sample an analog action: the last (time, value) at or before each frame, 0 before all."""
    times, values = np.asarray(changes, dtype=np.float64).reshape(-1, 2).T
    last = np.searchsorted(times, begins, side="right")
    return np.concatenate([[0.0], values])[last]


def sample_path(begins: Floats, points: Sequence[tuple[float, float, float]]) -> Floats:
    """Sample a pointer's place, shape (2, N): straight between (time, x, y), still outside."""
    t, x, y = np.asarray(points, dtype=np.float64).T
    return np.stack([np.interp(begins, t, x), np.interp(begins, t, y)])
