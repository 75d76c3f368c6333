"""A user's update function: its analysis, and its flights."""

import ast
import hashlib
import math
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property, partial
from pathlib import Path
from types import ModuleType
from typing import Any

import numpy as np

from tinrocket.flight.pacing import Pacing
from tinrocket.flight.sampled_tape import sample_tape
from tinrocket.own_update.craft_places import CraftPlaces, Seen, no_craft
from tinrocket.own_update.declaration import Declaration
from tinrocket.own_update.finding import Finding
from tinrocket.own_update.flying import Bench, Flying, UpdateError, inputs_of
from tinrocket.own_update.loading import Loaded
from tinrocket.own_update.patching import patched
from tinrocket.own_update.recording import Flown, Recorded, Shape, as_frames
from tinrocket.own_update.routines import Code
from tinrocket.own_update.signature import Signature
from tinrocket.own_update.state_values import is_number, members, value_at
from tinrocket.own_update.surroundings import COUNTED
from tinrocket.own_update.switching import Switches, compiled
from tinrocket.scenario.arena import Arena
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario
from tinrocket.trajectory.clocks import paced, resolved_clock
from tinrocket.trajectory.trajectory import Trajectory

BLOWN_UP = 1e12
"""Distance beyond which a place counts as not finite [px]."""


