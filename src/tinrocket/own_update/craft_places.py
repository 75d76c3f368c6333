"""The craft in a game's state: found once, and read in each step."""

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from operator import attrgetter
from types import ModuleType
from typing import Any, Literal, NamedTuple

import numpy as np

from tinrocket.errors import OptionError
from tinrocket.own_update.declaration import Declaration
from tinrocket.own_update.state_values import (
    Place,
    is_number,
    members,
    of_vector,
    part,
    value_at,
)

POSITIONS = (
    *("pos", "position", "location", "place", "center", "centre", "xy", "p", "rect"),
    *("positions", "points", "places", "locations", "xys"),
)
HEADINGS = ("heading", "angle", "rotation", "rot", "facing", "direction", "theta", "orientation")
DEEPEST = 3
"""Depth to which the state is searched for craft."""
MOST_CRAFT = 500
LEAF = str | bytes | bool | type | ModuleType
"""Types that are not searched for craft."""


class Seen(NamedTuple):
    """One craft in one step.

    Attributes
    ----------
    name, family
        Its name, and the list or mapping that holds it; empty if none does.
    x, y, heading
        Its place, and its heading in the code's unit; None if it has none.
    """

    name: str
    family: str
    x: float
    y: float
    heading: float | None


class _Entry(NamedTuple):
    """One craft of a state, a list of craft, or a place in which one may appear.

    Attributes
    ----------
    name
        Name of the craft, or of the list.
    path
        Attributes or keys that lead to it, from the name of the parameter on.
    kind
        ``one``, ``list``, ``pair`` (attributes such as ``bat_x`` and ``bat_y``), ``vector``,
        ``rows`` of an array, or ``none`` for a value that is None at first.
    """

    name: str
    path: tuple[str, ...]
    kind: Literal["one", "list", "pair", "vector", "rows", "none"]


Reader = Callable[[Any], tuple[Any, Any]]


