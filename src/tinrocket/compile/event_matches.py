"""Events that a condition matches."""

from collections.abc import Iterator

from tinrocket.motion import events as kinds
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.condition import Condition
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.event_kinds import BY_NAME, code_of
from tinrocket.scenario.scenario import Scenario


def matches_of(scenario: Scenario, condition: Condition) -> list[tuple[int, int, int, int, int]]:
    """Return the events that a condition matches: kind, cause, craft from and to, and other."""
    others = [-1]
    if condition.other is not None:
        others = scenario.bodies.numbers(condition.other)
    matches: list[tuple[int, int, int, int, int]] = []
    fleet = scenario.fleet
    single = fleet.own.get(condition.of or "", -1)
    for family, (first, craft) in enumerate(zip(fleet.firsts, scenario.craft, strict=True)):
        if condition.of is None or condition.of in craft.called:
            whose = first, first + craft.count
        elif single >= 0 and fleet.family(single) == family:
            whose = single, single + 1
        else:
            continue
        causes = list(_causes(scenario, craft, condition))
        matches += [(kind, cause, *whose, other) for kind, cause in causes for other in others]
    if condition.of is None and condition.event in ("life_lost", "round"):
        matches.append((code_of(condition.event), -1, -1, 0, -1))
    return matches


def _causes(scenario: Scenario, craft: Craft, condition: Condition) -> Iterator[tuple[int, int]]:
    """Yield kind and cause of each event of a craft that goes by the name a condition gives."""
    sides = [side for axis in AXES for side in scenario.arena.sides(axis)]
    edges = scenario.arena_of(craft).edges
    for number, side in enumerate(sides):
        if edges.at(side).kind == condition.event and condition.edge in (None, side):
            yield kinds.EDGE, number
    if condition.edge is not None:
        return
    for number, contact in enumerate(scenario.contact):
        if contact.event == condition.event:
            yield kinds.CONTACT, number
            yield kinds.HARD_CONTACT, number
    for number, rule in enumerate(craft.rules):
        if rule.rule == condition.event:
            yield kinds.RULE, number
    if condition.event == "pool_empty":
        yield kinds.NO_ROOM_FOR_RULE, -1
    code = BY_NAME[condition.event].code if condition.event else None
    if code is not None:
        yield code, -1
