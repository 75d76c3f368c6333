"""Mistakes of the view, of appearing craft, and of craft that stay."""

import math
from collections.abc import Iterator
from itertools import pairwise

import numpy as np

from tinrocket.checks.finding import Checks, Found
from tinrocket.checks.subject import Subject, at
from tinrocket.scenario.arena import SIDES
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.outlines import outlines, reach_of
from tinrocket.scenario.rules import Fire, Flap
from tinrocket.scenario.shapes import Box, Polygon
from tinrocket.trajectory.trajectory import Trajectory

CHECKS = Checks([])


@CHECKS.add(
    "art-disagrees",
    "The heading changes and the shape does not turn with it, or the picture points elsewhere than "
    "the craft flies: players aim by what they see.",
    "let the shape turn, and point the art along the heading",
)
def art_disagrees(subject: Subject) -> Iterator[Found]:
    for craft in subject.scenario.craft:
        turning = next((rule for rule in craft.rules if rule.turns), None)
        if turning is None:
            continue
        shape = craft.shape
        if isinstance(shape, Box | Polygon) and not shape.turns and _long(shape):
            yield Found(
                at(craft, None, "shape"),
                f"'{turning.label}' turns '{craft.name}', and its {shape.kind} stays as it is",
            )
        offset = (craft.art_offset + 45.0) % 90.0 - 45.0
        if abs(offset) > 1.0:
            yield Found(
                at(craft, None, "art_offset"),
                f"the picture of '{craft.name}' points {craft.art_offset:g} degrees from where it "
                f"flies, which is no quarter turn",
            )


def _long(shape: Box | Polygon) -> bool:
    """Return whether a shape looks different after a turn."""
    if isinstance(shape, Box):
        return abs(shape.width - shape.height) > 1.0
    distances = [math.hypot(x, y) for x, y in shape.points]
    return max(distances) - min(distances) > 1.0


@CHECKS.add(
    "view-one-frame-late",
    "The view moves before what it follows: it shows the craft where it was a frame ago, and what "
    "is still trembles by the way of a frame.",
    "move the view after all craft",
)
def view_late(subject: Subject) -> Iterator[Found]:
    view = subject.per_second.view
    if view is None or view.order != "before":
        return
    game = subject.tuned
    fast = float(game.track(view.follow)["speed"].max()) if game else 0.0
    yield Found(
        "view.order",
        f"the view is one frame behind '{view.follow}', up to "
        f"{fast / subject.scenario.tuned_at:.3g} px",
    )


@CHECKS.add(
    "spawns-on-top",
    "Something appears in the place of a craft that it meets: the player is hit by what could not "
    "be seen coming.",
    "keep clear_of the craft, with a clearance",
)
def spawns_on_top(subject: Subject) -> Iterator[Found]:
    game, scenario = subject.tuned, subject.scenario
    if game is None or not scenario.spawner:
        return
    families = {craft.name: craft for craft in scenario.craft}
    met = [contact.between for contact in scenario.contact if contact.response != "count"]
    happened = game.happened
    reported: set[str] = set()
    for n in np.flatnonzero(happened["kind"] == "enter").tolist():
        name = str(happened["craft"][n])
        pool = next((family for family, members in game.families.items() if name in members), name)
        for craft in scenario.craft:
            meets = any(
                (families[pool].goes_by(a) and craft.goes_by(b))
                or (families[pool].goes_by(b) and craft.goes_by(a))
                for a, b in met
            )
            if craft.pool or craft.name == pool or not meets or pool in reported:
                continue
            for member in game.families[craft.name]:
                state = game.track(member)
                frame = int(happened["frame"][n])
                far = math.hypot(
                    float(happened["x"][n]) - float(state["x"][frame]),
                    float(happened["y"][n]) - float(state["y"][frame]),
                )
                near = _radius(families[pool], subject) + _radius(craft, subject)
                there = "alive" not in state or bool(state["alive"][frame])
                if there and far < near:
                    reported.add(pool)
                    sender = next((s.name for s in scenario.spawner if pool in s.spawns), pool)
                    yield Found(
                        f"spawner.{sender}",
                        f"'{pool}' appears {far:.3g} px from '{member}' after "
                        f"{float(happened['t'][n]):.2f} s, and they touch within {near:.3g} px",
                    )
                    break


def _radius(craft: Craft, subject: Subject) -> float:
    """Return the smallest distance from its centre at which a craft can be hit [px]."""
    reach = reach_of(craft, subject.scenario.arena.up)
    return min(max(low, high) for low, high in reach)


@CHECKS.add(
    "free-points",
    "A player who does nothing scores.",
    "make scoring depend on player input",
)
def free_points(subject: Subject) -> Iterator[Found]:
    idle = subject.idle
    if idle is None or not subject.scenario.tape.actions:
        return
    scores = idle.happened["kind"] == "score"
    for side in dict.fromkeys(idle.happened["other"][scores].tolist()):
        mine = scores & (idle.happened["other"] == side)
        points = int(idle.happened["count"][mine].sum())
        if points > 0:
            yield Found(
                "tape",
                f"without any input '{side}' scores {points} in {idle.duration:.4g} s",
            )


