"""Changing one number of a scenario by its dotted path, such as ``rocket.drag.half_life``.

A path starts with the name of a craft, with a key of the scenario, or with one of its lists and a
name in it: ``contact.ball/bats.restitution``, ``spawner.gates.every``.  Inside a craft it continues
with a key or a rule, by its name, or by its kind if that is unique.  Indices of a list count from
1: ``obstacle.wall.at.2``.
"""

import itertools
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel

from tinrocket.errors import OptionError, Problem, ScenarioError, UnknownNameError, nearest
from tinrocket.scenario.contact import Contact
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.numbers import Model
from tinrocket.scenario.rules import Custom, MotionRule
from tinrocket.scenario.scenario import Scenario

Value = float | int | str | bool
Vary = Mapping[str, Sequence[Value]]


def with_value(scenario: Scenario, path: str, value: Value) -> Scenario:
    """Return the same scenario with one number, name or choice replaced.

    A number in another form (a half-life instead of a share kept) replaces the former one.

    Raises
    ------
    UnknownNameError
        If the path leads nowhere.
    ScenarioError
        If the value is not valid there.

    Examples
    --------
    >>> rocket = tr.with_value(tr.read_demo("rocket"), "rocket.drag.half_life", 0.4)
    >>> rocket.craft[0].rules[2].half_life
    0.4
    """
    if getattr(value, "ndim", None) == 0:  # a NumPy scalar
        value = value.item()  # type: ignore[union-attr]
    if not isinstance(path, str):
        raise UnknownNameError(f"a path is a text such as 'rocket.thrust.accel', not {path!r}")
    own = scenario.with_constant(path, value)
    if own is not None:
        return own
    data = scenario.model_dump()
    model, table, key = _reach(scenario, data, path)
    table[key] = value
    if isinstance(table, dict):
        for other in getattr(model, "replaces", {}).get(key, ()):
            table[other] = None
    try:
        return Scenario.from_data(data)
    except ScenarioError as error:
        problems = [Problem(f"{path}={value}", str(problem)) for problem in error.problems]
        raise ScenarioError(problems) from None


def _reach(scenario: Scenario, data: dict[str, Any], path: str) -> tuple[Any, Any, Any]:
    """Return the target of a path: its owner, the owner's data, and the key or index in it.

    Raises
    ------
    UnknownNameError
        If it leads nowhere.
    """
    model, table, rest = _into_named(scenario, data, path)
    steps = rest.split(".")
    for number, step in enumerate(steps):
        last = number == len(steps) - 1
        inside: Any = step
        if isinstance(table, list):
            inside = _place_in(table, step, path)
            inner = table[inside]
        else:
            inner = _step(table, step, path, scenario, model)
        if isinstance(inner, tuple):  # a copy, to be changed in place
            inner = table[inside] = list(inner)
        if last:
            return model, table, inside
        table = inner
        model = model[inside] if isinstance(model, dict | tuple) else getattr(model, step)
    raise AssertionError(path)


def _place_in(table: Any, step: str, path: str) -> int:
    """Return the index in a list that a step of a path counts from 1."""
    if not step.isdecimal() or not 1 <= int(step) <= len(table):
        raise UnknownNameError(f"{path}: '{step}' is not one of its {len(table)} places, from 1")
    return int(step) - 1


NAMED = ("contact", "obstacle", "condition", "tempo", "spawner", "march")
"""Lists of a scenario with named members."""


def _into_named(scenario: Scenario, data: dict[str, Any], path: str) -> tuple[Any, Any, str]:
    """Return the craft, rule or contact that a path begins with, and its rest."""
    for index, craft in enumerate(scenario.craft):
        if path.startswith(f"{craft.name}."):
            rest = path.removeprefix(f"{craft.name}.")
            return _into_rule(craft, data["craft"][index], rest, path)
    for kind in NAMED:
        if not path.startswith(f"{kind}."):
            continue
        rest = path.removeprefix(f"{kind}.")
        names = [_called(member) for member in getattr(scenario, kind)]
        matching = [n for n, name in enumerate(names) if rest.startswith(f"{name}.")]
        if len(matching) > 1:
            raise UnknownNameError(f"{path}: several go by '{names[matching[0]]}'; give them names")
        if not matching:
            wanted = rest.rpartition(".")[0]
            raise UnknownNameError(f"{path}: there is no {kind} '{wanted}'{nearest(wanted, names)}")
        table = getattr(scenario, kind)[matching[0]]
        return table, data[kind][matching[0]], rest.removeprefix(f"{names[matching[0]]}.")
    return scenario, data, path


