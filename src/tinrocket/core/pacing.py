"""When frames begin and how long they last, computed from the index of the frame."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

ROUNDING = 1e-9
"""Moments closer than this are the same [s]."""


@dataclass(frozen=True, slots=True, eq=False)
class Pacing:
    """The frames of a run.

    Attributes
    ----------
    times
        Shape (N + 1,): when each frame begins, and when the last one ends [s].
    steps
        Shape (N,): by how much each frame moves the game on [s].
    """

    times: Floats
    steps: Floats


def steady(rate: float, duration: float) -> Pacing:
    """Return frames of 1 / `rate` s until `duration` is reached; frame n begins at n / rate."""
    count = _frames_in(duration, rate)
    return Pacing(np.arange(count + 1) / rate, np.full(count, 1.0 / rate))


def made_up(
    rate: float,
    duration: float,
    jitter: float = 0.0,
    seed: int = 0,
    hitches: Sequence[tuple[float, float]] = (),
) -> Pacing:
    """Return frames at a rate, uneven or with hitches.

    Frame n begins at n / rate plus the sum of what the frames before it were longer or
    shorter.  Jitter is uniform in [-jitter, jitter] s; a hitch (at, length) is the
    length of the first frame that begins at or after `at`.
    """
    count = _frames_in(duration, rate)
    random = np.random.default_rng(seed)
    jittered = random.uniform(-jitter, jitter, count)
    while True:
        extra = jittered.copy()
        for at, length in sorted(hitches):
            frame = int(np.searchsorted(_begin(rate, extra), at - ROUNDING))
            if frame < extra.size:
                extra[frame] = length - 1.0 / rate
        begins = _begin(rate, extra)
        if begins[-1] >= duration - ROUNDING:
            return _until(duration, begins, 1.0 / rate + extra)
        jittered = np.append(jittered, random.uniform(-jitter, jitter, count))


def captured(lengths: Sequence[float], duration: float) -> Pacing:
    """Return frames of these lengths [s], repeated from the start if they run out."""
    once = np.asarray(lengths, dtype=np.float64)
    repeats = int(np.ceil(duration / once.sum())) + 1
    steps = np.tile(once, repeats)
    whole = np.arange(repeats)[:, None] * once.sum()
    begins = (whole + np.concatenate([[0.0], np.cumsum(once[:-1])])).ravel()
    return _until(duration, np.append(begins, repeats * once.sum()), steps)


def _frames_in(duration: float, rate: float) -> int:
    """Return how many whole frames reach `duration`, deaf to the last digit of the product."""
    return max(int(np.ceil(round(duration * rate, 9))), 1)


def _begin(rate: float, extra: Floats) -> Floats:
    begins: Floats = np.arange(extra.size + 1) / rate
    begins[1:] += np.cumsum(extra)
    return begins


def _until(duration: float, times: Floats, steps: Floats) -> Pacing:
    count = int(np.searchsorted(times, duration - ROUNDING))
    return Pacing(times[: count + 1].copy(), steps[:count].copy())
