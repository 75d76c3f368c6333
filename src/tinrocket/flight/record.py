"""One flight from beginning to end, recorded."""

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tinrocket.compile.number_cells import Cells
from tinrocket.compile.plan import Plan
from tinrocket.flight.memory import Capacity, FlightMemory, loaded
from tinrocket.flight.pacing import Pacing
from tinrocket.flight.stepper import Failure, Stepper
from tinrocket.motion.world import Event

Floats = NDArray[np.float64]
Counts = NDArray[np.int32]
Progress = Callable[[int, int], None]

CELLS_A_CALL = 1 << 18
"""Cells that the steps of one call may fill, so that they stay in the CPU cache; at least as many
as the state has, because it is copied before each call.
"""
FIRST_STEPS, FIRST_OF_ALL = 64, 1 << 14
"""Steps of the first call, whose speed is unknown: contacts may be slow, and so is plain Python.
The limits are for one craft and for all craft together.
"""
SECONDS_A_CALL = 0.1
"""Longest duration of a call [s], so that an interrupt acts soon."""


@dataclass(frozen=True, slots=True, eq=False)
class Events:
    """Events in the order in which they were recorded, a row for each; see `Event`."""

    step: NDArray[np.int64]
    kind: Counts
    craft: Counts
    cause: Counts
    other: Counts
    fraction: Floats
    count: Floats
    x: Floats
    y: Floats
    speed: Floats
    gap: Floats
    normal: Floats


@dataclass(slots=True, eq=False)
class _Log:
    """The events of all calls so far."""

    floats: list[Floats]
    whole: list[Counts]
    steps: list[NDArray[np.int64]]

    def add(self, deck: FlightMemory, first: int) -> None:
        floats, whole = deck.events()
        if len(floats):
            self.floats.append(floats)
            self.whole.append(whole)
            self.steps.append(whole[:, Event.offsets["step"]].astype(np.int64) + first)

    def done(self) -> Events:
        width = Event.size
        floats = np.concatenate(self.floats) if self.floats else np.empty((0, width))
        whole = np.concatenate(self.whole) if self.whole else np.empty((0, width), np.int32)
        steps = np.concatenate(self.steps) if self.steps else np.empty(0, np.int64)
        columns: dict[str, Any] = {
            name: (whole if kind is int else floats)[:, Event.offsets[name]]
            for name, kind in Event.fields.items()
            if name != "step"
        }
        return Events(step=steps, **columns)


def record(
    plan: Plan,
    pacing: Pacing,
    inputs: Floats,
    states: Floats,
    *,
    begins: Sequence[Cells] = (),
    plain: bool = False,
    progress: Progress | None = None,
) -> tuple[Events, Failure | None]:
    """Fly a plan.

    Parameters
    ----------
    inputs
        Shape (S, raw values).
    states
        Filled: shape (columns, C, S + 1), the first fields of each craft before the first step
        and after each.
    begins
        Cells whose values before the first step differ from the plan.
    plain
        Whether to fly in plain Python.
    progress
        Called with how many steps are taken, and of how many, after each call.

    Returns
    -------
    events, failure
        The events, and where the flight failed, or None.
    """
    columns, count = states.shape[0], pacing.steps.size
    width = 2 + inputs.shape[1] + columns * plan.crafts
    steps = max(CELLS_A_CALL, plan.image.size) // width
    room = Capacity(steps=max(min(steps, count), 1), columns=columns)
    with loaded(plan, room, plain=plain) as deck:
        for begin in begins:
            deck.machine.floats[begin.cell] = begin.values
        states[:, :, 0] = deck.bodies()[:, :columns].T
        return _Flight(deck, pacing, inputs, states).fly(plain=plain, progress=progress)


class _Flight:
    """A flight in calls that are long enough to be fast and short enough to be interrupted."""

    def __init__(self, deck: FlightMemory, pacing: Pacing, inputs: Floats, states: Floats) -> None:
        self.deck, self.states, self.inputs = deck, states, inputs
        self.count, self.moments = pacing.steps.size, pacing.moments(deck.plan.unit)
        self.even = pacing.even
        self.log = _Log([], [], [])

    def fly(self, *, plain: bool, progress: Progress | None) -> tuple[Events, Failure | None]:
        """Fly to the end, or to a failure."""
        deck, count, first = self.deck, self.count, 0
        quick = not (plain or deck.plan.meets)
        careful = min(FIRST_STEPS, max(FIRST_OF_ALL // deck.plan.crafts, 1))
        length = deck.room.steps if quick else min(deck.room.steps, careful)
        stepper = Stepper(deck, plain=plain)
        while first < count:
            steps, began = min(length, count - first), time.perf_counter()
            taken = stepper.take(self.moments, self.inputs, first, steps, even=self.even)
            if isinstance(taken, Failure):
                return self.log.done(), taken
            self.log.add(deck, first)
            self.states[:, :, first + 1 : first + taken + 1] = deck.record[:, :, :taken]
            first += taken
            if progress is not None:
                progress(first, count)
            spent = max(time.perf_counter() - began, 1e-6)
            length = min(int(taken * SECONDS_A_CALL / spent) + 1, deck.room.steps)
        return self.log.done(), None