def _called(table: Any) -> str:
    """Return the key of a list's member in a path: its name, or the two names of a contact."""
    return str(table.label if isinstance(table, Contact) else table.name)


OWN_NUMBERS = "numbers."
"""Key of the numbers of a user's rule."""


@dataclass(frozen=True, slots=True)
class NumberPath:
    """Target of a path: a key of a craft's start, of one of its rules, or of a contact."""

    craft: int
    rule: int | None
    key: str
    contact: int | None = None

    def owner(self, scenario: Scenario) -> Model:
        """Return the model with the key."""
        if self.contact is not None:
            return scenario.contact[self.contact]
        craft = scenario.craft[self.craft]
        return craft.start if self.rule is None else craft.rules[self.rule]


def number_path(scenario: Scenario, path: str) -> NumberPath | None:
    """Return the target of a path, or None if that is not a key of a start, a rule or a contact.

    Raises
    ------
    UnknownNameError
        If the path leads nowhere.
    """
    for index, craft in enumerate(scenario.craft):
        if not path.startswith(f"{craft.name}."):
            continue
        rest = path.removeprefix(f"{craft.name}.")
        model, table, key = _into_rule(craft, craft.model_dump(), rest, path)
        if isinstance(model, MotionRule) and ("." not in key or key.startswith(OWN_NUMBERS)):
            own = key.removeprefix(OWN_NUMBERS)  # of a user's rule
            _step(table["numbers"] if own != key else table, own, path, scenario, model)
            number = next(n for n, rule in enumerate(craft.rules) if rule is model)
            return NumberPath(index, number, key)
        start, _, key = rest.partition(".")
        if start == "start" and "." not in key:
            _step(craft.start.model_dump(), key, path, scenario, craft.start)
            return NumberPath(index, None, key)
        break
    with_value(scenario, path, _found(scenario, path))
    for index, contact in enumerate(scenario.contact):
        key = path.removeprefix(f"contact.{contact.label}.")
        if key != path and "." not in key:
            return NumberPath(-1, None, key, index)
    return None


def value_at(scenario: Scenario, path: str) -> Any:
    """Return the value at a path, as typed.

    Raises
    ------
    UnknownNameError
        If it leads nowhere.
    """
    constant = scenario.constant(path)
    if constant is not None:
        return constant
    place = number_path(scenario, path)
    if place is None:
        return _found(scenario, path)
    if place.key.startswith(OWN_NUMBERS):
        own: Any = getattr(place.owner(scenario), "own_numbers", {})
        return own[place.key.removeprefix(OWN_NUMBERS)]
    return getattr(place.owner(scenario), place.key)


def _found(scenario: Scenario, path: str) -> Value:
    """Return the value at a path outside of craft."""
    _model, table, key = _reach(scenario, scenario.model_dump(), path)
    value: Value = table[key]
    return value


def _into_rule(
    craft: Craft, table: dict[str, Any], rest: str, path: str
) -> tuple[BaseModel, dict[str, Any], str]:
    for wanted in ("name", "rule"):
        for rule in craft.rules:
            label = getattr(rule, wanted)
            if not label or not rest.startswith(f"{label}."):
                continue
            same = [i for i, other in enumerate(craft.rules) if getattr(other, wanted) == label]
            if len(same) > 1:
                raise UnknownNameError(
                    f"{path}: '{craft.name}' has {len(same)} rules of the kind '{label}'; "
                    f"give them names and use these"
                )
            table_found = table["rules"][same[0]]
            if isinstance(rule, Custom):  # a number with a default can be varied too
                table_found["numbers"] = rule.own_numbers
            return rule, table_found, rest.removeprefix(f"{label}.")
    return craft, table, rest


