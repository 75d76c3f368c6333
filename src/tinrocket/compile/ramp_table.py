"""Ramps: the table of numbers that change over time, and lines that compute their effects."""

import ast
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from tinrocket.compile.bound_craft import of_craft
from tinrocket.compile.memory import Layout, Place
from tinrocket.compile.naming import Scope
from tinrocket.compile.numbers import NumberPlace
from tinrocket.compile.time_spans import RAMPS
from tinrocket.motion.binding import Context, Number, bind
from tinrocket.motion.ramped import Traced
from tinrocket.motion.scaling import PLAIN, coefficient
from tinrocket.motion.world import NumberRamp
from tinrocket.scenario.scenario import Scenario


@dataclass(frozen=True, slots=True)
class Key:
    """A number of a rule that changes: names of its craft, index of the rule, and the key."""

    craft: str
    rule: int
    name: str


def ramped_keys(scenario: Scenario) -> dict[Key, int]:
    """Return every number that changes, with its index."""
    keys = (
        Key(craft.name, index, ramp.key)
        for craft in scenario.craft
        for index, rule in enumerate(craft.rules)
        for ramp in rule.ramps
    )
    return {key: place for place, key in enumerate(dict.fromkeys(keys))}


def has_ramps(scenario: Scenario) -> bool:
    """Whether any number changes."""
    return any(rule.ramps for craft in scenario.craft for rule in craft.rules)


def ramp_table(scenario: Scenario, layout: Layout, context: Context) -> dict[str, Place | int]:
    """Return the table of all changes, as fields of the world."""
    keys = ramped_keys(scenario)
    rows: list[dict[str, float | int]] = []
    members: list[int] = []
    for craft in scenario.craft:
        for index, rule in enumerate(craft.rules):
            for ramp in rule.ramps:
                first = len(members)
                members += scenario.fleet.numbers(ramp.of) if ramp.by == "gone" and ramp.of else []
                rows.append(
                    {
                        "key": keys[Key(craft.name, index, ramp.key)],
                        "begin": float(getattr(rule, ramp.key)),
                        "end": ramp.to,
                        "over": ramp.over * (context.unit if ramp.by == "time" else 1.0),
                        "by": RAMPS[ramp.by],
                        "side": (scenario.sides.index(ramp.of or "") if ramp.by == "score" else -1),
                        "first": first,
                        "past": len(members),
                    }
                )
    table = layout.reserve(NumberRamp, len(rows))
    for row, fields in enumerate(rows):
        table.write(row, **fields)
    return {
        "ramps": table,
        "ramp_count": len(rows),
        "ramp_members": layout.indices(members),
        "ramped": layout.row([0.0] * len(keys)),
    }


def ramp_lines(
    scenario: Scenario, context: Context, numbers: Sequence[NumberPlace], scope: Scope
) -> list[str]:
    """Return the lines that compute in each step what depends on numbers that change."""
    keys, lines = ramped_keys(scenario), list[str]()
    timed = [ramped for ramped in numbers if ramped.number.scaling != PLAIN]
    rows = {id(place): row for row, place in enumerate(timed)}
    for craft in scenario.craft:
        own = of_craft(context, craft)
        for index, rule in enumerate(craft.rules):
            if not rule.ramps:
                continue
            traced = {
                ramp.key: Traced.of(
                    getattr(rule, ramp.key), f"ramped[{keys[Key(craft.name, index, ramp.key)]}]"
                )
                for ramp in rule.ramps
            }
            bound = bind(
                rule.replaced(**traced, ramps=()),
                replace(own, timing=scenario.timing_of(craft, rule)),
            )
            for tunable in numbers:
                if (tunable.craft, tunable.rule) == (craft.name, index):
                    number = bound.step(tunable.step).arguments[tunable.name]
                    if isinstance(number, Number) and isinstance(number.value, Traced):
                        lines += _lines_of(tunable, number.value, rows.get(id(tunable)), scope)
    return ["ramped = world.ramped", *lines] if lines else []


def _lines_of(place: NumberPlace, traced: Traced, row: int | None, scope: Scope) -> list[str]:
    """Return the lines that put a number where its rule reads it."""
    shown = ast.unparse(ast.fix_missing_locations(traced.build(scope.call)))
    record = scope.names.of_global(f"{place.craft}_numbers", place.place)
    field = f"{record}[{place.index}].{place.field}"
    if row is None:
        return [f"{field} = {shown}"]
    value = f"world.scaled[{row}].value"
    made = f"{scope.call(coefficient)}({place.number.scaling}, {value}, paced)"
    return [f"{value} = {shown}", f"{field} = {made}"]


def changing(scenario: Scenario) -> Mapping[tuple[int, int], str]:
    """Return the rules with a number that changes, by craft and rule, with the first such key."""
    return {
        (number, index): rule.changing[0].key
        for number, craft in enumerate(scenario.craft)
        for index, rule in enumerate(craft.rules)
        if rule.changing
    }