@dataclass(frozen=True, eq=False, repr=False)
class OwnUpdate:
    """A user's update function, with its analysis.

    Attributes
    ----------
    loaded, signature, declared
        The function, its parameters, and its declaration.
    code
        Its functions and which of their variables hold time.
    findings
        Statements that depend on the frame rate, sorted by line.
    unknown
        Lines that change a lasting value in a way that is not recognised.
    gone
        Indices of the findings that are mended.
    drawn
        Whether chances per frame are flown with waits drawn beforehand.
    constants
        Replaced global numbers of the file.
    """

    loaded: Loaded
    signature: Signature
    declared: Declaration
    code: Code
    findings: tuple[Finding, ...]
    unknown: tuple[int, ...]
    gone: frozenset[int] = frozenset()
    drawn: bool = False
    constants: Mapping[str, Any] = field(default_factory=dict)
    _shared: dict[str, Any] = field(default_factory=dict, repr=False)

    def __repr__(self) -> str:
        """Return its name, and a digest of the code that it runs."""
        text = "\n".join(ast.unparse(routine.node) for routine in self.code.routines)
        digest = hashlib.sha256(text.encode()).hexdigest()[:8]
        return f"<OwnUpdate {self.name}, code {digest}>"

    @property
    def name(self) -> str:
        """Its name on the command line."""
        return self.loaded.name

    @property
    def path(self) -> Path:
        """The file."""
        return self.loaded.path

    def without(self, numbers: frozenset[int]) -> "OwnUpdate":
        """Return the update with more findings mended."""
        return replace(self, gone=self.gone | numbers, drawn=True)

    def with_constant(self, name: str, value: object) -> "OwnUpdate":
        """Return the update with a global number of its file replaced."""
        return replace(self, constants={**self.constants, name: value}, _shared={})

    @property
    def patched(self) -> str:
        """The text of the file with its mended findings."""
        return patched(self.code, [self.findings[n] for n in sorted(self.gone)])

    @cached_property
    def assumptions(self) -> tuple[str, ...]:
        """Assumptions about the update, in sentences."""
        signature, names = self.signature, []
        if signature.dt is None:
            names.append("it has no parameter for the time step and counts frames")
        else:
            unit = {"s": "seconds", "ms": "milliseconds", "frames": "tuned frames"}
            names.append(f"'{signature.dt}' is the time step in {unit[signature.dt_unit]}")
        held = signature.keys or self.keys_name
        names.append(f"'{held}' holds the keys" if held else "it reads no keys")
        state = ", ".join(f"'{name}'" for name in signature.state) or "the file's global names"
        names.append(f"the state is {state}")
        first = self.start_craft
        names.append(f"craft: {', '.join(craft.name for craft in first)}")
        if any(craft.heading is not None for craft in first):
            unit_of = "degrees" if self.degrees == 1.0 else "radians"
            names.append(f"headings are in {unit_of}")
        names.append(f"y grows {'up' if self.declared.y_up else 'down'}")
        return tuple(names)

    @cached_property
    def degrees(self) -> float:
        """Degrees for each unit of the code's heading."""
        unit = self.declared.heading_unit
        if unit is None:
            name = self.declared.heading or r"(?:heading|angle|rotation|rot|facing|theta|direction)"
            converted = re.search(rf"radians\([^()]*\b{name}\b", self.code.text)
            direct = re.search(rf"\b(?:cos|sin|rect)\([^()]*\b{name}\b", self.code.text)
            unit = "rad" if direct and not converted else "deg"
        return 1.0 if unit == "deg" else math.degrees(1.0)

    @cached_property
    def start_craft(self) -> list[Seen]:
        """The craft before the first step; OptionError if there is none."""
        flying = self._begin(())
        with flying.flying():
            states = visible(flying)
            craft = CraftPlaces(self.declared).read(states)
            if not craft:
                raise no_craft(states, self.name)
        return craft

    @cached_property
    def keys_name(self) -> str:
        """Place of the keys, if that is not a parameter; empty without keys."""
        flying = self._begin(())
        with flying.flying():
            return flying.keys_name

    @cached_property
    def watched(self) -> tuple[str, ...]:
        """Paths of values whose changes are events: named ones, scores, lives and the like."""
        flying = self._begin(())
        names = list(self.declared.watch)
        with flying.flying():
            for name, state in visible(flying).items():
                for key, value in members(state) if flying.bench.signature.state else ():
                    words = key.lower().split("_")
                    if is_number(value) and any(word in COUNTED for word in words):
                        names.append(f"{name}.{key}")
        return tuple(dict.fromkeys(names))

    def begin_plain(self) -> Flying:
        """Return a flight of the update before its first step, with its mended findings."""
        return self._begin(self.findings if self.gone or self.drawn else ())

    @property
    def dt_scale(self) -> float:
        """Length of a second in the unit of the update's dt."""
        return {"s": 1.0, "ms": 1000.0, "frames": self.declared.tuned_at}[self.signature.dt_unit]

    def _begin(self, findings: Sequence[Finding], *, profiled: bool = False) -> Flying:
        bench = Bench(self.loaded, self.signature, self.declared, self.wanted)
        key = f"build {bool(findings)} {profiled}"
        if key not in self._shared:
            self._shared[key] = compiled(self.code, findings, str(self.path), profiled=profiled)
        gone = [number in self.gone for number in range(len(findings))]
        return bench.begin(self._shared[key], Switches(gone), self.constants)

    @property
    def wanted(self) -> set[Any]:
        """Keys that the code read and the tape lacks."""
        wanted: set[Any] = self._shared.setdefault("wanted", set())
        return wanted

    @property
    def silent_keys(self) -> tuple[str, ...]:
        """Keys that the code read in any flight and the tape never presses."""
        return tuple(sorted(map(str, self.wanted)))

    def record(
        self,
        scenario: Scenario,
        pacing: Pacing,
        *,
        profiled: bool = False,
        each_step: Callable[[int, Flying], None] | None = None,
    ) -> tuple[Recorded, Flying]:
        """Fly all steps, and return the observations after each.

        Raises
        ------
        UpdateError
            If the update fails; it names the frame, the state and the user's lines.
        FlightError
            If a place is not finite.
        """
        switched = self.findings if self.gone or self.drawn or profiled else ()
        flying = self._begin(switched, profiled=profiled)
        seen = sample_tape(scenario, pacing)
        lengths = (pacing.steps * self.dt_scale).tolist()
        frames = pacing.frame.tolist()
        times = pacing.times.tolist()
        places = CraftPlaces(self.declared)
        recorded = Recorded(watched={name: [] for name in self.watched})
        needed = np.zeros(pacing.steps.size + 1, dtype=bool)
        needed[pacing.done] = True
        if pacing.blend is not None:
            needed[np.maximum(pacing.done - 1, 0)] = True
        wanted = needed.tolist()
        with flying.flying():
            self._see(recorded, places, flying, 0, 0.0)
            inputs = inputs_of(seen, scenario.tape, self.declared, pacing, self.wanted)
            for number, keys in enumerate(inputs):
                frame = frames[number]
                if each_step is not None:
                    each_step(number, flying)
                flying.step(number, keys, lengths[number], frame, times[frame])
                if wanted[number + 1]:
                    self._see(recorded, places, flying, frame, times[frame])
                else:  # a step within a frame, which no picture shows
                    recorded.repeat()
        return recorded, flying

    def _see(
        self, recorded: Recorded, places: CraftPlaces, flying: Flying, frame: int, time: float
    ) -> None:
        states = visible(flying)
        craft_found = places.read(states)
        for craft in craft_found:
            if not abs(craft.x) + abs(craft.y) < BLOWN_UP:
                raise UpdateError(
                    f"{self.name}: '{craft.name}' left the range of finite numbers in frame "
                    f"{frame} at {time:.6g} s: x = {craft.x:g}, y = {craft.y:g}",
                    frame,
                    time,
                )
        recorded.steps.append(craft_found)
        for name, values in recorded.watched.items():
            value = value_at(states, name)
            values.append(float(value) if is_number(value) else math.nan)

    def fly(self, scenario: Scenario, clock: Clock) -> Trajectory:
        """Fly the update by a clock."""
        clock = resolved_clock(scenario, clock)
        pacing = paced(scenario, clock)
        recorded, flying = self.record(scenario, pacing)
        seen = sample_tape(scenario, pacing)
        shape = Shape(pacing, seen.frames, self.arena, self.degrees, self._shared.get("seams"))
        flown = as_frames(recorded, shape)
        if "seams" not in self._shared:
            self._shared["seams"] = flown.seams
        return self._trajectory(scenario, clock, pacing, flown, flying, seen.lost)

    def _trajectory(
        self,
        scenario: Scenario,
        clock: Clock,
        pacing: Pacing,
        flown: Flown,
        flying: Flying,
        lost: Sequence[tuple[float, str]],
    ) -> Trajectory:
        return Trajectory(
            recorded=flown.frames,
            make_events=partial(_with_lost, flown.make_events, lost),
            arena=self.arena,
            title=scenario.title,
            clock=clock.describe(),
            rate=clock.rate or (pacing.times.size - 1) / float(pacing.times[-1]),
            bodies=flown.bodies,
            seams=flown.seams,
            y_up=self.declared.y_up,
            make_doubts=partial(self._doubts, flying.printed.getvalue()),
        )

    def _doubts(self, printed: str) -> list[str]:
        doubts = []
        if self.silent_keys:
            names = ", ".join(f"'{key}'" for key in self.silent_keys[:8])
            doubts.append(f"nothing on the tape presses {names}")
        if printed:
            count = printed.count("\n")
            doubts.append(f"the update printed {count} line{'' if count == 1 else 's'}, left out")
        return doubts

    @cached_property
    def arena(self) -> Arena | None:
        """The declared playfield, or None."""
        size = self.declared.arena
        if size is None:
            return None
        return Arena(width=size[0], height=size[1], y_axis="up" if self.declared.y_up else "down")


