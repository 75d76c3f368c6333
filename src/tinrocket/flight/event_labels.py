"""Labels of events: their names and participants."""

from dataclasses import dataclass

from tinrocket.compile.plan import Plan
from tinrocket.motion import events as kinds
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.event_kinds import EVENT_KINDS

CONTACTS = (kinds.CONTACT, kinds.HARD_CONTACT)
NAMES = {kind.code: kind.name for kind in EVENT_KINDS if kind.code is not None}
"""Names of the events that have a code of their own in kernels."""


@dataclass(frozen=True, slots=True)
class EventLabel:
    """Name and participants of an event."""

    kind: str
    craft: str
    edge: str = ""
    rule: str = ""
    other: str = ""


def event_label(plan: Plan, kind: int, craft: int, cause: int, other: int) -> EventLabel:
    """Return the name of an event."""
    scenario = plan.scenario
    if kind == kinds.CONDITION:
        return EventLabel("condition", "", rule=scenario.condition[cause].name)
    if craft < 0:
        side = scenario.sides[cause] if kind == kinds.OVER and cause >= 0 else ""
        return EventLabel(NAMES[kind], "", other=side)
    name = scenario.fleet.names[craft]
    met = plan.body_names[other] if other >= 0 else ""
    if kind in NAMES:
        return EventLabel(NAMES[kind], name, other=met)
    if kind == kinds.CONTACT:
        return EventLabel(scenario.contact[cause].event, name, other=met)
    if kind != kinds.EDGE:
        rule = plan.entry_of(craft).rules[cause].rule
        called = rule.rule if kind == kinds.RULE else "pool_empty"
        return EventLabel(called, name, rule=rule.label)
    arena = scenario.arena_of(scenario.craft[scenario.fleet.family(craft)])
    side = [side for axis in AXES for side in scenario.arena.sides(axis)][cause]
    return EventLabel(arena.edges.at(side).kind, name, edge=side)
