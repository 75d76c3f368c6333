"""What events are called, and what took part in them."""

from dataclasses import dataclass

from tinrocket.motion import events as kinds
from tinrocket.plan.event_names import CONTACT_KINDS, STAGE_KINDS
from tinrocket.plan.plan import Plan
from tinrocket.scenario.arena import AXES

CONTACTS = (kinds.CONTACT, kinds.HARD_CONTACT)


@dataclass(frozen=True, slots=True)
class EventLabel:
    """What an event is called, and what took part in it."""

    kind: str
    craft: str
    edge: str = ""
    rule: str = ""
    other: str = ""


def event_label(plan: Plan, kind: int, craft: int, cause: int, other: int) -> EventLabel:
    """Return what an event is called."""
    scenario = plan.scenario
    if kind == kinds.CONDITION:
        return EventLabel("condition", "", rule=scenario.condition[cause].name)
    if craft < 0:
        side = scenario.sides[cause] if kind == kinds.OVER and cause >= 0 else ""
        return EventLabel(STAGE_KINDS[kind], "", other=side)
    name = scenario.fleet.names[craft]
    met = plan.body_names[other] if other >= 0 else ""
    if kind in STAGE_KINDS:
        return EventLabel(STAGE_KINDS[kind], name, other=met)
    if kind == kinds.PARTED:
        return EventLabel("separation", name, other=met)
    if kind in CONTACTS:
        response = scenario.contact[cause].response
        called = CONTACT_KINDS.get(response, response)
        hard = kind == kinds.HARD_CONTACT
        return EventLabel("hard_hit" if hard else called, name, other=met)
    if kind != kinds.EDGE:
        rule = plan.entry_of(craft).rules[cause].rule
        called = rule.rule if kind == kinds.RULE else "pool_empty"
        return EventLabel(called, name, rule=rule.label)
    arena = scenario.arena_of(scenario.craft[scenario.fleet.family(craft)])
    side = [side for axis in AXES for side in scenario.arena.sides(axis)][cause]
    return EventLabel(arena.edges.at(side).kind, name, edge=side)
