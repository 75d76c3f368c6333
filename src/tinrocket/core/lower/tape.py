"""A tape as the game sees it: sampled where frames begin, and handed to the steps in them."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import hands, sampling
from tinrocket.core.pacing import Pacing
from tinrocket.scenario.scenario import Scenario

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Seen:
    """What a game sees of a tape.

    Attributes
    ----------
    steps
        By step: what the rules work with.
    frames
        Shape (N + 1,) for each of the scenario's actions: its value at the frames' times.
    lost
        Time [s] and action of each tap that no step saw.
    """

    steps: hands.Sampled
    frames: dict[str, Floats]
    lost: tuple[tuple[float, str], ...]


def lower_tape(scenario: Scenario, pacing: Pacing) -> Seen:
    """Sample the tape.

    A frame in which no step is taken sees nothing for the game: what goes down and up
    between two frames that take steps is lost, or kept for the later one if buffered.
    """
    tape = scenario.tape
    begins, stepping = pacing.times, pacing.frame
    frame_of_step: NDArray[np.int64] | slice = slice(None)
    if not pacing.one_step_a_frame:
        stepping, frame_of_step = np.unique(pacing.frame, return_inverse=True)
        begins = np.append(pacing.times[stepping], pacing.times[-1])
    actions: dict[str, Floats] = {}
    frames: dict[str, Floats] = {}
    lost: list[tuple[float, str]] = []
    buffered = tape.sampling == "buffered"
    for action in scenario.actions:
        if action in tape.values:
            seen = sampling.sample_values(begins, tape.values[action])
        else:
            presses = tape.presses(action)
            seen, missed = sampling.sample_presses(begins, presses, buffered=buffered)
            lost.extend((t, action) for t in missed)
        actions[action] = seen[:-1][frame_of_step]
        frames[action] = seen
        if stepping.size != pacing.times.size - 1:  # shown until the game looks again
            last = np.searchsorted(begins, pacing.times, side="right") - 1
            frames[action] = np.where(last >= 0, seen[np.maximum(last, 0)], 0.0)
    pointers = {
        name: sampling.sample_path(begins[:-1], points)[:, frame_of_step]
        for name, points in tape.pointers.items()
    }
    return Seen(hands.Sampled(actions, pointers, pacing.moments), frames, tuple(sorted(lost)))
