"""Values of a game's state: attributes, keys, vectors, complex numbers, and paths to them."""

import re
from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache
from numbers import Number, Real
from typing import Any

import numpy as np

Place = tuple[float, float]


def is_number(value: object) -> bool:
    """Return whether a value is a real number, and not a truth value."""
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
    except Exception:  # the user's property may raise anything
        return None


def members(thing: Any) -> Iterator[tuple[str, Any]]:
    """Yield the attributes or items of an object by name."""
    if isinstance(thing, Mapping):
        yield from ((str(name), value) for name, value in list(thing.items()))
        return
    attributes = dict(getattr(thing, "__dict__", {}))
    for kind in type(thing).__mro__:
        slots = vars(kind).get("__slots__", ())
        for name in (slots,) if isinstance(slots, str) else slots:
            if hasattr(thing, name):
                attributes.setdefault(name, getattr(thing, name))
    yield from ((name, value) for name, value in attributes.items() if not name.startswith("__"))


def of_vector(value: Any) -> Place | None:
    """Return the two numbers of a vector, a pair, a complex number, or a rectangle's centre."""
    if isinstance(value, complex | np.complexfloating):
        return float(value.real), float(value.imag)
    for names in (("centerx", "centery"), ("x", "y")):
        pair = part(value, names[0]), part(value, names[1])
        if is_number(pair[0]) and is_number(pair[1]):
            return float(pair[0]), float(pair[1])
    several = isinstance(value, Sequence | np.ndarray) and not isinstance(value, str)
    if several and 2 <= len(value) <= 3 and all(is_number(number) for number in value):
        return float(value[0]), float(value[1])
    if isinstance(value, Number) or value is None:
        return None
    try:
        pair = value[0], value[1]
    except Exception:  # the user's object may raise anything
        return None
    if is_number(pair[0]) and is_number(pair[1]):
        return float(pair[0]), float(pair[1])
    return None


def value_at(states: Mapping[str, Any], path: str) -> Any:
    """Return the value at a path such as ``tug``, ``game.balls[0]`` or ``score``.

    The first name may be left out if there is one state.
    """
    steps = _steps(path)
    thing: Any = states
    if steps and steps[0] not in states and len(states) == 1:
        thing = next(iter(states.values()))
    for step in steps:
        if isinstance(thing, Sequence) and not isinstance(thing, str) and step.isdigit():
            thing = thing[int(step)] if int(step) < len(thing) else None
        else:
            thing = part(thing, step)
    return thing


@lru_cache(maxsize=256)
def _steps(path: str) -> tuple[str, ...]:
    return tuple(step.strip("'\"") for step in re.findall(r"[^.\[\]]+", path))
