"""Data about craft that a flight keeps beside their motion."""

from dataclasses import dataclass, replace

from tinrocket.scenario.arena import Arena
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.shapes import Hit, Shape


@dataclass(frozen=True, slots=True)
class Body:
    """Data about one craft that a flight keeps beside its motion.

    Attributes
    ----------
    arena
        The playfield as this craft meets it: with its own edges, as large as the view if
        it is bound to that.
    in_view
        Whether it is bound to the view; the view's low corner is then the origin of its arena.
    art_offset
        Degrees from the heading to where its picture points.
    shape, hit
        The drawn shape and the hit shape; None if unknown.
    family, pooled
        The pool or grid that it is one of, if any, and whether that is a pool: then which
        of them it is means nothing.
    leaps
        Whether it moves by leaps, in a march: then only its events can be compared.
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
    """Return it for each craft of a scenario by its name; those of a family share theirs."""
    marching, found = {march.moves for march in scenario.march}, dict[str, Body]()
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
        found.update(dict.fromkeys(family.names, alike))
    for name in marching.intersection(found):  # one of a grid
        found[name] = replace(found[name], leaps=True)
    return found
