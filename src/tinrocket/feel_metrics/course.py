"""The course: one craft in an open place flies scripts at one pacing."""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from functools import cached_property
from types import MappingProxyType
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tinrocket.compile.build import plan_of
from tinrocket.compile.number_cells import start_cells
from tinrocket.errors import FlightError
from tinrocket.feel_metrics.controls import Controls, Hold
from tinrocket.feel_metrics.own_controls import found_controls
from tinrocket.feel_metrics.test_scenarios import FAR, Point, far_from, in_arena, open_place, viewed
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.craft import Craft, Start
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.tape import Tape
from tinrocket.trajectory.simulate import flown, fly, simulate
from tinrocket.trajectory.trajectory import Trajectory

Floats = NDArray[np.float64]
SECONDS = 20.0
"""Time limit of a manoeuvre for what may never happen [s]."""


@dataclass(frozen=True, slots=True)
class Held:
    """Controls that the player holds, with begin and end: seconds, or frames as ``"3 frames"``."""

    hold: Hold
    since: float | str = 0.0
    until: float | str = 1e6


class Line(NamedTuple):
    """A flight along one direction: places [px] at times t, velocities [px/s] at times vt [s]."""

    t: Floats
    place: Floats
    vt: Floats
    velocity: Floats

    def until(self, moment: float) -> "Line":
        """Return the shown part of a flight up to a moment [s]."""
        n = int(np.searchsorted(self.t, moment + 1e-9))
        return Line(*(column[:n] for column in self))


@dataclass(frozen=True, eq=False)
class Flown:
    """One manoeuvre of one craft as the screen shows it, as arrays.

    Velocities are those seen on the screen: distance between two pictures over the time between
    them, at the middle of that time. The velocity that a game stores may differ from how its craft
    moves.

    Attributes
    ----------
    t
        Moment of each picture [s].
    x, y
        Along the unwrapped path, y up the screen [px].
    vt
        The middle between a picture and the one before; the moment of the first picture.
    vx, vy, speed
        Velocity in between, y up the screen [px/s]; the first is that of the start.
    heading
        Degrees counterclockwise from right, as seen on the screen; not reduced to one turn.
    flight
        The whole flight.
    craft
        Name of the craft.
    """

    t: Floats
    x: Floats
    y: Floats
    vt: Floats
    vx: Floats
    vy: Floats
    speed: Floats
    heading: Floats
    flight: Trajectory
    craft: str

    def since(self, moment: float) -> "Flown":
        """Return the shown part from a moment on; times and positions count from that moment."""
        n = min(int(np.searchsorted(self.t, moment - 1e-9)), self.t.size - 1)
        names = ("t", "x", "y", "vt", "vx", "vy", "speed", "heading")
        cut = {name: getattr(self, name)[n:] for name in names}
        begins = cut["t"][0]
        for name in ("t", "x", "y"):
            cut[name] = cut[name] - cut[name][0]
        cut["vt"] = np.maximum(cut["vt"] - begins, 0.0)
        return replace(self, **cut)

    def seen(self, action: str, after: float = 0.0) -> float:
        """Return the beginning of the first frame that sees an action change after a moment [s]."""
        values = self.flight.track(self.craft)[f"in.{action}"]
        n = int(np.searchsorted(self.t, after - 1e-9))
        before = values[max(n - 1, 0)] if n else 0.0
        changed = np.flatnonzero(values[n:] != before)
        return float(self.t[n + changed[0]]) if changed.size else math.inf

    def along(self, direction: Point) -> Line:
        """Return places and velocities along a direction, y up the screen."""
        x, y = direction
        return Line(self.t, self.x * x + self.y * y, self.vt, self.vx * x + self.vy * y)

    def times(self, kind: str) -> Floats:
        """Return the moments of the craft's events of a kind [s]."""
        happened = self.flight.happened
        mine = (happened["kind"] == kind) & (happened["craft"] == self.craft)
        moments: Floats = happened["t"][mine].astype(np.float64)
        return moments