def _step(table: object, step: str, path: str, scenario: Scenario, model: Any) -> Any:
    if not isinstance(table, dict):
        raise UnknownNameError(f"{path}: there is nothing that has a '{step}'")
    known = [key for key in table if not _goes_by_names(key, table[key])]
    if step in known:
        return table[step]
    if isinstance(model, Craft):
        known += [rule.label for rule in model.rules]
    elif model is scenario:
        known += [craft.name for craft in scenario.craft]
        known += [kind for kind in NAMED if getattr(scenario, kind)]
    raise UnknownNameError(f"{path}: there is no '{step}'{nearest(step, known)}")


def _goes_by_names(key: str, value: object) -> bool:
    """Return whether the members of a list are found by name, not by index."""
    named = key in ("craft", "rules", *NAMED) and isinstance(value, list | tuple)
    return named and any(isinstance(member, dict) for member in value)  # type: ignore[attr-defined]


def combinations(
    scenario: Scenario, vary: Vary | None
) -> Iterator[tuple[dict[str, Value], Scenario]]:
    """Yield the changes, and the changed scenario, for every combination of the values.

    Without paths, yield the scenario itself.

    Raises
    ------
    OptionError
        If a path has no values.
    """
    lists = values_of({} if vary is None else vary)
    for path, values in lists.items():
        if len(values) == 0:
            raise OptionError(f"{path}: give at least one value to vary it over")
    for values in itertools.product(*lists.values()):
        chosen = dict(zip(lists, values, strict=True))
        variant = scenario
        for path, value in chosen.items():
            variant = with_value(variant, path, value)
        yield chosen, variant


def values_of(vary: Vary) -> dict[str, Sequence[Value]]:
    """Return the values to try for each path; a single value is a list of one.

    Raises
    ------
    OptionError
        If it is something else than paths with values.
    """
    written: object = vary
    if not isinstance(written, Mapping) or not all(isinstance(path, str) for path in written):
        example = "{'rocket.drag.keep': [0.98, 0.99]}"
        raise OptionError(f"what to vary is a dict of paths and values, such as {example}")
    return {path: _several(values, path) for path, values in written.items()}


def _several(values: Sequence[Value] | Value, path: str) -> Sequence[Value]:
    if isinstance(values, str | int | float):
        return (values,)
    if not hasattr(values, "__len__") or isinstance(values, bytes | Mapping):
        raise OptionError(f"{path}: give a list of values to vary it over, not {values!r}")
    return values


def label(chosen: Mapping[str, Value]) -> str:
    """Return the changes as ``path=value, path=value``."""
    return ", ".join(f"{path}={_shown(value)}" for path, value in chosen.items())


def _shown(value: Value) -> str:
    return f"{value:g}" if isinstance(value, float) else str(value)


def parse_vary(texts: Sequence[str]) -> dict[str, list[Value]]:
    """Read ``PATH=VALUE,VALUE`` texts, as typed on the command line.

    Raises
    ------
    OptionError
        If a text has no path or no values, or names a path twice.
    """
    vary: dict[str, list[Value]] = {}
    for text in texts:
        path, equals, values = text.rpartition("=")
        if not equals or not path or not all(values.split(",")):
            raise OptionError(
                f"'{text}' must look like rocket.drag.half_life=0.4,0.8 or =0.4:0.8:5"
            )
        if path in vary:
            raise OptionError(f"'{path}' is varied twice; give all its values in one list")
        vary[path] = [
            number for value in values.split(",") for number in _values(value.strip(), text)
        ]
    return vary


MOST_IN_RANGE = 10_000
"""Most values of a range."""


def _values(text: str, whole: str) -> list[Value]:
    """Read a value, or a range ``FROM:TO:COUNT`` of evenly spaced ones."""
    if text.count(":") != 2:
        return [_value(text)]
    try:
        begin, end, count = (
            kind(part) for kind, part in zip((float, float, int), text.split(":"), strict=True)
        )
    except ValueError:
        raise OptionError(f"'{whole}': a range looks like 0.9:0.99:5, from, to, how many") from None
    if not 2 <= count <= MOST_IN_RANGE:
        raise OptionError(f"'{whole}': a range has 2 to {MOST_IN_RANGE:,} values, not {count}")
    return [begin + (end - begin) * n / (count - 1) for n in range(count)]


def _value(text: str) -> Value:
    for kind in (int, float):
        try:
            return kind(text)
        except ValueError:
            continue
    return text
