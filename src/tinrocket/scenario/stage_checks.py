"""Validation of pools, spawners, marches and rounds."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import product
from typing import TYPE_CHECKING

from tinrocket.errors import nearest
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.outlines import reach_of
from tinrocket.scenario.shapes import inside

if TYPE_CHECKING:
    from tinrocket.scenario.scenario import Scenario
    from tinrocket.scenario.stage import Spawner


def stage_problems(scenario: Scenario) -> list[str]:
    """Return all problems, each with its path."""
    return [*_pools(scenario), *_names(scenario), *_places(scenario)]


def _pools(scenario: Scenario) -> Iterator[str]:
    """Yield spawners and rules that send craft without a pool."""
    pools = [craft.name for craft in scenario.craft if craft.pool is not None]
    wanted = [
        (f"craft.{craft.name}.{rule.label}.shots", rule.sends)
        for craft in scenario.craft
        for rule in craft.rules
        if rule.sends
    ]
    wanted += [
        (f"contact#{number}.into", outcome.into)
        for number, contact in enumerate(scenario.contact, start=1)
        for outcome in contact.outcomes
        if outcome.into
    ]
    wanted += [
        (f"spawner.{spawner.name}.spawns", name)
        for spawner in scenario.spawner
        for name in spawner.spawns
    ]
    for where, name in wanted:
        if name not in pools:
            hint = nearest(name, pools) if pools else ""
            yield f"{where}: there is no craft '{name}' with a 'pool'{hint}"


def _names(scenario: Scenario) -> Iterator[str]:
    """Yield unknown names of craft."""
    known = scenario.fleet
    wanted = [
        (f"spawner.{spawner.name}.clear_of", n)
        for spawner in scenario.spawner
        for n in spawner.clear_of
    ]
    wanted += [(f"march.{march.name}.moves", march.moves) for march in scenario.march]
    wanted += [
        (f"spawner.{spawner.name}.at", spawner.at) for spawner in scenario.spawner if spawner.at
    ]
    rounds = scenario.rounds
    if rounds:
        wanted += [("rounds.resets", name) for name in rounds.resets or ()]
        still = scenario.bodies
        wanted += [("rounds.restores", name) for name in rounds.restores if name not in still]
    for where, name in wanted:
        if name not in known:
            yield f"{where}: unknown craft or group '{name}'{nearest(name, known.called)}"
    if rounds and rounds.lives_of is not None:
        single = [craft.name for craft in scenario.craft if not craft.pool and not craft.grid]
        if rounds.lives_of not in single:
            hint = nearest(rounds.lives_of, single)
            yield f"rounds.lives_of: there is no craft '{rounds.lives_of}'{hint}"
    if rounds and rounds.first_to is not None and not scenario.sides:
        yield "rounds.first_to: no contact has 'scores'; add it to one"
    ramps = [(f"spawner.{spawner.name}", spawner.ramp) for spawner in scenario.spawner]
    ramps += [(f"march.{march.name}", march.ramp) for march in scenario.march]
    for where, ramp in ramps:
        if ramp is not None and ramp.by == "gone" and where.startswith("spawner"):
            yield f"{where}.ramp.by: 'gone' is counted for a march, not for a spawner"
        if ramp is not None and ramp.by == "score" and not scenario.sides:
            yield f"{where}.ramp.by: no contact has 'scores'"


def _places(scenario: Scenario) -> Iterator[str]:
    """Yield spawners that can only place craft inside obstacles."""
    up = scenario.arena.up
    for spawner in scenario.spawner:
        for obstacle, family in zip(scenario.obstacle, scenario.still, strict=True):
            if spawner.at or spawner.ring:
                continue
            for piece, (x, y) in zip(family.names, obstacle.places, strict=True):
                if all(inside(obstacle.shape, px - x, py - y, up) for px, py in _corners(spawner)):
                    yield (
                        f"spawner.{spawner.name}: all of its places lie inside of '{piece}'; "
                        f"move 'x' and 'y' to where there is room"
                    )
        for pool in (
            craft for craft in scenario.craft if craft.name in spawner.spawns and spawner.x
        ):
            arena = scenario.arena_of(pool)
            for axis, reach in zip(AXES, reach_of(pool, up), strict=True):
                sides, (low, high) = arena.sides(axis), arena.bounds(axis, reach)
                free = {arena.edges.at(side).kind for side in sides} & {"open", "remove"}
                if not free and (
                    getattr(spawner, axis)[1] < low or getattr(spawner, axis)[0] > high
                ):
                    yield (
                        f"spawner.{spawner.name}.{axis}: all of its places lie outside of the "
                        f"arena, and the edges hold '{pool.name}' between {low:g} and {high:g}"
                    )


def _corners(spawner: Spawner) -> list[tuple[float, float]]:
    offsets = spawner.offsets or ((0.0, 0.0),)
    places = product(spawner.x or (), spawner.y or ())
    return [(x + dx, y + dy) for (x, y), (dx, dy) in product(places, offsets)]
