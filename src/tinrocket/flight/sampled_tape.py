"""A tape as the game sees it: sampled at the start of frames, and passed to their steps."""

from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass, field
from threading import Lock

import numpy as np
from numpy.typing import NDArray

from tinrocket.flight import sampling
from tinrocket.flight.frame_schedule import FEW
from tinrocket.flight.pacing import Pacing
from tinrocket.motion import signals
from tinrocket.motion.signals import Raw
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.tape import Tape

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class SampledTape:
    """The inputs that a game sees of a tape.

    Attributes
    ----------
    count
        Number of steps, S.
    steps
        Shape (S,) for each raw value: its value in each step.
    frames
        Shape (N + 1,) for each of the scenario's actions: its value at the frames' times.
    lost
        Time [s] and action of each missed tap.
    """

    count: int
    steps: dict[Raw, Floats]
    frames: dict[str, Floats]
    lost: tuple[tuple[float, str], ...]
    _laid: dict[tuple[Raw, ...], Floats] = field(default_factory=dict, repr=False)

    def columns(self, raw: Mapping[Raw, int]) -> Floats:
        """Return the raw values in the order of their columns, shape (S, raw values)."""
        wanted = tuple(raw)
        if wanted not in self._laid:
            laid = np.empty((self.count, len(wanted)))
            for column, signal in enumerate(wanted):
                laid[:, column] = self.steps[signal]
            laid.flags.writeable = False
            self._laid[wanted] = laid
        return self._laid[wanted]


KEPT = 4
"""Number of sampled tapes that are cached."""

_kept: OrderedDict[tuple[int, int, tuple[str, ...]], tuple[Tape, Pacing, SampledTape]] = (
    OrderedDict()
)
_keeping = Lock()


def sample_tape(scenario: Scenario, pacing: Pacing) -> SampledTape:
    """Return the tape as a game sees it; treat it as read-only.

    A frame without a step reads no input: a tap between two frames with steps is lost, or kept for
    the later frame if buffered. Tuning flies the same tape at a few clocks, so sampled tapes are
    cached.
    """
    tape = scenario.tape
    key = id(tape), id(pacing), scenario.actions
    with _keeping:
        held = _kept.get(key)
        if held is not None:  # the entry keeps both alive, so that their ids are not reused
            _kept.move_to_end(key)
            return held[2]
    seen = _sampled(scenario, pacing)
    if pacing.times.size <= FEW:
        with _keeping:
            _kept[key] = tape, pacing, seen
            while len(_kept) > KEPT:
                _kept.popitem(last=False)
    return seen


def _sampled(scenario: Scenario, pacing: Pacing) -> SampledTape:
    tape = scenario.tape
    if tape.counts_frames:
        tape = tape.at_frames(pacing.times.tolist())
    begins, stepping = pacing.times, pacing.frame
    frame_of_step: NDArray[np.int64] | slice = slice(None)
    firsts: NDArray[np.bool_] | None = None
    if not pacing.one_step_a_frame:
        stepping, frame_of_step = np.unique(pacing.frame, return_inverse=True)
        begins = np.append(pacing.times[stepping], pacing.times[-1])
        firsts = np.diff(pacing.frame, prepend=-1) != 0
    steps: dict[Raw, Floats] = {}
    frames: dict[str, Floats] = {}
    lost: list[tuple[float, str]] = []
    for action in scenario.actions:
        again = np.zeros(begins.size)
        if action in tape.values:
            seen = sampling.sample_values(begins, tape.changes(action))
        else:
            seen, again, missed = sampling.sample_presses(
                begins, tape.presses(action), buffered=tape.sampling == "buffered"
            )
            if action in tape.repeats:
                sampling.repeat_presses(begins, seen, again, tape, action)
            lost.extend((t, action) for t in missed if t >= 0.0)  # none before the start
        steps[Raw(action)] = seen[:-1][frame_of_step]
        if firsts is not None and pacing.sums_requests:
            requested = sampling.asked_since(pacing.times, stepping, tape, action)
            steps[Raw(action)] = requested[frame_of_step] * firsts
        presses = again[:-1][frame_of_step]
        # the first of several steps in a frame gets the press
        steps[signals.again(action)] = presses if firsts is None else presses * firsts
        frames[action] = seen
        if stepping.size != pacing.times.size - 1:  # shown until the game looks again
            last = np.searchsorted(begins, pacing.times, side="right") - 1
            frames[action] = np.where(last >= 0, seen[np.maximum(last, 0)], 0.0)
    for name, points in tape.pointers.items():
        places = sampling.sample_path(begins[:-1], points)[:, frame_of_step]
        steps |= dict(zip(signals.pointer(name), places, strict=True))
    return SampledTape(pacing.steps.size, steps, frames, tuple(sorted(lost)))
