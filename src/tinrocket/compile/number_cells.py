"""Cells that a number decides, by its path: for sweeps, and for numbers that change in flight.

A rule is bound again with its new number, or with a column of them, and the result is
written into the plan's cells; no scenario is built for a variant.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from numbers import Real
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tinrocket.compile.bound_craft import bound_rule, context_of, signature
from tinrocket.compile.contact_tables import RANDOM_SIZES, contact_numbers, outcome_numbers
from tinrocket.compile.lower_craft import start_fields
from tinrocket.compile.memory import Place
from tinrocket.compile.plan import Plan
from tinrocket.compile.ramp_table import changing
from tinrocket.errors import OptionError
from tinrocket.motion import binding
from tinrocket.motion.amounts import Amount
from tinrocket.motion.ramped import Traced
from tinrocket.motion.scaling import PLAIN
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.numbers import Model, quantity
from tinrocket.scenario.rules import MotionRule
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.vary import OWN_NUMBERS, NumberPath, Value, number_path, with_value


@dataclass(frozen=True, slots=True, eq=False)
class Cells:
    """A field of a record in a plan's memory and what goes into it: a value, or one per variant."""

    place: Place
    index: int
    field: str
    values: Amount

    @property
    def cell(self) -> int:
        """Its cell in memory."""
        return self.place.cell_of(self.index, self.field)


def cells_of(plan: Plan, vary: Mapping[str, Value | NDArray[Any]]) -> list[Cells]:
    """Return the cells to write for numbers, or columns of them, by their paths.

    Raises
    ------
    OptionError
        If a path is not a number of a craft's start or rules, or changes more than numbers.
    UnknownNameError, ScenarioError
        If a path does not exist, or a value does not fit.
    """
    scenario, cells = plan.scenario, []
    changes: dict[tuple[int, int | None, int | None], dict[str, Any]] = {}
    for path, values in vary.items():
        place = number_path(scenario, path)
        if place is None or not _counts(place, scenario):
            raise OptionError(
                f"{path}: a sweep varies the numbers of a craft's start and rules, and of "
                f"contacts; to vary anything else, use compare"
            )
        changes_by_itself = changing(scenario).get((place.craft, place.rule or 0))
        if place.rule is not None and changes_by_itself is not None:
            raise OptionError(
                f"{path}: '{changes_by_itself}' of this rule changes as the game goes on; "
                f"to vary its numbers, use compare"
            )
        _check(scenario, path, values)
        which = (place.craft, place.rule, place.contact)
        changes.setdefault(which, {})[place.key] = values
    for (craft, rule, contact), keys in changes.items():
        cells += place_cells(plan, NumberPath(craft, rule, "", contact), keys)
    return cells


def place_cells(plan: Plan, place: NumberPath, keys: Mapping[str, Any]) -> list[Cells]:
    """Return the cells to write for other numbers of a rule, a start or a contact.

    The numbers, by their keys, are not validated.


    Raises
    ------
    OptionError
        If these decide more than numbers.
    """
    if place.contact is not None:
        return contact_cells(plan, place.contact, keys)
    if place.rule is not None:
        return rule_cells(plan, place.craft, place.rule, keys)
    return start_cells(plan, place.craft, keys)


def _counts(place: NumberPath, scenario: Scenario) -> bool:
    """Return whether a path leads to a number, and not to a choice, name or seed."""
    if place.key.startswith(OWN_NUMBERS):
        return True
    field = type(place.owner(scenario)).model_fields[place.key]
    return quantity(field.annotation, *field.metadata) is not None


def _check(scenario: Scenario, path: str, values: Any) -> None:
    """Refuse values that do not fit, in the words of a scenario.

    Valid numbers form a range, whole or not, so of many values the outermost and one with a
    fraction decide for all; texts, such as spans with their units, are validated one by one.
    """
    outermost = {values} if not isinstance(values, np.ndarray) else _telling(values)
    for value in outermost:
        with_value(scenario, path, value)


def _telling(values: NDArray[Any]) -> set[Value]:
    """Return the values among many whose validity implies that of all."""
    if values.dtype.kind not in "fiu":
        return set(values.tolist())
    kinds = (values[~np.isfinite(values)], values[values != np.floor(values)])
    return {
        values.min().item(),
        values.max().item(),
        *(kind[0].item() for kind in kinds if kind.size),
    }


def _with_keys(model: Model, keys: Mapping[str, Any]) -> Any:
    """Return a model with some fields replaced, by columns too, and their other forms dropped."""
    update = {other: None for key in keys for other in getattr(model, "replaces", {}).get(key, ())}
    plain = {
        key: values.astype(float) if _is_numeric(values) else values for key, values in keys.items()
    }
    own = {key.removeprefix(OWN_NUMBERS): plain.pop(key) for key in keys if OWN_NUMBERS in key}
    if own:
        plain["numbers"] = getattr(model, "numbers", {}) | own
    return model.replaced(**(update | plain))


