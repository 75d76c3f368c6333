"""Which events a condition tells of."""

from collections.abc import Iterator

from tinrocket.motion import events as kinds
from tinrocket.plan.event_names import CONTACT_KINDS, OTHER_KINDS
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.condition import Condition
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.scenario import Scenario

AFTER_ALL = (
    "enter",
    "spawn_blocked",
    "pool_empty",
    "march_step",
    "march_turn",
    "life_lost",
    "round",
)
"""Kinds of events that happen after the conditions of a step were looked at."""


def matches_of(scenario: Scenario, one: Condition) -> list[tuple[int, int, int, int, int]]:
    """Return the events that a condition tells of: kind, cause, craft from and to, and other."""
    others = [-1]
    if one.other is not None:
        others = scenario.bodies.numbers(one.other)
    found: list[tuple[int, int, int, int, int]] = []
    fleet = scenario.fleet
    single = fleet.own.get(one.of or "", -1)
    for family, (first, craft) in enumerate(zip(fleet.firsts, scenario.craft, strict=True)):
        if one.of is None or one.of in craft.called:
            whose = first, first + craft.count
        elif single >= 0 and fleet.family(single) == family:
            whose = single, single + 1
        else:
            continue
        causes = list(_causes(scenario, craft, one))
        found += [(kind, cause, *whose, other) for kind, cause in causes for other in others]
    if one.of is None and one.event in ("life_lost", "round"):
        kind = kinds.LIFE if one.event == "life_lost" else kinds.ROUND
        found.append((kind, -1, -1, 0, -1))
    return found


def _causes(scenario: Scenario, craft: Craft, one: Condition) -> Iterator[tuple[int, int]]:
    """Yield kind and cause of each event of a craft that goes by the name a condition gives."""
    sides = [side for axis in AXES for side in scenario.arena.sides(axis)]
    edges = scenario.arena_of(craft).edges
    for number, side in enumerate(sides):
        if edges.at(side).kind == one.event and one.edge in (None, side):
            yield kinds.EDGE, number
    if one.edge is not None:
        return
    for number, contact in enumerate(scenario.contact):
        if CONTACT_KINDS.get(contact.response, contact.response) == one.event:
            yield kinds.CONTACT, number
            yield kinds.HARD_CONTACT, number
    for number, rule in enumerate(craft.rules):
        if rule.rule == one.event:
            yield kinds.RULE, number
    for kind, name in OTHER_KINDS:
        if name == one.event:
            yield kind, -1
