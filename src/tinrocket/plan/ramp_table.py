"""Filling the table of numbers that change as the game goes on."""

from collections.abc import Sequence
from dataclasses import replace

from tinrocket.motion.binding import Number, bind
from tinrocket.motion.scaling import PLAIN
from tinrocket.motion.world import NumberRamp
from tinrocket.plan.entries import context_of, of_craft, timing_of
from tinrocket.plan.memory import Layout, Place
from tinrocket.plan.numbers import NumberPlace
from tinrocket.plan.spans import RAMPS
from tinrocket.scenario.scenario import Scenario


def has_ramps(scenario: Scenario) -> bool:
    """Whether any number changes."""
    return any(rule.ramps for craft in scenario.craft for rule in craft.rules)


def ramp_table(
    scenario: Scenario, numbers: Sequence[NumberPlace], scaled: Place, layout: Layout
) -> dict[str, Place | int]:
    """Return the table, as fields of the world.

    A rule is bound as it begins and as it ends; what differs between the two changes.
    """
    rows: list[dict[str, object]] = []
    members: list[int] = []
    shared = context_of(scenario, None)
    for craft in scenario.craft:
        context = of_craft(shared, craft)
        for index, rule in enumerate(craft.rules):
            if not rule.ramps:
                continue
            mine = [one for one in numbers if (one.craft, one.rule) == (craft.name, index)]
            for ramp in rule.ramps:
                timed = replace(context, timing=timing_of(rule, craft, scenario.timing))
                ends = bind(rule.ramped(ramp), timed)
                first = len(members)
                members += scenario.fleet.numbers(ramp.of) if ramp.by == "gone" and ramp.of else []
                about = {
                    "over": ramp.over * (context.unit if ramp.by == "time" else 1.0),
                    "by": RAMPS[ramp.by],
                    "side": scenario.sides.index(ramp.of or "") if ramp.by == "score" else -1,
                    "first": first,
                    "past": len(members),
                }
                for one in mine:
                    end = ends.steps[one.step].arguments[one.name]
                    if isinstance(end, Number) and end.value != one.number.value:
                        rows.append(about | _places(one, end, scaled))
    table = layout.reserve(NumberRamp, len(rows))
    for row, fields in enumerate(rows):
        table.write(row, **fields)  # type: ignore[arg-type]  # floats, whole numbers and places
    return {
        "ramps": table,
        "ramp_count": len(rows),
        "ramp_members": layout.indices(members),
    }


def _places(one: NumberPlace, end: Number, scaled: Place) -> dict[str, object]:
    """Return from where to where a number changes, and where it stands."""
    own = (one.place, one.index, one.field)
    plain = one.number.scaling == PLAIN
    return {
        "begin": float(one.number.value),
        "end": float(end.value),
        "kind": one.number.scaling,
        "value": own if plain else (scaled, one.scaled, "value"),
        "coefficient": own,
    }