def visible(flying: Flying) -> Mapping[str, Any]:
    """Return the state by the names of its parameters, or global names of the file."""
    if flying.bench.signature.state:
        return flying.states
    shown = {
        name: value
        for name, value in flying.space.items()
        if not name.startswith("_") and name != "FLIGHT" and _is_plain(value)
    }
    return {"game": shown}


def _is_plain(value: object) -> bool:
    return not isinstance(value, ModuleType | type) and not callable(value)


def _with_lost(
    make: Callable[[], Mapping[str, Any]], lost: Sequence[tuple[float, str]]
) -> Mapping[str, Any]:
    """Return events with missed taps, sorted by time."""
    events = dict(make())
    if not lost:
        return events
    count = len(lost)
    texts = {"kind": ["lost_tap"] * count, "action": [action for _t, action in lost]}
    joined: dict[str, Any] = {}
    for name, column in events.items():
        if column.dtype.kind == "U":
            more: Any = np.array(texts.get(name, [""] * count), dtype=np.str_)
        elif name == "t":
            more = np.array([t for t, _action in lost])
        elif name in ("count", "frame"):
            more = np.full(count, 1 if name == "count" else 0, dtype=column.dtype)
        else:
            more = np.full(count, np.nan)
        joined[name] = np.concatenate([column, more])
    order = np.argsort(joined["t"], kind="stable")
    return {name: column[order] for name, column in joined.items()}