@dataclass(eq=False)
class CraftPlaces:
    """Finds the craft of a state, and keeps their names from step to step."""

    declared: Declaration
    _entries: list[_Entry] | None = None
    _readers: dict[type, Reader] = field(default_factory=dict)
    _headings: dict[type, str] = field(default_factory=dict)
    _numbers: dict[str, dict[int, int]] = field(default_factory=dict)
    _kept: list[Any] = field(default_factory=list)

    def read(self, states: Mapping[str, Any]) -> list[Seen]:
        """Return all craft of a state, by the names of parameters that hold it."""
        if self.declared.craft:
            return list(self._declared(states))
        if self._entries is None:
            self._entries = list(self._find(states))
        craft: list[Seen] = []
        for entry in self._entries:
            thing = _at(states, entry.path)
            if entry.kind == "one":
                place = self.place_of(thing)
                if place is not None:
                    craft.append(Seen(entry.name, "", *place, self.heading_of(thing)))
            elif entry.kind == "list":
                craft += self._listed(thing, entry.name)
            elif entry.kind == "pair":
                place = part(thing, f"{entry.name}_x"), part(thing, f"{entry.name}_y")
                if all(map(is_number, place)):
                    craft.append(Seen(entry.name, "", *place, None))
            elif entry.kind == "vector":
                place = of_vector(thing)
                if place is not None:
                    craft.append(Seen(entry.name, "", *place, None))
            elif entry.kind == "rows":
                for number, row in enumerate(thing[:MOST_CRAFT], start=1):
                    name = f"{entry.name} {number}"
                    craft.append(Seen(name, "", float(row[0]), float(row[1]), None))
            elif thing is not None:  # something has appeared: search again
                self._entries = None
                return self.read(states)
        return craft[:MOST_CRAFT]

    # --- finding ------------------------------------------------------------------------------

    def _find(self, states: Mapping[str, Any]) -> Iterator[_Entry]:
        seen: set[int] = set()
        for name, state in states.items():
            yield from self._within(state, name, (name,), seen)

    def _within(
        self, thing: Any, name: str, path: tuple[str, ...], seen: set[int]
    ) -> Iterator[_Entry]:
        if thing is None:
            yield _Entry(name, path, "none")
            return
        if is_number(thing) or isinstance(thing, LEAF) or callable(thing) or id(thing) in seen:
            return
        seen.add(id(thing))
        if isinstance(thing, complex | np.ndarray):
            if len(path) == 1 or name in POSITIONS:
                yield from _of_array(thing, name, path)
        elif isinstance(thing, list | tuple | set):
            if not any(is_number(member) or isinstance(member, LEAF) for member in thing):
                yield _Entry(name, path, "list")
        elif self._place(thing) is not None:
            yield _Entry(name, path, "one")
            for key, value in members(thing):  # a craft may hold a list of others, such as shots
                if isinstance(value, list | set):
                    yield from self._within(value, key, (*path, key), seen)
        elif len(path) <= DEEPEST:
            axes: dict[str, set[str]] = {}
            for key, value in members(thing):
                axis = re.fullmatch(r"(\w+)_([xy])", key)
                if axis and is_number(value):
                    axes.setdefault(axis[1], set()).add(axis[2])
                else:
                    yield from self._within(value, key, (*path, key), seen)
            for key, both in axes.items():
                if len(both) == 2:
                    yield _Entry(key, path, "pair")

    def _declared(self, states: Mapping[str, Any]) -> Iterator[Seen]:
        for name, path in self.declared.craft.items():
            thing = value_at(states, path)
            place = self.place_of(thing) or of_vector(thing)
            if place is not None:
                yield Seen(name, "", *place, self.heading_of(thing))

    # --- reading ------------------------------------------------------------------------------

    def place_of(self, thing: Any) -> Place | None:
        """Return the place of a craft; None if the object has none."""
        reader = self._readers.get(type(thing))
        if reader is not None:
            try:
                place = reader(thing)
            except (AttributeError, TypeError):
                return None
            return place if is_number(place[0]) and is_number(place[1]) else None
        return self._place(thing)

    def _place(self, thing: Any) -> Place | None:
        """Return the place of a craft, and cache how places of its type are read."""
        declared = self.declared
        names = [("x", "y"), ("px", "py")]
        if declared.x and declared.y:
            names = [(declared.x, declared.y)]
        for number, (x, y) in enumerate(names):
            pair = part(thing, x), part(thing, y)
            if is_number(pair[0]) and is_number(pair[1]):
                if not isinstance(thing, Mapping):
                    self._readers[type(thing)] = attrgetter(x, y)
                return float(pair[0]), float(pair[1])
            if number == 0 and not declared.x:
                place = self._position(thing)
                if place is not None:
                    return place
        return None

    def _position(self, thing: Any) -> Place | None:
        """Return the place of a craft that has it as a vector."""
        for name in POSITIONS:
            value = part(thing, name)
            if value is None or callable(value):
                continue
            components = of_vector(value)
            if components is None:
                continue
            inner = part(value, "x"), part(value, "y")
            plain = not isinstance(value, Mapping) and not hasattr(value, "centerx")
            if not isinstance(thing, Mapping) and plain and all(map(is_number, inner)):
                self._readers[type(thing)] = attrgetter(f"{name}.x", f"{name}.y")
            return components
        return None

    def heading_of(self, thing: Any) -> float | None:
        """Return the heading of a craft, in the code's unit."""
        known = self._headings.get(type(thing))
        if known is not None:
            value = getattr(thing, known, None) if known else None
            return value if value is None or is_number(value) else None
        names = (self.declared.heading,) if self.declared.heading else HEADINGS
        heading = next((str(name) for name in names if is_number(part(thing, str(name)))), "")
        if not isinstance(thing, Mapping):
            self._headings[type(thing)] = heading
        return float(part(thing, heading)) if heading else None

    def _listed(self, things: Any, name: str) -> list[Seen]:
        names = []
        for index, thing in enumerate(list(things) if things is not None else ()):
            place = self.place_of(thing)
            if place is None and isinstance(thing, complex | np.ndarray):
                place = of_vector(thing)
            if place is not None:
                number = self._number(thing, name, index)
                names.append(Seen(f"{name} {number}", name, *place, self.heading_of(thing)))
        return names

    def _number(self, thing: Any, name: str, index: int) -> int:
        """Return the number of a member, which is constant during its life."""
        if isinstance(thing, complex | tuple | np.ndarray):
            return index + 1
        known = self._numbers.setdefault(name, {})
        if id(thing) not in known:
            known[id(thing)] = len(known) + 1
            self._kept.append(thing)  # keep it alive, so that its id is not reused
        return known[id(thing)]


def _of_array(thing: Any, name: str, path: tuple[str, ...]) -> Iterator[_Entry]:
    """Yield a vector, or the rows of an array of vectors."""
    if isinstance(thing, complex) or (thing.ndim == 1 and thing.size in (2, 3)):
        yield _Entry(name, path, "vector")
    elif thing.ndim == 2 and thing.shape[1] in (2, 3):
        yield _Entry(name, path, "rows")


def _at(states: Mapping[str, Any], path: tuple[str, ...]) -> Any:
    thing = states[path[0]]
    for name in path[1:]:
        thing = part(thing, name)
    return thing


def no_craft(states: Mapping[str, Any], name: str) -> OptionError:
    """Return the error that nothing in the state has a position."""
    known = [key for state in states.values() for key, _value in members(state)][:12]
    return OptionError(
        f"{name}: no x and y found in the state; name them with 'x' and 'y', or the craft with "
        f"'craft' (the state has: {', '.join(known) or 'no attributes'})"
    )
