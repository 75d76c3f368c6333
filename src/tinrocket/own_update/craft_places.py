"""Where the craft are in a game's state: attributes, keys, vectors, rectangles, complex numbers."""

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from numbers import Number, Real
from types import ModuleType
from typing import Any, NamedTuple

import numpy as np

from tinrocket.errors import OptionError
from tinrocket.own_update.declaration import Declaration

POSITIONS = ("pos", "position", "location", "place", "center", "centre", "xy", "p", "rect")
HEADINGS = ("heading", "angle", "rotation", "rot", "facing", "direction", "theta", "orientation")
DEEPEST = 3
"""So far within the state craft are looked for."""
MOST_CRAFT = 500
Place = tuple[float, float]


class Seen(NamedTuple):
    """One craft in one step.

    Attributes
    ----------
    name, family
        Its name, and the list or mapping that it is in; empty if it is by itself.
    x, y, heading
        Its place, and its heading as the code has it; None if it has none.
    """

    name: str
    family: str
    x: float
    y: float
    heading: float | None


def is_number(value: object) -> bool:
    """Whether a value is a real number, and no truth value."""
    kind = type(value)
    if kind is float or kind is int:
        return True
    return isinstance(value, Real | np.floating | np.integer) and not isinstance(value, bool)


def part(thing: Any, name: str) -> Any:
    """Return an attribute, or the value of a key; None if there is none."""
    if isinstance(thing, Mapping):
        return thing.get(name)
    try:
        return getattr(thing, name, None)
    except Exception:  # a property of the user's that raises
        return None


def members(thing: Any) -> Iterator[tuple[str, Any]]:
    """Yield the attributes or items of an object by name."""
    if isinstance(thing, Mapping):
        yield from ((str(name), value) for name, value in list(thing.items()))
        return
    found = dict(getattr(thing, "__dict__", {}))
    for kind in type(thing).__mro__:
        slots = vars(kind).get("__slots__", ())
        for name in (slots,) if isinstance(slots, str) else slots:
            if hasattr(thing, name):
                found.setdefault(name, getattr(thing, name))
    yield from ((name, value) for name, value in found.items() if not name.startswith("__"))


def _of_vector(value: Any) -> Place | None:
    """Return the two numbers of a vector, a pair, a complex number, or a rectangle's centre."""
    if isinstance(value, complex | np.complexfloating):
        return float(value.real), float(value.imag)
    for names in (("centerx", "centery"), ("x", "y")):
        pair = part(value, names[0]), part(value, names[1])
        if is_number(pair[0]) and is_number(pair[1]):
            return float(pair[0]), float(pair[1])
    several = isinstance(value, Sequence | np.ndarray) and not isinstance(value, str)
    if several and 2 <= len(value) <= 3 and all(is_number(one) for one in value):
        return float(value[0]), float(value[1])
    if isinstance(value, Number) or value is None:
        return None
    try:
        pair = value[0], value[1]
    except Exception:  # whatever an object of the user's raises
        return None
    if is_number(pair[0]) and is_number(pair[1]):
        return float(pair[0]), float(pair[1])
    return None


