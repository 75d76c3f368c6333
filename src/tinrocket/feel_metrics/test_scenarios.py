"""Test scenarios for a craft: alone in the open, in its arena, under a view, far from others."""

from collections.abc import Mapping

from tinrocket.errors import ScenarioError
from tinrocket.scenario.arena import Edges
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.tape import Tape

Point = tuple[float, float]
FAR = 1e5
"""Distance that is never covered [px]."""


class NoPlaceError(Exception):
    """The craft cannot be flown alone: the game needs the whole pool or grid."""


def open_place(scenario: Scenario, craft: Craft) -> Scenario:
    """Return a scenario reduced to a craft at rest and what its rules need, without edges.

    If its rules need more of the game, all craft stay; at worst everything does.
    """
    nowhere = {"edges": None, "within": "arena"}
    arena = scenario.arena.replaced(edges=Edges.from_data("open"))
    mine = _alone(craft, _middle(scenario)).replaced(**nowhere)
    others = [other.replaced(**nowhere) for other in scenario.craft if other.name != craft.name]
    return _reduced(scenario, arena=arena, mine=mine, others=others)


def in_arena(scenario: Scenario, craft: Craft) -> Scenario:
    """Return a scenario reduced to a craft and what its rules need, within its own edges.

    The craft begins at rest at its start.
    """
    mine = _alone(craft, {"x": craft.start.x, "y": craft.start.y})
    others = [other for other in scenario.craft if other.name != craft.name]
    return _reduced(scenario, arena=scenario.arena, mine=mine, others=others)


def viewed(scenario: Scenario, craft: Craft, away: float = 0.0) -> Scenario:
    """Return the open place with the scenario's view, which begins off the craft [px]."""
    place = open_place(scenario, craft)
    mine = next(member for member in place.craft if member.name == craft.name)
    if scenario.view is None:
        return place
    x, y = (0.0, away) if scenario.view.axis == "y" else (away, 0.0)
    view = scenario.view.replaced(start=(mine.start.x + x, mine.start.y + y), within="nothing")
    return _checked(place, {"view": view})


def far_from(scenario: Scenario, craft: Craft, other: str) -> Scenario:
    """Return the open place with another craft so far off that a chase never ends.

    It lies behind the craft, so that one that steers has to turn.
    """
    place = open_place(scenario, craft)
    moved = [
        member.replaced(start=member.start.replaced(x=member.start.x - FAR, pool=None))
        if member.goes_by(other) and member.name != craft.name
        else member
        for member in place.craft
    ]
    return _checked(place, {"craft": tuple(moved)})


def _middle(scenario: Scenario) -> dict[str, float]:
    return {"x": scenario.arena.width / 2, "y": scenario.arena.height / 2}


def _alone(craft: Craft, start: Mapping[str, float]) -> Craft:
    """Return a craft that is present from start to end, and begins at rest."""
    begins = craft.start.replaced(**({"vx": 0.0, "vy": 0.0, "spin": 0.0} | dict(start)))
    whole = {"lifetime": None, "respawn": None, "grid": None, "pool": None, "invulnerable": 0.0}
    return craft.replaced(**(whole | {"start": begins}))


def _reduced(scenario: Scenario, *, mine: Craft, others: list[Craft], **rest: object) -> Scenario:
    named = {rule.heads_for for rule in mine.rules if isinstance(rule.heads_for, str)}
    named |= {rule.sends for rule in mine.rules if rule.sends}
    needed = [craft for craft in others if craft.goes_by(*named)]
    bare: dict[str, object] = {
        "view": None,
        "contact": (),
        "spawner": (),
        "march": (),
        "tempo": (),
        "rounds": None,
        "obstacle": (),
    }
    bare |= {"clock": Clock(), "tape": Tape(pointers=scenario.tape.pointers)} | rest
    for bodies, conditions in ((needed, ()), (needed, scenario.condition), (others, None)):
        update = bare | {"craft": (mine, *bodies)}
        update["condition"] = scenario.condition if conditions is None else conditions
        try:
            return _checked(scenario, update)
        except ScenarioError:
            continue
    every = tuple(mine if craft.name == mine.name else craft for craft in scenario.craft)
    try:
        return _checked(scenario, {"craft": every} | rest)
    except ScenarioError:
        raise NoPlaceError from None


def _checked(scenario: Scenario, update: Mapping[str, object]) -> Scenario:
    """Return a changed scenario if it is valid.

    Raises
    ------
    ScenarioError
        If it is not valid.
    """
    fields = {name: getattr(scenario, name) for name in type(scenario).model_fields}
    return Scenario(**(fields | dict(update)))
