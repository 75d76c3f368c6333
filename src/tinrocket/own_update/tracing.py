"""Traces of an update function: its craft after each statement that changed a lasting value."""

import math
import sys
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import partial
from types import FrameType
from typing import Any

import numpy as np
import pandas as pd

from tinrocket.errors import OptionError, UnknownNameError, nearest
from tinrocket.flight.sampled_tape import sample_tape
from tinrocket.limits import SIDE_BY_SIDE, most
from tinrocket.motion.signals import Raw
from tinrocket.own_update.craft_places import CraftPlaces, Seen
from tinrocket.own_update.flying import Flying, inputs_of
from tinrocket.own_update.own_scenario import OwnScenario
from tinrocket.own_update.state_values import is_number, members, part
from tinrocket.own_update.update import visible
from tinrocket.scenario.clock import Clock
from tinrocket.trajectory.clocks import paced

DEEPEST = 4
MOST_VALUES = 2_000
"""Most numbers of a state that are watched for changes."""


def trace_update(
    scenario: OwnScenario,
    clock: Clock,
    craft: str | None,
    since: float,
    until: float,
    *,
    each_rule: bool,
) -> pd.DataFrame:
    """Fly an update and return a row at each frame's begin and end, or after each statement.

    Parameters
    ----------
    since, until
        Frames that begin in this span of time [s].
    each_rule
        Whether there is a row after each statement that changed a lasting value.

    Returns
    -------
    pandas.DataFrame
        frame, step, t [s], craft, after ("begin", "line 12" or "update"), x, y, vx, vy, speed,
        heading in the code's units, changed (values that the statement changed), ``in.<action>``,
        events.

    Raises
    ------
    OptionError
        If there are too many rows.
    UnknownNameError
        If there is no such craft.
    """
    own, pacing = scenario.own, paced(scenario, clock)
    names = [member.name for member in own.start_craft]
    if craft is not None and craft not in names:
        raise UnknownNameError(f"there is no craft '{craft}'{nearest(craft, names)}")
    inside = (pacing.begins >= since - 1e-9) & (pacing.begins < until - 1e-9)
    wanted = np.flatnonzero(inside)
    if wanted.size * len(names) > most(SIDE_BY_SIDE):
        raise OptionError(
            f"a trace of {wanted.size:,} steps is too long; choose a part with since and until"
        )
    if not wanted.size:
        return pd.DataFrame()
    seen = sample_tape(scenario, pacing)
    flying = own.begin_plain()
    writer = _Writer(flying, CraftPlaces(own.declared), craft, own.degrees)
    scale = own.dt_scale
    with flying.flying():
        inputs = inputs_of(seen, scenario.tape, own.declared, pacing, set())
        for number, keys in zip(range(int(wanted[-1]) + 1), inputs, strict=False):
            frame, begin = int(pacing.frame[number]), float(pacing.begins[number])
            about: dict[str, Any] = {"frame": frame, "step": number, "t": begin}
            inputs_now = {
                f"in.{action}": float(seen.steps[Raw(action)][number])
                for action in scenario.actions
            }
            step = (number, keys, float(pacing.steps[number]) * scale, frame, begin)
            if number < wanted[0]:
                flying.step(*step)
            else:
                writer.take(about, inputs_now, partial(flying.step, *step), each_rule)
    return pd.DataFrame(writer.rows)


@dataclass(eq=False)
class _Writer:
    """Builder of rows of changes by statements."""

    flying: Flying
    places: CraftPlaces
    craft: str | None
    degrees: float
    rows: list[dict[str, Any]] = field(default_factory=list)
    _before: dict[str, float] = field(default_factory=dict)
    _last: int = 0

    def take(
        self,
        about: Mapping[str, Any],
        inputs: Mapping[str, float],
        step: Callable[[], None],
        each_rule: bool,
    ) -> None:
        """Take a step, and write its rows."""
        if not each_rule:
            step()
            self._write(about, inputs, "update", "")
            return
        self._write(about, inputs, "begin", "")
        self._before = self._values()
        path, known = str(self.flying.bench.loaded.path), sys.gettrace()

        def local(frame: FrameType, event: str, _argument: Any) -> Any:
            if event in ("line", "return"):
                self._look(about, inputs)
                self._last = frame.f_lineno
            return local

        def called(frame: FrameType, _event: str, _argument: Any) -> Any:
            if frame.f_code.co_filename != path:
                return None
            self._look(about, inputs)
            self._last = frame.f_lineno
            return local

        sys.settrace(called)
        try:
            step()
        finally:
            sys.settrace(known)
        self._look(about, inputs)

    def _look(self, about: Mapping[str, Any], inputs: Mapping[str, float]) -> None:
        """Write a row if the last statement changed anything."""
        now = self._values()
        if now == self._before:
            return
        changes = [
            f"{name} {self._before[name]:.6g} -> {value:.6g}"
            if name in self._before
            else f"{name} = {value:.6g}"
            for name, value in now.items()
            if self._before.get(name) != value
        ]
        changes += [f"{name} is gone" for name in self._before if name not in now]
        self._before = now
        self._write(about, inputs, f"line {self._last}", "; ".join(changes[:4]))

    def _write(
        self, about: Mapping[str, Any], inputs: Mapping[str, float], after: str, changed: str
    ) -> None:
        for seen in self.places.read(visible(self.flying)):
            if self.craft is not None and seen.name != self.craft:
                continue
            self.rows.append(
                {**about, "craft": seen.name, "after": after, **self._numbers(seen)}
                | {"changed": changed, **inputs, "events": ""}
            )

    def _numbers(self, seen: Seen) -> dict[str, float]:
        velocity = [math.nan, math.nan]
        thing = self._thing(seen)
        if thing is not None:
            for names in (("vx", "vy"), ("dx", "dy")):
                places = [part(thing, name) for name in names]
                if all(map(is_number, places)):
                    velocity = [float(value) for value in places]
                    break
        heading = math.nan if seen.heading is None else seen.heading * self.degrees
        return {
            "x": seen.x,
            "y": seen.y,
            "vx": velocity[0],
            "vy": velocity[1],
            "speed": math.hypot(*velocity),
            "heading": heading,
        }

    def _thing(self, seen: Seen) -> Any:
        """Return the object of a craft outside of lists, or None."""
        states = visible(self.flying)
        if seen.name in states:
            return states[seen.name]
        things = [part(state, seen.name) for state in states.values()]
        return next((thing for thing in things if thing is not None), None)

    def _values(self) -> dict[str, float]:
        """Return all numbers of the state by their paths."""
        numbers: dict[str, float] = {}
        seen: set[int] = set()
        for name, state in visible(self.flying).items():
            _collect(state, name, 0, numbers, seen)
        return numbers


def _collect(thing: Any, path: str, depth: int, numbers: dict[str, float], seen: set[int]) -> None:
    if len(numbers) >= MOST_VALUES:
        return
    if is_number(thing) or isinstance(thing, bool):
        numbers[path] = float(thing)
        return
    if isinstance(thing, complex):
        numbers[f"{path}.real"], numbers[f"{path}.imag"] = thing.real, thing.imag
        return
    if depth > DEEPEST or id(thing) in seen or thing is None or isinstance(thing, str | type):
        return
    if callable(thing):
        return
    seen.add(id(thing))
    if isinstance(thing, list | tuple | np.ndarray):
        for number, member in enumerate(list(thing)):
            _collect(member, f"{path}[{number}]", depth + 1, numbers, seen)
        return
    for name, value in members(thing):
        _collect(value, f"{path}.{name}", depth + 1, numbers, seen)
