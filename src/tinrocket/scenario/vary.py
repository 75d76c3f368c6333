"""Changing one number of a scenario by its dotted path, such as ``rocket.drag.half_life``.

A path starts with the name of a craft or with a key of the scenario.  Inside a craft it
goes on with a key or with a rule, by its name, or by its kind if there is one of a kind.
"""

import itertools
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel

from tinrocket.errors import OptionError, Problem, ScenarioError, UnknownNameError, nearest
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.numbers import Model
from tinrocket.scenario.rules import Custom, MotionRule
from tinrocket.scenario.scenario import Scenario

Value = float | int | str | bool
Vary = Mapping[str, Sequence[Value]]


def with_value(scenario: Scenario, path: str, value: Value) -> Scenario:
    """Return the same scenario with one number, name or choice replaced.

    Entering a number in another form (a half-life where there was a fraction kept)
    replaces the form that was there.

    Raises
    ------
    UnknownNameError
        If the path leads nowhere.
    ScenarioError
        If the value does not fit there.
    """
    value = value.item() if hasattr(value, "item") else value  # a number of NumPy's
    data = scenario.model_dump()
    model: Any = scenario
    table, rest = data, path
    for index, craft in enumerate(scenario.craft):
        if path.startswith(f"{craft.name}."):
            model, table, rest = craft, data["craft"][index], path.removeprefix(f"{craft.name}.")
            model, table, rest = _into_rule(craft, table, rest, path)
            break
    *inner, key = rest.split(".")
    for step in inner:
        table = _step(table, step, path, scenario, model)
        model = model[step] if isinstance(model, dict) else getattr(model, step)
    _step(table, key, path, scenario, model)
    table[key] = value
    for other in getattr(model, "replaces", {}).get(key, ()):
        table[other] = None
    try:
        return Scenario.from_data(data)
    except ScenarioError as error:
        problems = [Problem(f"{path}={value}", str(problem)) for problem in error.problems]
        raise ScenarioError(problems) from None


OWN_NUMBERS = "numbers."
"""Where a rule of the user's keeps its numbers."""


@dataclass(frozen=True, slots=True)
class NumberPath:
    """Where a path leads: to a key of a craft's start, or of one of its rules."""

    craft: int
    rule: int | None
    key: str

    def owner(self, scenario: Scenario) -> Model:
        """Return what has the key."""
        craft = scenario.craft[self.craft]
        return craft.start if self.rule is None else craft.rules[self.rule]


def number_path(scenario: Scenario, path: str) -> NumberPath | None:
    """Return where a path leads, or None if that is no key of a craft's start or rules.

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
            own = key.removeprefix(OWN_NUMBERS)  # of a rule of the user's
            _step(table["numbers"] if own != key else table, own, path, scenario, model)
            number = next(n for n, rule in enumerate(craft.rules) if rule is model)
            return NumberPath(index, number, key)
        start, _, key = rest.partition(".")
        if start == "start" and "." not in key:
            _step(craft.start.model_dump(), key, path, scenario, craft.start)
            return NumberPath(index, None, key)
        break
    with_value(scenario, path, _found(scenario, path))
    return None


def _found(scenario: Scenario, path: str) -> Value:
    """Return what stands at a path that is no number of a craft."""
    found: Any = scenario.model_dump()
    craft = next((one for one in scenario.craft if path.startswith(f"{one.name}.")), None)
    if craft is not None:
        found, path = craft.model_dump(), path.removeprefix(f"{craft.name}.")
    for step in path.split("."):
        found = found.get(step) if isinstance(found, dict) else None
    value: Value = found
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
            found = table["rules"][same[0]]
            if isinstance(rule, Custom):  # a number with a default is there to be varied too
                found["numbers"] = rule.own_numbers
            return rule, found, rest.removeprefix(f"{label}.")
    return craft, table, rest


def _step(table: dict[str, Any], step: str, path: str, scenario: Scenario, model: Any) -> Any:
    if table is None:
        raise UnknownNameError(f"{path}: there is nothing that has a '{step}'")
    if step in table and not isinstance(table[step], list | tuple):
        return table[step]
    known = [key for key in table if not isinstance(table[key], list | tuple)]
    if isinstance(model, Craft):
        known += [rule.label for rule in model.rules]
    elif model is scenario:
        known += [craft.name for craft in scenario.craft]
    raise UnknownNameError(f"{path}: there is no '{step}'{nearest(step, known)}")


def combinations(
    scenario: Scenario, vary: Vary | None
) -> Iterator[tuple[dict[str, Value], Scenario]]:
    """Yield what was changed, and the scenario with it, for every combination of the values.

    Without anything to vary, the scenario itself.

    Raises
    ------
    OptionError
        If a path has no values.
    """
    vary = vary or {}
    for path, values in vary.items():
        if len(values) == 0:
            raise OptionError(f"{path}: give at least one value to vary it over")
    for values in itertools.product(*vary.values()):
        chosen = dict(zip(vary, values, strict=True))
        variant = scenario
        for path, value in chosen.items():
            variant = with_value(variant, path, value)
        yield chosen, variant


def label(chosen: Mapping[str, Value]) -> str:
    """Return what was changed as ``path=value, path=value``."""
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
            raise OptionError(f"'{text}' must look like rocket.drag.half_life=0.4,0.8")
        if path in vary:
            raise OptionError(f"'{path}' is varied twice; give all its values in one list")
        vary[path] = [_value(value.strip()) for value in values.split(",")]
    return vary


def _value(text: str) -> Value:
    for kind in (int, float):
        try:
            return kind(text)
        except ValueError:
            continue
    return text
