"""Data about craft that a flight stores beside their motion."""

from dataclasses import dataclass, replace

from tinrocket.scenario.arena import Arena
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.shapes import Hit, Shape


@dataclass(frozen=True, slots=True)
class Body:
    """Data about one craft that a flight stores beside its motion.

    Attributes
    ----------
    arena
        The arena of this craft: with its own edges, or with the size of the view.
    in_view
        Whether it is bound to the view; the view's low corner is then the origin of its arena.
    art_offset
        Angle from the heading to the direction of its picture [degrees].
    shape, hit
        The drawn shape and the hit shape; None if unknown.
    family, pooled
        Its pool or grid, if any, and whether that is a pool, whose members have no identity.
    leaps
        Whether it leaps, in a march: then only its events are compared.
    """

    arena: Arena
    in_view: bool = False
    art_offset: float = 0.0
    shape: Shape | None = None
    hit: Hit | None = None
    family: str = ""
    pooled: bool = False
    leaps: bool = False


def bodies_of(scenario: Scenario) -> dict[str, Body]:
    """Return the data of each craft by name; members of a family share theirs."""
    marching, bodies = {march.moves for march in scenario.march}, dict[str, Body]()
    for craft, family in zip(scenario.craft, scenario.fleet.families, strict=True):
        alike = Body(
            scenario.arena_of(craft),
            in_view=craft.within == "view",
            art_offset=craft.art_offset,
            shape=craft.shape,
            hit=craft.hit,
            family=craft.name if craft.pool or craft.grid else "",
            pooled=craft.pool is not None,
            leaps=not marching.isdisjoint(craft.called),
        )
        bodies.update(dict.fromkeys(family.names, alike))
    for name in marching.intersection(bodies):  # a member of a grid
        bodies[name] = replace(bodies[name], leaps=True)
    return bodies
