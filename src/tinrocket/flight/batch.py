"""Many flights of one plan, each with other numbers, on all cores."""

import os
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress

import numpy as np
from numpy.typing import NDArray

from tinrocket.compile.batch import Slot
from tinrocket.compile.number_cells import Cells
from tinrocket.compile.plan import Plan
from tinrocket.flight.memory import Capacity, FlightMemory
from tinrocket.flight.pacing import Pacing
from tinrocket.flight.record import Progress
from tinrocket.language.machine import TrapError
from tinrocket.language.records import CELL
from tinrocket.motion.body import ALWAYS_RECORDED, Body

Floats = NDArray[np.float64]

SECONDS_A_CALL = 0.1
"""Longest duration of a call [s], so that an interrupt acts soon; one variant may take longer."""
MOST_VARIANTS = 256
"""Most variants of one call; results do not depend on it."""


def fly_variants(
    plan: Plan,
    varied: Sequence[Cells],
    count: int,
    pacing: Pacing,
    inputs: Floats,
    threads: int | None = None,
    progress: Progress | None = None,
) -> tuple[Floats, NDArray[np.int32]]:
    """Fly variants of a plan and keep their last states.

    Parameters
    ----------
    varied
        Cells with a value for each of `count` variants, or one for all.
    inputs
        Shape (S,) for each raw value, the same for all.
    threads
        Number of threads (default: number of cores).
    progress
        Called after each call with the number of finished variants and the number of all.

    Returns
    -------
    states, failed
        Shape (count, C, `ALWAYS_RECORDED`), the recorded fields of each craft after the last
        step.  Shape (count,): the craft with numbers that blew up, or -1; of a variant that was
        stopped, the first.
    """
    columns = np.empty((count, len(varied)))
    for index, cells in enumerate(varied):
        columns[:, index] = cells.values
    states = np.empty((count, plan.crafts, ALWAYS_RECORDED))
    failed = np.empty(count, np.int32)

    def fly_some(deck: "_BatchDeck", first: int, size: int) -> int:
        chunk = slice(first, first + size)
        flown = len(columns[chunk])
        try:
            deck.fly_batch(columns[chunk], states[chunk], failed[chunk])
        except TrapError:  # flying them one by one finds the failing variant
            if flown == 1:
                failed[chunk] = 0
            else:
                for row in range(first, first + flown):
                    fly_some(deck, row, 1)
        return flown

    def make() -> "_BatchDeck":
        return _BatchDeck(plan, varied, MOST_VARIANTS, pacing, inputs)

    deck, began = make(), time.perf_counter()
    done = fly_some(deck, 0, 1)  # to measure the speed
    spent = max(time.perf_counter() - began, 1e-6)
    size = max(min(int(SECONDS_A_CALL / spent), MOST_VARIANTS), 1)
    firsts = range(1, count, size)
    workers = min(threads or os.cpu_count() or 1, len(firsts))
    free = [deck, *(make() for _ in range(workers - 1))]
    for finished in _spread(lambda idle, first: fly_some(idle, first, size), free, firsts):
        done += finished
        if progress is not None:
            progress(done, count)
    return states, failed


def _spread(
    work: "Callable[[_BatchDeck, int], int]", free: "list[_BatchDeck]", firsts: Sequence[int]
) -> Iterator[int]:
    """Yield the results of each call, in this thread or in one thread per deck."""
    if len(free) == 1:
        for first in firsts:
            yield work(free[0], first)
        return

    def with_a_deck(first: int) -> int:
        deck = free.pop()
        try:
            return work(deck, first)
        finally:
            free.append(deck)

    pool = ThreadPoolExecutor(len(free))
    requested: list[Future[int]] = []
    try:
        with suppress(RuntimeError):  # no further thread can be started
            for first in firsts:
                requested.append(pool.submit(with_a_deck, first))  # noqa: PERF401  # one by one
        for job in requested:
            yield job.result()
        for first in firsts[len(requested) :]:
            yield with_a_deck(first)
    finally:
        pool.shutdown(wait=True, cancel_futures=True)


class _BatchDeck(FlightMemory):
    """A deck with room for the numbers and results of a number of variants."""

    def __init__(
        self,
        plan: Plan,
        varied: Sequence[Cells],
        size: int,
        pacing: Pacing,
        inputs: Floats,
    ) -> None:
        state = plan.state.stop - plan.state.start
        bodies = plan.crafts * Body.size
        sizes = {
            "image": state,
            "slots": len(varied) * Slot.size,
            "columns": size * len(varied),
            "out": size * bodies,
            "failed": size,
        }
        room = Capacity(steps=pacing.steps.size, columns=0, events=False, extra=sum(sizes.values()))
        super().__init__(plan, room)
        self.write_inputs(pacing.moments(plan.unit), inputs, 0, room.steps)
        self.write_whole(plan.world, "steps", room.steps)
        place = plan.batch
        self._at = {}
        cell = self.extra
        for name, cells in sizes.items():
            self._at[name] = slice(cell, cell + cells)
            self.write_whole(place, name, cell * CELL)
            cell += cells
        self.write_whole(place, "state", plan.state.start * CELL)
        self.write_whole(place, "cells", state)
        self.write_whole(place, "slot_count", len(varied))
        self.write_whole(place, "column_count", len(varied))
        self.machine.floats[self._at["image"]] = self.snapshot()
        slots = 2 * self._at["slots"].start
        for index, cells in enumerate(varied):
            self.machine.ints[slots + 2 * index * Slot.size] = cells.cell * CELL
            self.machine.ints[slots + 2 * (index * Slot.size + 1)] = index

    def fly_batch(self, columns: Floats, states: Floats, failed: NDArray[np.int32]) -> None:
        """Fly a variant for each row of numbers; fill in the last states."""
        count = len(columns)
        floats = self.machine.floats
        begin = self._at["columns"].start
        floats[begin : begin + columns.size] = columns.ravel()
        self.write_whole(self.plan.batch, "variants", count)
        self.machine.call("fly_batch")
        begin = self._at["out"].start
        out = floats[begin : begin + count * self.plan.crafts * Body.size]
        states[:] = out.reshape(count, self.plan.crafts, Body.size)[:, :, :ALWAYS_RECORDED]
        begin = 2 * self._at["failed"].start
        failed[:] = self.machine.ints[begin : begin + 2 * count : 2]
