"""When frames begin, which steps the game takes in them, and the state shown at their ends.

All of it is computed from the index of the frame or of the step, before anything flies.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Counts = NDArray[np.int64]
Backlog = Literal["dropped", "kept", "cleared"]

ROUNDING = 1e-9
"""Difference below which two moments are equal [s]."""


@dataclass(frozen=True, slots=True, eq=False)
class Frames:
    """Frames of the screen.

    Attributes
    ----------
    times
        Shape (N + 1,): when each frame begins, and when the last one ends [s].
    lengths
        Shape (N,): how long each of them lasts [s].
    """

    times: Floats
    lengths: Floats


@dataclass(frozen=True, slots=True, eq=False)
class Pacing:
    """Steps of the game: N frames, in which it takes S steps.

    Attributes
    ----------
    times
        Shape (N + 1,): when each frame begins, and when the last one ends [s].
    steps, begins_at
        Shape (S,): length of each step in game time, and game time when it begins [s].
    begins, ends
        Shape (S,): the span of real time that a step covers [s].
    frame
        Shape (S,): index of the frame in which it is taken.
    done
        Shape (N + 1,): number of steps taken at each of `times`.
    blend
        Shape (N + 1,): interpolation factor of the shown state from the last state but one to the
        last; None if the last one is shown.
    shown
        Shape (N + 1,): the game's time of the shown state at each of `times` [s].
    one_step_a_frame
        Whether each frame shows the state recorded after its step.
    sums_requests
        Whether a step acts on the sum of all input since the last.
    even
        Whether all steps are equally long.
    """

    times: Floats
    steps: Floats
    begins_at: Floats
    begins: Floats
    ends: Floats
    frame: Counts
    done: Counts
    blend: Floats | None
    shown: Floats

    one_step_a_frame: bool
    sums_requests: bool = False
    even: bool = field(init=False)

    def __post_init__(self) -> None:
        """Compute once whether all steps are equally long: a pacing is flown many times."""
        object.__setattr__(self, "even", bool((self.steps == self.steps[:1]).all()))

    def moments(self, unit: float) -> tuple[Floats, Floats]:
        """Return begin and length of each step, shape (S,), in units of time.

        Whole numbers of units are exact, however their seconds were rounded.
        """
        return in_units(self.begins_at, unit), in_units(self.steps, unit)


def in_units(seconds: Floats, unit: float) -> Floats:
    """Return moments or lengths [s] in units of time, of which there are `unit` in a second."""
    return seconds if unit == 1.0 else _nearly_whole(seconds * unit)


def steady(rate: float, duration: float) -> Frames:
    """Return frames of 1 / `rate` s until `duration` is reached; frame n begins at n / rate."""
    count = _frames_in(duration, rate)
    return Frames(np.arange(count + 1) / rate, np.full(count, 1.0 / rate))


def made_up(
    rate: float,
    duration: float,
    jitter: float = 0.0,
    seed: int = 0,
    hitches: Sequence[tuple[float, float]] = (),
) -> Frames:
    """Return frames at a rate, uneven or with hitches.

    Frame n begins at n / rate plus the sum of the deviations of the frames before it.  Jitter is
    uniform in [-jitter, jitter] s; a hitch (at, length) is the
    length of the first frame that begins at or after `at`.
    """
    count = _frames_in(duration, rate)
    random = np.random.default_rng(seed)
    jitter = abs(jitter)  # uniform() needs a span above zero, and -0.0 is none
    jittered = random.uniform(-jitter, jitter, count)
    while True:
        extra = jittered.copy()
        # approximate, to find frames; the returned times are summed at once
        nearly = _begin(rate, extra)
        for at, length in sorted(hitches):
            frame = int(np.searchsorted(nearly, at - ROUNDING))
            if frame < extra.size:
                longer = length - 1.0 / rate
                nearly[frame + 1 :] += longer - extra[frame]
                extra[frame] = longer
        begins = _begin(rate, extra)
        if begins[-1] >= duration - ROUNDING:
            return _until(duration, begins, 1.0 / rate + extra)
        jittered = np.append(jittered, random.uniform(-jitter, jitter, count))


def captured(lengths: Sequence[float], duration: float) -> Frames:
    """Return frames of these lengths [s], repeated from the start if they run out."""
    once = np.asarray(lengths, dtype=np.float64)
    repeats = int(np.ceil(duration / once.sum())) + 1
    steps = np.tile(once, repeats)
    whole = np.arange(repeats)[:, None] * once.sum()
    begins = (whole + np.concatenate([[0.0], np.cumsum(once[:-1])])).ravel()
    return _until(duration, np.append(begins, repeats * once.sum()), steps)


def synchronised(frames: Frames, refresh: float, duration: float) -> Frames:
    """Return the same work on a screen that shows a frame only at its own `refresh` rate.

    A frame that is not done when the screen is due waits for the next time, so that it
    lasts a whole number of refreshes.
    """
    waited = np.maximum(np.ceil(frames.lengths * refresh - ROUNDING * refresh), 1.0)
    times = np.concatenate([[0.0], np.cumsum(waited)]) / refresh
    return _until(duration, times, waited / refresh)


def variable(frames: Frames, longest: float | None = None, part: float | None = None) -> Pacing:
    """Return one step a frame, or several equal ones none of which is longer than `substep`.

    Parameters
    ----------
    longest
        Longest frame; the rest of a longer one is lost to the game [s].
    part
        The longest step [s]; a frame longer than it is cut into equal parts.
    """
    lengths = frames.lengths if longest is None else np.minimum(frames.lengths, longest)
    shown = frames.times if longest is None else np.concatenate([[0.0], np.cumsum(lengths)])
    if part is None:
        frame = np.arange(lengths.size)
        begins, ends = frames.times[:-1], frames.times[1:]
        done = np.arange(lengths.size + 1)
        return Pacing(
            frames.times, lengths, shown[:-1], begins, ends, frame, done, None, shown, True
        )
    parts = np.maximum(np.ceil(lengths / part - ROUNDING), 1.0).astype(np.int64)
    done = np.concatenate([[0], np.cumsum(parts)])
    frame = np.repeat(np.arange(lengths.size), parts)
    nth = np.arange(frame.size) - done[frame]
    steps = lengths[frame] / parts[frame]
    real = np.diff(frames.times)[frame] / parts[frame]
    begins = frames.times[frame] + nth * real
    ends = frames.times[frame] + (nth + 1) * real
    moments = shown[frame] + nth * steps
    return Pacing(frames.times, steps, moments, begins, ends, frame, done, None, shown, False)


def fixed(
    frames: Frames,
    rate: float,
    longest: float | None = None,
    most: int | None = None,
    *,
    backlog: Backlog = "dropped",
    own_length: bool = True,
    blends: bool = False,
) -> Pacing:
    """Return fixed steps of 1 / `rate` s, taken as time accumulates.

    Step k begins at k / rate in the game's time: the number of steps follows from the whole time
    passed, never from a running remainder.

    Parameters
    ----------
    longest
        Longest frame; the rest of a longer one is lost to the game [s].
    most
        Most steps of a frame.
    backlog
        Whether whole steps beyond that are dropped, taken by later frames, or cleared with all
        accumulated time.
    own_length
        Whether steps are 1 / `rate` long to the game, rather than as long as their frame.
    blends
        Whether a state between the last two is shown, which is one step behind.
    """
    times = frames.times
    if longest is not None:
        times = np.concatenate([[0.0], np.cumsum(np.minimum(frames.lengths, longest))])
    fit = np.floor(times * rate + ROUNDING * rate).astype(np.int64)
    lost = np.zeros(times.size)
    done = fit
    if most is not None:
        done, dropped = _capped(times * rate, rate, most, backlog)
        lost = dropped / rate
    count = int(done[-1])
    frame = np.repeat(np.arange(times.size - 1), np.diff(done))
    steps = np.full(count, 1.0 / rate)
    moments = np.arange(count) / rate
    if not own_length:
        steps = np.diff(times)[frame] if longest is not None else frames.lengths[frame]
    # the rounding of two sums must not take a step before it is due
    behind = np.maximum(frames.times - times + lost, 0.0)[frame + 1]
    begins, ends = moments + behind, np.arange(1, count + 1) / rate + behind
    if not own_length:
        moments = np.cumsum(np.append(0.0, steps[:-1]))[:count]
    if not blends:
        shown = done / rate
        plain = np.array_equal(done, np.arange(done.size))
        return Pacing(frames.times, steps, moments, begins, ends, frame, done, None, shown, plain)
    blend = np.clip((times - lost) * rate - done, 0.0, 1.0)
    blend[blend < ROUNDING * rate] = 0.0
    shown = np.where(done > 0, (done - 1 + blend) / rate, 0.0)
    return Pacing(frames.times, steps, moments, begins, ends, frame, done, blend, shown, False)


def _nearly_whole(values: Floats) -> Floats:
    whole = np.rint(values)
    np.copyto(values, whole, where=np.abs(values - whole) < ROUNDING)
    return values


def _capped(passed: Floats, rate: float, most: int, backlog: Backlog) -> tuple[Counts, Floats]:
    """Return steps taken and steps dropped at each moment, with a limit per frame."""
    done, dropped = np.zeros(passed.size, np.int64), np.zeros(passed.size)
    taken, gone = 0, 0.0
    for index, reached in enumerate(passed[1:].tolist(), start=1):
        due = math.floor(reached - gone + ROUNDING * rate) - taken
        taken += min(due, most)
        if due > most and backlog == "dropped":
            gone += due - most
        elif due > most and backlog == "cleared":
            gone = reached - taken
        done[index], dropped[index] = taken, gone
    return done, dropped


def _frames_in(duration: float, rate: float) -> int:
    """Return the number of frames that reach `duration`, allowing for rounding of the product."""
    return max(int(np.ceil(round(duration * rate, 9))), 1)


def _begin(rate: float, extra: Floats) -> Floats:
    begins: Floats = np.arange(extra.size + 1) / rate
    begins[1:] += np.cumsum(extra)
    return begins


def _until(duration: float, times: Floats, lengths: Floats) -> Frames:
    count = int(np.searchsorted(times, duration - ROUNDING))
    return Frames(times[: count + 1].copy(), lengths[:count].copy())
