"""Numbers of a flight that change while it goes on, bound inside the compiled module.

A binding is Python: it makes of a number as it is typed (a half-life, degrees per second) what
kernels read (the share kept in a step, radians per step).  Here each binding is run once with
traced numbers, and the operations on them are printed as a function of the same module,
`bind(number, value, begins)`.  So a page needs no copy of any binding.
"""

import ast
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from itertools import groupby
from typing import Any

import numpy as np
import wasmtime

from tinrocket.compile.inline import Names
from tinrocket.compile.memory import Place
from tinrocket.compile.number_cells import Cells, place_cells
from tinrocket.compile.plan import Plan
from tinrocket.compile.ramp_table import changing
from tinrocket.compile.wasm import text_of
from tinrocket.errors import OptionError, ScenarioError
from tinrocket.language.intrinsics import NOT_A_NUMBER
from tinrocket.language.records import Floats
from tinrocket.motion.ramped import Traced
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.numbers import Model, Quantity, frames_in, quantity
from tinrocket.scenario.ranges import Range, sensible_range
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.vary import NumberPath, with_value

EVERY_BOUNCE = frozenset({"restitution"})
"""Numbers of a contact that are offered though they are not typed."""
MOST_PLACES = 64
"""Craft of a grid whose start can change: each has lines of its own."""
HALVINGS = 14
"""Bisections of a range, to find up to where the scenario accepts a number."""


@dataclass(frozen=True, slots=True)
class TunableNumber:
    """A number of a craft's rule or start, or of a contact.

    Attributes
    ----------
    path
        As `vary` takes it.
    place
        Place of the number: a craft's rule or start, or a contact.
    value
        The number as typed; for a span in frames, their count.
    counts_frames
        Whether it is such a span.
    mark
        Unit mark of its type.
    within
        Sensible range.
    """

    path: str
    place: NumberPath
    value: float
    counts_frames: bool
    mark: Quantity
    within: Range


@dataclass(frozen=True, slots=True, eq=False)
class Retuning:
    """The function `bind` of a plan.

    Attributes
    ----------
    numbers
        Numbers that it accepts; the argument is their index.
    fixed
        The other numbers of craft, by their paths, each with the reason why it cannot change.
    typed
        Address of the numbers as typed, right behind the plan's memory.
    text, names
        The function's source, and the values of its names beside those of the plan.
    """

    numbers: tuple[TunableNumber, ...]
    fixed: Mapping[str, str]
    typed: Place
    text: str
    names: Mapping[str, Any]


def retuning_of(plan: Plan, ranges: Mapping[str, Range] | None = None) -> Retuning:
    """Return the function `bind` of a plan, with all numbers that it takes.

    `ranges` are those of the same numbers that are known already, by their paths.
    """
    scenario, fixed = plan.scenario, dict[str, str]()
    numbers: list[TunableNumber] = []
    for tunable in _numbers(scenario, ranges or {}):
        reason = _why_fixed(plan, tunable)
        if reason:
            fixed[tunable.path] = reason
        else:
            numbers.append(tunable)
    typed = Place(Floats, len(numbers), np.array([number.value for number in numbers] or [0.0]))
    typed.cell = plan.image.size
    names = Names((*plan.names, "number", "value", "begins", "bind", "typed", "UNKNOWN"))
    names.globals |= {**plan.names, "typed": typed, "UNKNOWN": NOT_A_NUMBER}
    lines = ["typed[number] = value", "world.dt = UNKNOWN"]  # so that coefficients follow
    first = 0
    for _which, group in groupby(numbers, key=lambda number: replace(number.place, key="")):
        together = list(group)
        last = first + len(together) - 1
        cells = _cells(plan, together, [f"typed[{first + n}]" for n in range(len(together))])
        lines.append(f"if number >= {first} and number <= {last}:")
        lines += [f"    {line}" for cell in cells for line in _lines(plan, cell, names)]
        first = last + 1
    head = "def bind(number: int, value: float, begins: int) -> None:"
    text = "\n".join([head, *(f"    {line}" for line in lines)])
    added = {name: value for name, value in names.globals.items() if name not in plan.names}
    return Retuning(tuple(numbers), fixed, typed, text, added)


def portable(plan: Plan, ranges: Mapping[str, Range] | None = None) -> tuple[bytes, Retuning]:
    """Return a plan as one WebAssembly module, which any engine runs, with its function `bind`.

    `ranges` are as for `retuning_of`.

    Raises
    ------
    SubsetError
        If a user's rule leaves the subset.
    """
    retuning = retuning_of(plan, ranges)
    return bytes(wasmtime.wat2wasm(text_of(plan, retuning.text, retuning.names))), retuning


def _numbers(scenario: Scenario, ranges: Mapping[str, Range]) -> Iterator[TunableNumber]:
    """Return every number of rules, starts and contacts that is typed."""
    for begin, place in _owners(scenario):
        model = place.owner(scenario)
        for key, value, mark in _typed_numbers(model):
            if place.contact is not None and key not in model.model_fields_set | EVERY_BOUNCE:
                continue  # most numbers of a contact have no effect in it
            number, counted = value
            path = f"{begin}.{key}"
            within = ranges.get(path) or _allowed(
                scenario, path, value, sensible_range(model, key, number)
            )
            yield TunableNumber(path, replace(place, key=key), number, counted, mark, within)


def _owners(scenario: Scenario) -> Iterator[tuple[str, NumberPath]]:
    """Return everything that has numbers, by the beginning of their paths, with its place."""
    for index, craft in enumerate(scenario.craft):
        for rule in range(len(craft.rules)):
            label = _label(craft, rule)
            if label:
                yield f"{craft.name}.{label}", NumberPath(index, rule, "")
        yield f"{craft.name}.start", NumberPath(index, None, "")
    labels = [contact.label for contact in scenario.contact]
    for index, label in enumerate(labels):
        if labels.count(label) == 1:
            yield f"contact.{label}", NumberPath(-1, None, "", index)