@CHECKS.add(
    "impassable-gate",
    "The opening of a gate is less than the craft rises and falls while it is beside it: however "
    "well the player taps, it cannot be passed.",
    "open the gate, flap less high, or scroll faster",
)
def impassable(subject: Subject) -> Iterator[Found]:
    for craft, rule in subject.rules(Flap):
        for rate, gap in subject.numbers("passable gap", craft.name):
            least = min(_openings(subject, craft), key=lambda opening: opening[1], default=None)
            if least is not None and not gap.note and least[1] < gap.value:
                yield Found(
                    least[0],
                    f"it opens {least[1]:.3g} px, and '{craft.name}' needs {gap.value:.3g} px at "
                    f"{rate:g} fps ('{rule.label}' as it is)",
                )
                break


def _openings(subject: Subject, craft: Craft) -> Iterator[tuple[str, float]]:
    """Yield gates and how far they open along y [px]."""
    scenario = subject.scenario
    up = scenario.arena.up
    met = {
        name
        for contact in scenario.contact
        if contact.response != "count"
        for name in contact.between
    }
    sizes = {
        member.name: reach_of(member, up)[1] for member in scenario.craft if member.goes_by(*met)
    }
    for sender in scenario.spawner:
        pieces = [
            (offset[1], sizes[name])
            for name, offset in zip(sender.spawns, sender.offsets, strict=False)
            if name in sizes
        ]
        for gap in _between(pieces):
            yield f"spawner.{sender.name}.offsets", gap
    columns: dict[float, list[tuple[float, tuple[float, float]]]] = {}
    for still in scenario.obstacle:
        if still.goes_by(*met) and still.name not in scenario.passed:
            sides = [outline.sides[1] for outline in outlines(still.shape, up)]
            reach = max(low for low, _high in sides), max(high for _low, high in sides)
            columns.setdefault(still.at[0], []).append((still.at[1], reach))
    for pieces in columns.values():
        for gap in _between(pieces):
            yield "obstacle", gap


def _between(pieces: list[tuple[float, tuple[float, float]]]) -> Iterator[float]:
    """Yield the openings between pieces above each other."""
    ordered = sorted(pieces)
    for (low, reach), (high, other) in pairwise(ordered):
        gap = (high - other[0]) - (low + reach[1])
        if gap > 0.0:
            yield gap


@CHECKS.add(
    "never-removed",
    "What leaves the arena and is never removed flies on unseen, and each frame pays for it.",
    "remove it at the edge, or give it a lifetime",
)
def never_removed(subject: Subject) -> Iterator[Found]:
    for craft in subject.scenario.craft:
        if craft.pool is None or craft.lifetime is not None:
            continue
        edges = subject.scenario.arena_of(craft).edges
        leaves = [side for side in SIDES if edges.at(side).kind == "open"]
        ends = [side for side in SIDES if edges.at(side).kind == "remove"]
        game = subject.tuned
        if not leaves or game is None:
            continue
        stay = _stay(game, craft, subject)
        if stay:
            a_minute = min(60.0 * stay / game.duration, float(craft.pool))
            yield Found(
                at(craft),
                f"'{craft.name}' leaves at {', '.join(leaves)} and stays: {a_minute:.0f} of them "
                f"after a minute{', of a pool of ' + str(craft.pool)}"
                f"{'' if not ends else '; only ' + ', '.join(ends) + ' removes'}",
            )


def _stay(game: Trajectory, craft: Craft, subject: Subject) -> int:
    """Return how many of a pool are outside of the arena and there at the end of the tape."""
    arena, count = subject.scenario.arena, 0
    for member in game.families[craft.name]:
        track = game.track(member)
        x, y = float(track["x"][-1]), float(track["y"][-1])
        outside = not (0.0 <= x <= arena.width and 0.0 <= y <= arena.height)
        count += outside and bool(track["alive"][-1])
    return count


@CHECKS.add(
    "shots-stay",
    "Shots have neither a lifetime nor an edge that removes them: the pool runs empty, and then "
    "the key does nothing.",
    "give shots a lifetime, or edges that remove them",
)
def shots_stay(subject: Subject) -> Iterator[Found]:
    for craft, rule in subject.rules(Fire):
        if rule.shots is None:
            continue
        for _rate, reach in subject.numbers("reach", craft.name):
            if reach.note == "never":
                pool = next(
                    member for member in subject.scenario.craft if member.name == rule.shots
                )
                yield Found(
                    at(craft, rule),
                    f"a shot stays for good, and after {pool.pool} of them the pool is empty",
                )
                break
