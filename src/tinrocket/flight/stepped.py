"""A flight that is taken step by step, as a game takes its steps."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Self

import numpy as np
from numpy.typing import NDArray

from tinrocket.compile.build import make_plan
from tinrocket.compile.number_cells import cells_of
from tinrocket.errors import (
    OptionError,
    UnknownNameError,
    as_number,
    expect,
    nearest,
)
from tinrocket.flight.event_labels import EventLabel, event_label
from tinrocket.flight.frame_schedule import lower_clock
from tinrocket.flight.memory import Capacity, FlightMemory, cells_for
from tinrocket.flight.pacing import in_units
from tinrocket.flight.plain import PlainMachine
from tinrocket.flight.sampled_tape import sample_tape
from tinrocket.flight.stepper import Failure, Stepper
from tinrocket.motion import signals
from tinrocket.motion.angles import Heading
from tinrocket.motion.body import Body
from tinrocket.motion.world import TIME_EPSILON, Event
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.vary import Value, with_value

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class CraftState:
    """State of a craft: px, px/s, degrees as the arena counts them, degrees/s."""

    x: float
    y: float
    vx: float
    vy: float
    heading: float
    spin: float
    height: float
    alive: bool


@dataclass(frozen=True, slots=True, eq=False)
class Snapshot:
    """Full state of a flight at a moment."""

    state: Floats
    scenario: Scenario
    steps: int
    base: float
    since: int
    dt: float


class Flight:
    """A scenario that is flown one step at a time, with inputs from the caller.

    Parameters
    ----------
    scenario
        The scenario; only `run` uses its tape.
    plain
        Whether to fly in plain Python: the same bits, under any debugger.

    Attributes
    ----------
    scenario
        The scenario with its present numbers.
    steps
        Number of steps taken.
    """

    def __init__(self, scenario: Scenario, *, plain: bool = False) -> None:
        expect(scenario, Scenario, "Flight()", "read one with read_scenario('file.toml')")
        self.scenario = scenario
        plan = make_plan(scenario)
        room = Capacity(steps=1)
        plain = plain or plan.plain_because is not None
        self._plain = plain
        self._deck = FlightMemory(
            plan, room, PlainMachine(plan, cells_for(plan, room)) if plain else None
        )
        self.steps = 0
        self._base, self._since, self._dt = 0.0, 0, math.nan
        self._stepper = Stepper(self._deck, plain=plain)
        clock = scenario.clock
        rate = scenario.tuned_at if clock.rate is None else clock.rate
        self._rate = clock.fixed_rate or rate
        self._usual = 1.0 / self._rate

    @property
    def time(self) -> float:
        """Game time that has passed [s]."""
        if not self._since:
            return self._base
        if self._dt == self._usual:  # like a steady clock: step n begins at n / rate
            return self._base + self._since / self._rate
        return self._base + self._since * self._dt

    @property
    def source(self) -> str:
        """Source of the update function; one iteration of its loop is one step."""
        return self._deck.plan.source

    def step(
        self, inputs: Mapping[str, float | Sequence[float]] | None = None, dt: float | None = None
    ) -> tuple[EventLabel, ...]:
        """Take one step.

        Parameters
        ----------
        inputs
            Values of actions by their names, and places (x, y) of pointers, or ``name x`` and
            ``name y`` unless an action has that name; missing inputs are 0.
        dt
            Length of the step [s] (default: that of the scenario's clock).

        Returns
        -------
        The events of the step.

        Raises
        ------
        UnknownNameError
            If no rule listens to an input.
        OptionError
            If a value is not a number, or the length is not above 0.
        FlightError
            If the numbers blow up.
        """
        dt = self._usual if dt is None else as_number(dt, "the length of a step")
        if not 0.0 < dt < math.inf:
            raise OptionError(f"a step takes some time, not {dt:g} s")
        inputs = {} if inputs is None else inputs
        expect(inputs, Mapping, "step()", "give values by their names, such as {'thrust': 1.0}")
        deck, now = self._deck, np.array([self.time, dt])
        happened = self._take(in_units(now, deck.plan.unit), self._row_of(inputs))
        self._count(dt)
        return happened

    def _row_of(self, inputs: Mapping[str, float | Sequence[float]]) -> Floats:
        """Return the raw values of a step."""
        raw = self._deck.plan.raw
        columns = {signal.label: column for signal, column in raw.items()}
        columns |= {signal.name: column for signal, column in raw.items() if not signal.part}
        pointers = {signal.name for signal in raw if signal.part in AXES}
        row = np.zeros(len(raw))
        for name, value in inputs.items():
            if name in pointers and isinstance(value, Sequence) and len(value) == 2:
                for axis, place in zip(signals.pointer(name), value, strict=True):
                    if axis in raw:
                        row[raw[axis]] = as_number(place, f"the place of the pointer '{name}'")
                continue
            number = as_number(value, f"the input '{name}'")
            if name in columns:
                row[columns[name]] = number
            elif name not in self.scenario.actions:
                known = [signal.label for signal in raw if signal.part != "again"]
                raise UnknownNameError(f"nothing listens to '{name}'{nearest(name, known)}")
        return row

    def _take(self, moment: Floats, row: Floats) -> tuple[EventLabel, ...]:
        """Take a step with a begin and a length, both in units of time."""
        deck, stepper = self._deck, self._stepper
        taken = stepper.take((moment[:1], moment[1:]), row[np.newaxis], 0, 1)
        if isinstance(taken, Failure):
            if stepper.before is not None:
                deck.restore(stepper.before)
            raise taken.error(deck.plan, self.steps, self.time)
        _floats, whole = deck.events()
        wanted = [Event.offsets[name] for name in ("kind", "craft", "cause", "other")]
        seen = [row for row in whole[:, wanted].tolist() if row[1] < len(self.scenario.fleet)]
        return tuple(event_label(deck.plan, *numbers) for numbers in seen)

    def _count(self, dt: float) -> None:
        """Count steps of equal length, so that time is no running sum."""
        if dt != self._dt:
            self._set_time(self.time, dt)
        self._since += 1
        self.steps += 1

    def _set_time(self, time: float, dt: float = math.nan) -> None:
        self._base, self._since, self._dt = time, 0, dt

    def run(self) -> Self:
        """Fly to the end with the scenario's own tape and clock; return the trajectory."""
        clock = self.scenario.clock
        pacing = lower_clock(clock, self.scenario.tuned_at, self.scenario.duration)
        rows = sample_tape(self.scenario, pacing).columns(self._deck.plan.raw)
        moments = np.stack(pacing.moments(self._deck.plan.unit), axis=1)
        begins = np.append(pacing.begins_at, pacing.begins_at[-1] + pacing.steps[-1])
        first = int(np.searchsorted(pacing.begins_at, self.time - TIME_EPSILON))
        for index in range(first, pacing.steps.size):
            self._set_time(float(begins[index]))
            self._take(moments[index], rows[index])
            self._set_time(float(begins[index + 1]))
            self.steps += 1
        return self

    def state(self, craft: str) -> CraftState:
        """Return the present state of a craft.

        Raises
        ------
        UnknownNameError
            If there is no such craft.
        """
        fleet = self.scenario.fleet
        try:
            number = fleet.own[craft]
        except (KeyError, TypeError):
            expect(craft, str, "state()", f"name a craft{nearest('', fleet.own)}")
            raise UnknownNameError(
                f"there is no craft '{craft}'{nearest(craft, fleet.own)}"
            ) from None
        row = self._deck.bodies()[number]
        values = {name: float(row[cell]) for name, cell in Body.offsets.items()}
        heading, unit = Heading.of(self.scenario.arena), self._deck.plan.unit
        return CraftState(
            x=values["x"],
            y=values["y"],
            vx=values["vx"] * unit,
            vy=values["vy"] * unit,
            heading=math.degrees(heading.sign * (values["heading"] - heading.zero)),
            spin=math.degrees(heading.sign * values["spin"]) * unit,
            height=values["height"],
            alive=values["alive"] != 0.0,
        )

    def set(self, path: str, value: Value) -> None:
        """Change a number for the next steps, by the path that `vary` takes.

        Raises
        ------
        OptionError
            If that is not a number of a craft's start or rules.
        UnknownNameError, ScenarioError
            If the path does not exist, or the value does not fit.
        """
        plan, floats = self._deck.plan, self._deck.machine.floats
        changed = with_value(self.scenario, path, value)
        bodies = range(plan.bodies.cell, plan.bodies.cell + plan.bodies.cells.size)
        for write in cells_of(plan, {path: value}):
            if write.cell not in bodies:  # a craft that flies already is not moved to a new start
                floats[write.cell] = write.values
        floats[plan.world.cell_of(0, "dt")] = math.nan  # so that coefficients follow
        self.scenario = plan.scenario = changed

    def snapshot(self) -> Snapshot:
        """Return the full state of the flight, for `restore`."""
        state = self._deck.snapshot()
        return Snapshot(state, self.scenario, self.steps, self._base, self._since, self._dt)

    def restore(self, snapshot: Snapshot) -> None:
        """Restore a snapshot of this flight, or of a copy of it."""
        expect(snapshot, Snapshot, "restore()", "take one with flight.snapshot()")
        self._deck.restore_in(snapshot.state)
        self.scenario = self._deck.plan.scenario = snapshot.scenario
        self.steps, self._base = snapshot.steps, snapshot.base
        self._since, self._dt = snapshot.since, snapshot.dt

    def __reduce__(self) -> tuple[object, ...]:
        """Return the state to pickle: the scenario and the current state of the flight."""
        return _thawed, (self.scenario, self._plain, self.snapshot())

    def copy(self) -> "Flight":
        """Return an independent copy of the flight."""
        other = Flight(self.scenario, plain=self._plain)
        other.restore(self.snapshot())
        return other


def _thawed(scenario: Scenario, plain: bool, snapshot: Snapshot) -> Flight:
    """Return a flight that continues a pickled one."""
    flight = Flight(scenario, plain=plain)
    flight.restore(snapshot)
    return flight
