"""A plan loaded into a memory of its own, with room for the inputs and results of a call."""

from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from tinrocket.compile.memory import Place
from tinrocket.compile.plan import Plan
from tinrocket.compile.wasm import EXPORTS
from tinrocket.flight.plain import PlainMachine
from tinrocket.language.machine import Machine, lent
from tinrocket.language.records import CELL
from tinrocket.motion.world import Event, Moment

Floats = NDArray[np.float64]

EVENTS_A_CRAFT, EVENTS_A_STEP = 8, 4096
"""Events of one step for which there is always room: for each craft, and in addition."""


@dataclass(frozen=True, slots=True)
class Capacity:
    """Capacity of one call.

    Attributes
    ----------
    steps
        Steps.
    columns
        Recorded columns of each craft; 0 without a record.
    events
        Whether there is room for events.
    extra
        Further cells, for a batch.
    """

    steps: int
    columns: int = 0
    events: bool = True
    extra: int = 0


def cells_for(plan: Plan, room: Capacity) -> int:
    """Return the number of cells of a plan with a capacity."""
    a_step = Moment.size + len(plan.raw) + room.columns * plan.crafts
    events = (event_room(plan, room) + 1) * Event.size
    return plan.image.size + room.steps * a_step + events + room.extra


def event_room(plan: Plan, room: Capacity) -> int:
    """Return the largest number of events of one call, including the step that passes the limit."""
    return 2 * _events_a_step(plan, room)


def _events_a_step(plan: Plan, room: Capacity) -> int:
    """Return the number of events of one step for which there is always room."""
    most = EVENTS_A_STEP + EVENTS_A_CRAFT * plan.crafts + plan.most_sent
    tells = any(condition.event is not None for condition in plan.scenario.condition)
    return most if room.events or tells else 0


@contextmanager
def loaded(plan: Plan, room: Capacity, *, plain: bool = False) -> Iterator["FlightMemory"]:
    """Lend a deck of a plan, in compiled code or in plain Python."""
    cells = cells_for(plan, room)
    if plain:
        yield FlightMemory(plan, room, PlainMachine(plan, cells))
        return
    with lent(plan.key, plan.modules, EXPORTS, cells) as machine:
        yield FlightMemory(plan, room, machine)


class Machinery(Protocol):
    """A runner of a plan: compiled code, or plain Python."""

    floats: Floats
    ints: NDArray[np.int32]

    def call(self, name: str) -> None:
        """Call a function of the plan."""


class FlightMemory:
    """A plan in a memory.

    Attributes
    ----------
    moments, inputs, record
        Views of the memory: inputs of the steps of a call, shape (steps, 2) and (steps, raw
        values), and their record, shape (columns, craft, steps).
    extra
        The first of the further cells.
    """

    def __init__(self, plan: Plan, room: Capacity, machine: Machinery | None = None) -> None:
        self.plan, self.room = plan, room
        raw, crafts = len(plan.raw), plan.crafts
        moments = plan.image.size
        inputs = moments + room.steps * Moment.size
        record = inputs + room.steps * raw
        events = record + room.columns * crafts * room.steps
        self.event_room = event_room(plan, room)
        self.extra = events + (self.event_room + 1) * Event.size
        self.machine = machine or Machine(plan.modules(), EXPORTS, cells_for(plan, room))
        floats = self.machine.floats
        self.moments = floats[moments:inputs].reshape(room.steps, Moment.size)
        self.inputs = floats[inputs:record].reshape(room.steps, raw)
        self.record = floats[record:events].reshape(room.columns, crafts, room.steps)
        self._events = events
        floats[: plan.image.size] = plan.image
        self._places = {"moments": moments, "inputs": inputs, "record": record, "events": events}
        self._tell()

    def _tell(self) -> None:
        """Write addresses and capacity into the root record."""
        plan, room = self.plan, self.room
        for name, cell in self._places.items():
            self.write_whole(plan.world, name, cell * CELL)
        self.write_whole(plan.world, "record_columns", room.columns)
        self.write_whole(plan.world, "record_length", room.steps)
        self.write_whole(plan.world, "event_room", self.event_room)
        if room.events:  # a call ends when the room left is for the events of one step
            self.write_whole(plan.world, "event_limit", self.event_room // 2)

    def whole(self, place: Place, name: str, index: int = 0) -> int:
        """Return a whole number in a record."""
        return int(self.machine.ints[2 * place.cell_of(index, name)])

    def write_whole(self, place: Place, name: str, value: int, index: int = 0) -> None:
        """Write a whole number into a record."""
        self.machine.ints[2 * place.cell_of(index, name)] = value

    def write_inputs(
        self,
        pacing: tuple[Floats, Floats],
        inputs: Floats,
        first: int,
        steps: int,
        *,
        even: bool = False,
    ) -> None:
        """Write moments and raw values of a number of steps, from a given step on."""
        taken = slice(first, first + steps)
        begins, lengths = (values[taken] for values in pacing)
        uneven = not even and bool((lengths[1:] != lengths[:-1]).any())
        self.write_whole(self.plan.world, "uneven", int(uneven))
        self.moments[:steps, 0] = begins
        self.moments[:steps, 1] = lengths
        self.inputs[:steps] = inputs[taken]

    def fly(self, steps: int) -> int:
        """Take steps whose moments and inputs are written; return the number taken."""
        self.write_whole(self.plan.world, "steps", steps)
        self.machine.call("fly")
        return self.whole(self.plan.world, "steps")

    @property
    def failed(self) -> int:
        """The craft with numbers that are no longer finite, or -1."""
        return self.whole(self.plan.world, "failed")

    @property
    def event_count(self) -> int:
        """Number of events of the last call; those beyond the capacity are not stored."""
        return self.whole(self.plan.world, "event_count")

    def events(self) -> tuple[Floats, NDArray[np.int32]]:
        """Return the events of the last call, as floats and as whole numbers."""
        count = min(self.event_count, self.event_room)
        begin, end = self._events, self._events + count * Event.size
        floats = self.machine.floats[begin:end].reshape(count, Event.size).copy()
        whole = self.machine.ints[2 * begin : 2 * end : 2].reshape(count, Event.size).copy()
        return floats, whole

    def snapshot(self, into: Floats | None = None) -> Floats:
        """Return a copy of the whole state, written into an older copy if given.

        Allocating a large state takes longer than filling it.
        """
        state = self.machine.floats[self.plan.state]
        if into is None:
            return state.copy()
        into[:] = state
        return into

    def restore(self, state: Floats) -> None:
        """Restore a state."""
        self.machine.floats[self.plan.state] = state

    def restore_in(self, state: Floats) -> None:
        """Continue from the state of another deck with the same layout."""
        self.restore(state)
        self._tell()

    def bodies(self) -> Floats:
        """Return a copy of the records of all craft, shape (craft, fields)."""
        place = self.plan.bodies
        begin = place.cell
        rows = self.machine.floats[begin : begin + place.count * place.kind.size]
        return rows.reshape(place.count, place.kind.size).copy()