@dataclass(eq=False)
class CraftPlaces:
    """Finds the craft of a state, and keeps their names from step to step."""

    declared: Declaration
    _numbers: dict[str, dict[int, int]] = field(default_factory=dict)
    _kept: list[Any] = field(default_factory=list)
    _lone: str = ""
    _heading: dict[type, str] = field(default_factory=dict)

    def place_of(self, thing: Any) -> Place | None:
        """Return the place of a craft; None if the object has none."""
        declared = self.declared
        if declared.x and declared.y:
            pair = part(thing, declared.x), part(thing, declared.y)
            return (float(pair[0]), float(pair[1])) if all(map(is_number, pair)) else None
        pair = part(thing, "x"), part(thing, "y")
        if is_number(pair[0]) and is_number(pair[1]):
            return float(pair[0]), float(pair[1])
        for name in POSITIONS:
            value = part(thing, name)
            if value is not None and not callable(value):
                found = _of_vector(value)
                if found is not None:
                    return found
        pair = part(thing, "px"), part(thing, "py")
        if is_number(pair[0]) and is_number(pair[1]):
            return float(pair[0]), float(pair[1])
        return None

    def heading_of(self, thing: Any) -> float | None:
        """Return the heading of a craft, as its code has it."""
        known = self._heading.get(type(thing))
        if known is not None:
            value = getattr(thing, known, None) if known else None
            return value if value is None or is_number(value) else None
        names = (self.declared.heading,) if self.declared.heading else HEADINGS
        for name in names:
            value = part(thing, str(name))
            if is_number(value):
                if not isinstance(thing, Mapping):
                    self._heading[type(thing)] = str(name)
                return float(value)
        if not isinstance(thing, Mapping):
            self._heading[type(thing)] = ""
        return None

    def read(self, states: Mapping[str, Any]) -> list[Seen]:
        """Return all craft of a state, by the names of parameters that hold it."""
        if self.declared.craft:
            return list(self._declared(states))
        if self._lone:  # a state that is one craft with x and y
            state = states[self._lone]
            try:
                x, y = state.x, state.y
            except AttributeError:
                self._lone = ""
            else:
                return [Seen(self._lone, "", x, y, self.heading_of(state))]
        found: list[Seen] = []
        seen: set[int] = set()
        for name, state in states.items():
            found += self._within(state, name, 0, seen)
        if len(states) == 1 and len(found) == 1 and not self.declared.x:
            ((name, state),) = states.items()
            if found[0].name == name and is_number(getattr(state, "x", None)):
                self._lone = name
        return found[:MOST_CRAFT]

    def _declared(self, states: Mapping[str, Any]) -> Iterator[Seen]:
        for name, path in self.declared.craft.items():
            thing = value_at(states, path)
            place = self.place_of(thing) or _of_vector(thing)
            if place is not None:
                yield Seen(name, "", *place, self.heading_of(thing))

    def _within(self, thing: Any, name: str, depth: int, seen: set[int]) -> list[Seen]:
        skipped = str | bytes | type | ModuleType
        if id(thing) in seen or isinstance(thing, skipped) or callable(thing):
            return []
        seen.add(id(thing))
        place = self.place_of(thing)
        if place is not None:
            return [Seen(name, "", *place, self.heading_of(thing))]
        if depth >= DEEPEST or is_number(thing) or thing is None:
            return []
        if isinstance(thing, complex):
            return [Seen(name, "", thing.real, thing.imag, None)]
        if isinstance(thing, np.ndarray):
            if thing.ndim == 1 and thing.size in (2, 3) and depth <= 1:
                return [Seen(name, "", float(thing[0]), float(thing[1]), None)]
            return []
        if isinstance(thing, list | tuple | set):
            return self._listed(list(thing), name)
        found: list[Seen] = []
        pairs: dict[str, dict[str, float]] = {}
        for key, value in members(thing):
            axis = re.fullmatch(r"(\w+)_([xy])", key)
            if axis and is_number(value):
                pairs.setdefault(axis[1], {})[axis[2]] = float(value)
            elif (isinstance(value, Mapping) and depth < DEEPEST - 1) or (
                not is_number(value) and not isinstance(value, str | bool)
            ):
                found += self._within(value, key, depth + 1, seen)
        for key, both in pairs.items():
            if len(both) == 2:
                found.append(Seen(key, "", both["x"], both["y"], None))
        return found

    def _listed(self, things: list[Any], name: str) -> list[Seen]:
        found = []
        for index, thing in enumerate(things):
            place = self.place_of(thing)
            if place is None and not isinstance(thing, list | tuple):
                place = _of_vector(thing) if isinstance(thing, complex | np.ndarray) else None
            if place is not None:
                number = self._number(thing, name, index)
                found.append(Seen(f"{name} {number}", name, *place, self.heading_of(thing)))
        return found

    def _number(self, thing: Any, name: str, index: int) -> int:
        """Return the number of one of several, which it keeps as long as it lives."""
        if isinstance(thing, complex | tuple | np.ndarray):
            return index + 1
        known = self._numbers.setdefault(name, {})
        if id(thing) not in known:
            known[id(thing)] = len(known) + 1
            self._kept.append(thing)  # so that its id is not used again
        return known[id(thing)]


def value_at(states: Mapping[str, Any], path: str) -> Any:
    """Return what is at a path such as ``tug``, ``game.balls[0]`` or ``score``.

    The first name may be left out if there is one state.
    """
    steps = re.findall(r"[^.\[\]]+", path)
    thing: Any = states
    if steps and steps[0] not in states and len(states) == 1:
        thing = next(iter(states.values()))
    for typed in steps:
        step = typed.strip("'\"")
        if isinstance(thing, Sequence) and not isinstance(thing, str) and step.isdigit():
            thing = thing[int(step)] if int(step) < len(thing) else None
        else:
            thing = part(thing, step)
    return thing


def no_craft(states: Mapping[str, Any], name: str) -> OptionError:
    """Return the error that nothing in the state has a place."""
    known = [key for state in states.values() for key, _value in members(state)][:12]
    return OptionError(
        f"{name}: no x and y found in the state; name them with 'x' and 'y', or the craft with "
        f"'craft' (the state has: {', '.join(known) or 'no attributes'})"
    )


Reader = Callable[[Mapping[str, Any]], list[Seen]]