def _is_numeric(values: Any) -> bool:
    return isinstance(values, np.ndarray) and values.dtype.kind in "iu"


def start_cells(plan: Plan, craft: int, keys: Mapping[str, Any]) -> list[Cells]:
    """Return the cells to write for another start of a craft, by its keys."""
    scenario = plan.scenario.in_one_unit()
    context = context_of(scenario, scenario.craft[craft])
    written, first = scenario.craft[craft], scenario.fleet.firsts[craft]
    before = start_fields(written.start, context)
    after = start_fields(_with_keys(written.start, keys), context)
    changed = {name: value for name, value in after.items() if _differs(value, before[name])}
    cells = []
    for number, place in enumerate(written.places, start=first):
        apart = dict(zip(AXES, place, strict=True))
        for name, value in changed.items():
            # each member of a grid keeps its distance from the first
            mine = value + (apart[name] - before[name]) if name in apart else value
            cells += [Cells(rows, number, name, mine) for rows in (plan.bodies, plan.starts)]
    return cells


def _differs(value: Any, before: Amount) -> bool:
    return isinstance(value, Traced) or bool(np.ndim(value)) or value != before


def contact_cells(plan: Plan, contact: int, keys: Mapping[str, Any]) -> list[Cells]:
    """Return the cells to write for other numbers of a contact, by its keys.

    Raises
    ------
    OptionError
        If these decide more than numbers.
    """
    written = plan.scenario.in_one_unit().contact[contact]
    changed = written.replaced(**keys)
    numbers = {**contact_numbers(changed), **outcome_numbers(changed)}
    before = {**contact_numbers(written), **outcome_numbers(written)}
    cells = [
        Cells(plan.contacts.target("contacts"), contact, name, value)
        for name, value in numbers.items()
        if _differs(value, before[name])
    ]
    draws = any(key in keys and getattr(written, key) == 0.0 for key in RANDOM_SIZES)
    if draws or (len(cells) < len(keys) and not _same(written, keys)):
        raise OptionError(
            f"contact.{written.label}.{', '.join(keys)}: decides what a contact does, and not "
            f"only by how much; to vary it, use compare"
        )
    return cells


def _same(model: Model, keys: Mapping[str, Any]) -> bool:
    return all(np.ndim(value) == 0 and getattr(model, key) == value for key, value in keys.items())


def rule_cells(plan: Plan, craft: int, rule: int, keys: Mapping[str, Any]) -> list[Cells]:
    """Return the cells to write for other numbers of a rule, by its keys.

    Raises
    ------
    OptionError
        If these decide more than numbers.
    """
    written = plan.scenario.craft[craft]
    changed = _with_keys(written.rules[rule], keys)
    scenario = plan.scenario
    converted = _in_units(scenario, changed)
    after = bound_rule(written, converted, context_of(scenario, written), scenario.timing)
    if signature(plan.bound(written.name, rule)) != signature(after):
        raise OptionError(
            f"{', '.join(f'{written.name}.{written.rules[rule].label}.{key}' for key in keys)}: "
            f"changes more than numbers; to vary what a rule does, use compare"
        )
    cells = []
    for tunable in plan.numbers:
        if tunable.craft != written.name or tunable.rule != rule:
            continue
        number = after.bound.step(tunable.step).arguments[tunable.name]
        assert isinstance(number, binding.Number)
        if number.scaling == PLAIN:
            cells.append(Cells(tunable.place, tunable.index, tunable.field, number.value))
        else:
            cells.append(Cells(plan.scaled, tunable.scaled, "value", number.value))
    return cells


def _in_units(scenario: Scenario, rule: MotionRule) -> MotionRule:
    """Return a rule in the scenario's units."""
    to = scenario.units
    changes = rule.in_units(to, rule.units or to, scenario.tuned_at)
    return rule.replaced(**changes, units=None)


def columns_of(vary: Mapping[str, Sequence[Value]]) -> dict[str, NDArray[Any]]:
    """Return a column for each path, so that their rows are all combinations of the values.

    Raises
    ------
    OptionError
        If a path has no values, or values of several kinds.
    """
    for path, values in vary.items():
        if len(values) == 0:
            raise OptionError(f"{path}: give at least one value to vary it over")
        types = set(map(type, values))
        if not all(issubclass(kind, str | Real | np.generic) for kind in types):
            raise OptionError(f"{path}: a sweep varies numbers, and takes a list of them")
        kinds = {"text" if issubclass(kind, str) else kind for kind in types}
        if bool in kinds or ("text" in kinds and len(kinds) > 1):
            raise OptionError(f"{path}: a sweep varies numbers; to vary anything else, use compare")
    grids = np.meshgrid(*(np.arange(len(values)) for values in vary.values()), indexing="ij")
    return {
        path: np.asarray(values)[grid.ravel()]
        for (path, values), grid in zip(vary.items(), grids, strict=True)
    }
