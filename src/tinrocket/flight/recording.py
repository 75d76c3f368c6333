"""One flight from beginning to end, recorded."""

import time
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tinrocket.flight.deck import MOST_EVENTS_A_STEP, Deck, Room
from tinrocket.flight.pacing import Pacing
from tinrocket.kernel.machine import KernelTrap
from tinrocket.motion.world import Event
from tinrocket.plan.plan import Plan, make_plan

Floats = NDArray[np.float64]
Counts = NDArray[np.int32]

CELLS_A_CALL = 1 << 18
"""Cells that the steps of one call may fill, so that they stay in the cache."""
SECONDS_A_CALL = 0.1
"""How long a call may take, so that an interrupt is heard soon."""


@dataclass(frozen=True, slots=True, eq=False)
class Failure:
    """Where the numbers blew up: craft, rule and step; and what stopped it, if something did."""

    craft: int
    rule: int
    step: int
    trap: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class Events:
    """What happened, in the order in which it was written down, a row for each; see `Event`."""

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

    def add(self, deck: Deck, first: int) -> None:
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
        columns = {
            name: (whole if kind is int else floats)[:, Event.offsets[name]]
            for name, kind in Event.fields.items()
            if name != "step"
        }
        return Events(step=steps, **columns)


def record(
    plan: Plan, pacing: Pacing, inputs: Floats, states: Floats, *, plain: bool = False
) -> tuple[Events, Failure | None]:
    """Fly a plan.

    Parameters
    ----------
    inputs
        Shape (S, raw values).
    states
        Filled: shape (columns, C, S + 1), the first fields of each craft before the first step
        and after each.
    plain
        Whether to fly in plain Python.

    Returns
    -------
    events, failure
        What happened, and where the flight broke off, or None.
    """
    count, moments = len(inputs), pacing.moments(plan.unit)
    columns, crafts = states.shape[:2]
    width = moments.shape[1] + inputs.shape[1] + columns * crafts
    room = Room(steps=max(min(CELLS_A_CALL // width, count), 1), columns=columns)
    deck = Deck(plan, room, plain=plain)
    states[:, :, 0] = deck.bodies()[:, :columns].T
    log = _Log([], [], [])
    first, length = 0, min(room.steps, 256)
    while first < count:
        steps = min(length, count - first)
        deck.moments[:steps] = moments[first : first + steps]
        deck.inputs[:steps] = inputs[first : first + steps]
        before, began = deck.snapshot(), time.perf_counter()
        try:
            taken = deck.fly(steps)
        except KernelTrap:
            taken = -1
        if taken < 0 or deck.failed >= 0:
            done = _failure(plan, deck, before, steps, plain=plain)
            return log.done(), Failure(done.craft, done.rule, first + done.step, done.trap)
        if deck.event_count > deck.room.events:  # more than anybody thought: once more with room
            room = Room(room.steps, columns, deck.event_count + 2 * MOST_EVENTS_A_STEP)
            deck = Deck(plan, room, plain=plain)
            deck.restore_in(before)
            continue
        log.add(deck, first)
        states[:, :, first + 1 : first + taken + 1] = deck.record[:, :, :taken]
        first += taken
        spent = max(time.perf_counter() - began, 1e-6)
        length = max(min(int(taken * SECONDS_A_CALL / spent), room.steps, 2 * length), 1)
    return log.done(), None


def _failure(plan: Plan, deck: Deck, before: Floats, steps: int, *, plain: bool) -> Failure:
    """Fly the steps of a call that failed once more, and look after every rule."""
    checked = make_plan(plan.scenario, checks=True)
    again = Deck(checked, Room(steps=steps, columns=0), plain=plain)
    again.restore_in(before)
    again.moments[:] = deck.moments[:steps]
    again.inputs[:] = deck.inputs[:steps]
    trap = ""
    try:
        again.fly(steps)
    except KernelTrap as stopped:
        trap = str(stopped)
    world = checked.world
    rule = again.whole(world, "failed_rule")
    return Failure(again.failed, rule, again.whole(world, "step"), trap)