def _allowed(scenario: Scenario, path: str, value: tuple[float, bool], within: Range) -> Range:
    """Return the part of a range that the scenario takes: a start must lie in the arena, say."""
    now, counted = value

    def fits(tried: float) -> bool:
        try:
            with_value(scenario, path, f"{tried!r} frames" if counted else tried)
        except ScenarioError:
            return False
        return True

    def farthest(end: float) -> float:
        if fits(end):
            return end
        good, bad = now, end
        for _ in range(HALVINGS):
            middle = 0.5 * (good + bad)
            good, bad = (middle, bad) if fits(middle) else (good, middle)
        rounded = float(f"{good:.4g}")
        return rounded if fits(rounded) else good

    return Range(farthest(within.low), farthest(within.high), within.step)


def _typed_numbers(model: Model) -> Iterator[tuple[str, tuple[float, bool], Quantity]]:
    """Return the numbers of a rule or start: key, value and whether it counts frames, and mark."""
    for key, field in type(model).model_fields.items():
        mark, value = quantity(field.annotation, *field.metadata), _number(getattr(model, key))
        if mark is not None and value is not None:
            yield key, value, mark
    for key, own in getattr(model, "own_numbers", {}).items():  # of a user's rule
        value = _number(own)
        if value is not None:
            yield f"numbers.{key}", value, Quantity("")


def _label(craft: Craft, rule: int) -> str:
    """Return the name of a rule in paths, or an empty text if several share the name."""
    label = craft.rules[rule].label
    return label if sum(each_rule.label == label for each_rule in craft.rules) == 1 else ""


def _number(value: object) -> tuple[float, bool] | None:
    """Return a number and whether it counts frames; None for anything else."""
    frames = frames_in(value)
    if frames is not None:
        return frames, True
    if isinstance(value, int | float) and not isinstance(value, bool):
        return float(value), False
    return None


def _why_fixed(plan: Plan, number: TunableNumber) -> str:
    """Return why a number cannot change while a flight goes on; nothing if it can.

    A trace is valid for one outcome of each comparison in a binding. So it is compared with the
    binding at both ends of the range and near the present number.
    """
    place = number.place
    ramped = changing(plan.scenario).get((place.craft, -1 if place.rule is None else place.rule))
    if ramped is not None:
        return f"'{ramped}' of this rule changes as the game goes on"
    begins = place.rule is None and place.contact is None
    if begins and plan.scenario.craft[place.craft].count > MOST_PLACES:
        return f"it is where a grid of more than {MOST_PLACES} begins"
    try:
        traced = _cells(plan, [number], ["value"])
        tried = (
            number.within.low,
            number.within.high,
            number.within.low + number.within.step,
            number.value,
        )
        alike = all(_agrees(traced, _bound(plan, number, value), value) for value in tried)
    except (OptionError, TypeError, AttributeError):
        return "it decides what the rule does, not by how much"
    if not traced:
        return "no rule reads it"
    return "" if alike else "its formula is another one elsewhere in its range"


def _agrees(traced: list[Cells], bound: list[Cells], value: float) -> bool:
    """Return whether traced cells equal those of the binding, to the bit."""
    expected = {bound_number.cell: bound_number.values for bound_number in bound}
    worked = [(trace, _worked(trace.values, value)) for trace in traced]
    return all(expected.get(trace.cell, result) == result for trace, result in worked)


def _worked(traced: Any, value: float) -> float:
    """Return a traced number for a value."""
    known: dict[str, Any] = {"value": value}

    def called(kernel: Callable[..., Any]) -> str:
        known[kernel.__name__] = kernel
        return kernel.__name__

    shown = ast.unparse(ast.fix_missing_locations(traced.build(called)))
    return float(eval(shown, {"__builtins__": {}}, known))  # noqa: S307  # printed by `Traced` alone


def _bound(plan: Plan, number: TunableNumber, value: float) -> list[Cells]:
    """Return the cells of a number as its binding makes them for a value."""
    typed: Any = f"{value!r} frames" if number.counts_frames else value
    return place_cells(plan, number.place, {number.place.key: typed})


def _cells(plan: Plan, numbers: list[TunableNumber], shown: list[str]) -> list[Cells]:
    """Return the cells that numbers of one rule or start decide, as expressions of them.

    Raises
    ------
    OptionError
        If they decide more than cells.
    """
    keys = {
        number.place.key: Traced.of(number.value, text, counts_frames=number.counts_frames)
        for number, text in zip(numbers, shown, strict=True)
    }
    traced: list[Any] = list(place_cells(plan, numbers[0].place, keys))
    return [trace for trace in traced if isinstance(trace.values, Traced)]


def _lines(plan: Plan, cell: Cells, names: Names) -> list[str]:
    """Return the lines that write a cell."""
    traced: Any = cell.values

    def called(kernel: Callable[..., Any]) -> str:
        return names.of_global(kernel.__name__, kernel)

    shown = ast.unparse(ast.fix_missing_locations(traced.build(called)))
    called_so = {id(plan.starts): "starts", id(plan.scaled): "scaled"}
    if plan.meets:
        called_so[id(plan.contacts.target("contacts"))] = "contacts"
    name = names.of_global(called_so.get(id(cell.place), "numbers"), cell.place)
    line = f"{name}[{cell.index}].{cell.field} = {shown}"
    if cell.place is plan.bodies:  # a craft that flies already is not moved to a new start
        return ["if begins != 0:", f"    {line}"]
    return [line]