@dataclass(frozen=True, eq=False)
class Course:
    """One craft of a scenario alone in an open place, ready to fly any script at one pacing.

    Attributes
    ----------
    whole
        The scenario as written.
    craft
        The measured craft.
    clock
        Pacing of its frames.
    games
        Flights of the whole scenario by its own tape, by clock; shared with the courses of other
        craft.
    """

    whole: Scenario
    craft: Craft
    clock: Clock
    games: dict[Clock, Trajectory | None] = field(default_factory=dict, repr=False)
    _places: dict[object, Scenario] = field(default_factory=dict, repr=False)
    _flown: dict[object, Flown] = field(default_factory=dict, repr=False)

    def __getstate__(self) -> dict[str, object]:
        """Return the state to pickle, without flights; they are flown again on demand."""
        state = {field.name: getattr(self, field.name) for field in fields(self)}
        return state | {"games": {}, "_places": {}, "_flown": {}}

    def at(self, clock: Clock) -> "Course":
        """Return the same course with another pacing."""
        return replace(self, clock=clock, _flown={})

    def _place(self, key: object, make: Callable[[], Scenario]) -> Scenario:
        if key not in self._places:
            self._places[key] = make()
        return self._places[key]

    @property
    def place(self) -> Scenario:
        """The scenario reduced to the craft and what its rules need, without edges."""
        if self.whole.flown_by is not None:  # an update function cannot be reduced
            return self.whole
        return self._place("open", lambda: open_place(self.whole, self.craft))

    @cached_property
    def controls(self) -> Controls:
        """Controls of the craft."""
        if self.whole.flown_by is not None:
            return found_controls(self)
        return Controls.of(self.place, self.craft)

    @property
    def up(self) -> float:
        """Sign of y upward on the screen: 1 or -1."""
        return self.whole.arena.up

    @property
    def rate(self) -> float:
        """Frames per second."""
        return self.clock.average_rate(self.whole.tuned_at)

    @property
    def frame(self) -> float:
        """Length of a frame [s]."""
        return 1.0 / self.rate

    @property
    def ahead(self) -> Point:
        """Unit vector along the craft's heading at the start, y up the screen."""
        angles = self.whole.arena.angles
        zero = {"right": 0.0, "up": 90.0, "left": 180.0, "down": 270.0}[angles.zero]
        sign = 1.0 if angles.positive == "counterclockwise" else -1.0
        turned = math.radians(zero + sign * self.craft.start.heading)
        return math.cos(turned), math.sin(turned)

    def fly(
        self, *script: Held, seconds: float = SECONDS, pointer: Sequence[tuple[float, ...]] = ()
    ) -> Flown:
        """Fly a script from the start, at rest. Flights are cached.

        Parameters
        ----------
        script
            Controls that the player holds; may be empty.
        seconds
            Length of the flight [s].
        pointer
            Points (time, x, y) of the path of every pointer [s, px], relative to the start.
        """
        return self._fly_in("open", self.place, script, seconds, pointer)

    def in_arena(self, *script: Held, seconds: float = SECONDS) -> Flown:
        """Fly within the arena's own edges, from the start."""
        place = self._place("arena", lambda: in_arena(self.whole, self.craft))
        return self._fly_in("arena", place, script, seconds)

    def thrown(self, begins: Point, velocity: Point, seconds: float = SECONDS) -> Flown:
        """Fly within the arena's own edges, thrown from a place and left alone.

        `velocity` is in px/s, y up the screen; the place is in the arena's own axes.
        """

        def make() -> Scenario:
            whole = self.whole.per_second()
            craft = next(member for member in whole.craft if member.name == self.craft.name)
            return in_arena(whole, craft)

        place = self._place("thrown", make)
        x, y = begins
        start = {"x": x, "y": y, "vx": velocity[0], "vy": velocity[1] * self.up}
        return self._fly_in("thrown", place, (), seconds, start=start)

    def viewed(self, *script: Held, seconds: float = SECONDS, away: float = 0.0) -> Flown:
        """Fly in the open under the scenario's view, which begins off the craft [px]."""
        place = self._place(("view", away), lambda: viewed(self.whole, self.craft, away))
        return self._fly_in(("view", away), place, script, seconds)

    def chasing(self, other: str, seconds: float = SECONDS) -> Flown:
        """Fly without input, with another craft so far behind that it never reaches this one."""
        place = self._place(("far", other), lambda: far_from(self.whole, self.craft, other))
        return self._fly_in(("far", other), place, (), seconds)

    @cached_property
    def game(self) -> Flown | None:
        """Flight of the scenario by its own tape; None for a pool or grid, or if it blows up."""
        if self.craft.count > 1 or self.craft.pool:
            return None
        if self.clock not in self.games:
            try:
                self.games[self.clock] = simulate(self.whole, clock=self.clock)
            except FlightError:
                self.games[self.clock] = None
        flight = self.games[self.clock]
        return None if flight is None else self.looked_at(flight)

    def _fly_in(
        self,
        where: object,
        place: Scenario,
        script: Sequence[Held],
        seconds: float,
        pointer: Sequence[tuple[float, ...]] = (),
        start: Mapping[str, float] = MappingProxyType({}),
    ) -> Flown:
        """Fly a script in a place, from another start if one is given.

        All scripts and starts of a place share its plan: a start is written into memory as the
        columns of a sweep are.
        """
        script_key = tuple((tuple(step.hold.items()), step.since, step.until) for step in script)
        key = where, script_key, seconds, tuple(pointer), tuple(start.items())
        if key not in self._flown:
            index = next(n for n, craft in enumerate(place.craft) if craft.name == self.craft.name)
            tape = self._tape(script, pointer, place.craft[index].start.replaced(**start))
            scenario = place.replaced(tape=tape, duration=seconds)
            if place.flown_by is not None:
                self._flown[key] = self.looked_at(fly(scenario, self.clock))
                return self._flown[key]
            plan = plan_of(place)
            begins = start_cells(plan, index, start) if start else ()
            self._flown[key] = self.looked_at(flown(scenario, self.clock, plan, begins))
        return self._flown[key]

    def tap(self, hold: Hold, *, seconds: float = SECONDS, also: Sequence[Held] = ()) -> Flown:
        """Fly the shortest press: the first frame."""
        return self.fly(Held(hold, "0 frames", "1 frames"), *also, seconds=seconds)

    def looked_at(self, flight: Trajectory) -> Flown:
        """Return a flight of the craft as the screen shows it: y up, headings counterclockwise."""
        track, up = flight.track(self.craft.name), self.up
        angles = self.whole.arena.angles
        zero = {"right": 0.0, "up": 90.0, "left": 180.0, "down": 270.0}[angles.zero]
        sign = 1.0 if angles.positive == "counterclockwise" else -1.0
        t, x, y = track["t"], track["x_unwrapped"], track["y_unwrapped"] * up
        lasts = np.diff(t)
        vx = np.concatenate([track["vx"][:1], np.diff(x) / lasts])
        vy = np.concatenate([track["vy"][:1] * up, np.diff(y) / lasts])
        return Flown(
            t=t,
            x=x,
            y=y,
            vt=np.concatenate([t[:1], t[:-1] + lasts / 2]),
            vx=vx,
            vy=vy,
            speed=np.hypot(vx, vy),
            heading=zero + sign * track["heading"],
            flight=flight,
            craft=self.craft.name,
        )

    def _tape(
        self, script: Sequence[Held], pointer: Sequence[tuple[float, ...]], start: Start
    ) -> Tape:
        sticks = {name for stick in self.place.sticks.values() for name in stick.actions}
        holds: dict[str, list[tuple[float | str, float | str]]] = {}
        values: dict[str, list[tuple[float | str, float]]] = {}
        for step in script:
            for action, value in step.hold.items():
                if action in sticks:
                    changes = [(step.since, value), (step.until, 0.0)]
                    values.setdefault(action, []).extend(changes)
                else:
                    holds.setdefault(action, []).append((step.since, step.until))
        led = any(rule.places for rule in self.craft.rules)
        x, y = (0.0, 0.0) if led else (FAR * self.ahead[0], FAR * self.ahead[1])
        way = [tuple(point) for point in pointer] or [(0.0, x, y)]
        places = tuple((t, start.x + x, start.y + y * self.up) for t, x, y in way)
        unheld = self.whole.actions if self.whole.flown_by is not None else ()
        return Tape.model_construct(
            holds=dict.fromkeys((name for name in unheld if name not in holds), ())
            | {action: tuple(ones) for action, ones in holds.items()},
            values={action: tuple(dict(ones).items()) for action, ones in values.items()},
            pointers=dict.fromkeys(self.whole.tape.pointers, places),
            sampling=self.whole.tape.sampling,
        )
