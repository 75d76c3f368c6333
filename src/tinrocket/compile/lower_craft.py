"""Start states of craft, and the edges that act on them."""

import math
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from tinrocket.compile.bound_craft import (
    BoundRule,
    Entry,
    StateNames,
    feels_push,
    is_curved,
    meeting_craft,
)
from tinrocket.compile.memory import Place
from tinrocket.motion import sides as side_kinds
from tinrocket.motion.amounts import Amount
from tinrocket.motion.binding import Argument, Bound, Context, FieldOf, Step
from tinrocket.motion.body import CURVED, STRAIGHT, level_field
from tinrocket.motion.rules.follow import eased
from tinrocket.motion.view import Looking, look
from tinrocket.scenario.arena import AXES, Arena, Axis, Edge, Reach
from tinrocket.scenario.body_index import Lattice
from tinrocket.scenario.craft import Craft, Start
from tinrocket.scenario.outlines import reach_of
from tinrocket.scenario.rules import Follow
from tinrocket.scenario.scenario import Scenario

EDGES = {
    "open": side_kinds.OPEN,
    "wrap": side_kinds.WRAP,
    "clamp": side_kinds.CLAMP,
    "bounce": side_kinds.BOUNCE,
    "remove": side_kinds.REMOVE,
}
ONTO = {"bounce": side_kinds.ONTO, "wrap": side_kinds.LEAP}
BOUNDS = ("low_x", "high_x", "low_y", "high_y")


def bodies_of(scenario: Scenario, context: Context, bodies: Place, walls: Place) -> None:
    """Write the start state and the edges of every craft, the view included."""
    meeting = meeting_craft(scenario)
    for number, craft in enumerate(scenario.craft):
        reach = reach_of(craft, context.heading.up)
        middle, carrier = (0.0, 0.0), -1
        if craft.within == "view" and scenario.view is not None:
            middle = scenario.view.width / 2, scenario.view.height / 2
            carrier = len(scenario.fleet)
        sides = _sides(scenario.arena_of(craft), reach, middle)
        feels = feels_push(scenario, craft, meets=number in meeting)
        movement = CURVED if is_curved(craft) and feels else STRAIGHT
        rows = scenario.fleet.rows[number]
        places = dict(zip(AXES, places_of(craft.places).T, strict=True))
        levels = {
            level_field(scenario.resources.index(resource.name)): resource.begins
            for resource in craft.resources
        }
        bodies.write_rows(
            rows,
            **start_fields(craft.start, context) | places | levels,
            alive=float(craft.pool is None),
            invulnerable=craft.invulnerable * context.unit,
            stride=stride_of(scenario, craft, context.frames),
            own_stride=stride_of(scenario, craft, context.frames),
            pace=1.0,
            movement=movement,
            meets=int(number in meeting),
        )
        _write(bodies, walls, rows, carrier, sides)
    if scenario.view is not None:
        _write_view(scenario, bodies, walls, len(scenario.fleet))


def stride_of(scenario: Scenario, craft: Craft, frames: float) -> float:
    """Return how long a craft moves in each step, or 0 for the length of the step."""
    moves = [rule for rule in craft.rules if rule.spends]
    timings = {scenario.timing_of(craft, rule) for rule in moves}
    return 1.0 / frames if timings == {"frame"} else 0.0


def places_of(lattice: Lattice) -> NDArray[np.float64]:
    """Return places side by side and below each other as rows of x and y."""
    x, y = np.meshgrid(lattice.x, lattice.y)
    return np.stack([x.ravel(), y.ravel()], axis=1)


def start_fields(start: Start, context: Context) -> dict[str, Amount]:
    """Return the fields of a body that a start decides."""
    heading = context.heading
    return {
        "x": start.x,
        "y": start.y,
        "vx": start.vx,
        "vy": start.vy,
        "heading": heading.zero + heading.sign * np.radians(start.heading),
        "spin": heading.sign * np.radians(start.spin),
    }


def _sides(
    arena: Arena, reach: Reach, middle: tuple[float, float]
) -> list[tuple[int, float, float]]:
    """Return kind, place and restitution of each edge, relative to the `middle`."""
    sides: list[tuple[int, float, float]] = []
    for axis, own, zero in zip(AXES, reach, middle, strict=True):
        for side, place in zip(arena.sides(axis), arena.bounds(axis, own), strict=True):
            edge: Edge = arena.edges.at(side)
            kind = side_kinds.HOLD if edge.keeps_velocity else EDGES[edge.kind]
            kind = ONTO[edge.kind] if edge.snap else kind
            restitution = 1.0 if edge.restitution is None else edge.restitution
            sides.append((kind, place - zero, restitution))
    return sides


def _write(
    bodies: Place, walls: Place, rows: slice, carrier: int, sides: list[tuple[int, float, float]]
) -> None:
    """Write bounds and walls of some craft; open edges lie at infinity."""
    numbers = np.arange(rows.start, rows.stop)
    bodies.write_rows(rows, index=numbers, carrier=carrier, faced=math.nan)
    bodies.point_rows(numbers, "walls", walls, 4 * numbers)
    for side, (name, (kind, at, restitution)) in enumerate(zip(BOUNDS, sides, strict=True)):
        nowhere = math.inf if side % 2 else -math.inf
        place = nowhere if kind == side_kinds.OPEN else at
        each = slice(4 * rows.start + side, 4 * rows.stop, 4)
        walls.write_rows(each, kind=kind, at=place, restitution=restitution)
        bodies.write_rows(rows, **{name: place})


def _write_view(scenario: Scenario, bodies: Place, walls: Place, index: int) -> None:
    """Write the start and the limits of a view, which is a craft that follows another."""
    view, arena = scenario.view, scenario.arena
    assert view is not None
    sizes = ((view.width, arena.width), (view.height, arena.height))
    sides: list[tuple[int, float, float]] = []
    for axis, begin, (seen, whole) in zip(AXES, view_start(scenario), sizes, strict=True):
        low, high = seen / 2, whole - seen / 2
        kind = side_kinds.CLAMP if view.within == "arena" else side_kinds.OPEN
        seam = _view_seam(scenario, axis)
        if seam is not None:
            kind, (low, high) = side_kinds.WRAP, seam
        place = min(max(begin, low), high) if view.within == "arena" else begin
        bodies.write(index, **{axis: place})
        sides += [(kind, low, 1.0), (kind, high, 1.0)]
    bodies.write(index, alive=1.0)
    _write(bodies, walls, slice(index, index + 1), -1, sides)


def _view_seam(scenario: Scenario, axis: Axis) -> tuple[float, float] | None:
    """Return where a view wraps along an axis with the craft that it follows, or None."""
    view = scenario.view
    if view is None or not view.across_edges:
        return None
    followed = next(craft for craft in scenario.craft if craft.name == view.follow)
    return scenario.arena_of(followed).seam(axis)


def view_start(scenario: Scenario) -> tuple[float, float]:
    """Return where the middle of a view begins, without its limits."""
    view, arena = scenario.view, scenario.arena
    assert view is not None
    start = next(craft.start for craft in scenario.craft if craft.name == view.follow)
    x, y = (start.x, start.y) if view.start is None else view.start
    if view.start is None and view.axis != "both":
        x, y = (arena.width / 2, y) if view.axis == "y" else (x, arena.height / 2)
    return x, y


def view_entry(scenario: Scenario, context: Context) -> Entry:
    """Return a view as a craft with one rule."""
    view = scenario.view
    assert view is not None
    paced = replace(context, timing=scenario.timing_of(view))
    followed, (x, y) = context.craft[view.follow], view_start(scenario)
    seams = [_view_seam(scenario, axis) or (0.0, 0.0) for axis in AXES]
    arguments: dict[str, Argument] = {
        **paced.target(view.follow),
        "height": FieldOf(followed, "height"),
        "share": eased(view, paced),
        "most": math.inf if view.speed is None else paced.step(view.speed),
        "per": paced.per_step(),
        "zone_x": paced.plain(view.dead_zone[0]),
        "zone_y": paced.plain(view.dead_zone[1]),
        "period_x": seams[0][1] - seams[0][0],
        "period_y": seams[1][1] - seams[1][0],
        "lifted": context.heading.up if view.follows_height else 0.0,
        "along_x": view.axis != "y",
        "along_y": view.axis != "x",
        "free": view.clamps == "display",
    }
    bound = Bound((Step(look, arguments),), memory=Looking, begins={"x": x, "y": y})
    rule = BoundRule(Follow(target=view.follow), bound, ())
    about = (False, False, False, False, StateNames({}, context), ())
    return Entry(("view",), len(scenario.fleet), 1, (rule,), *about, ((rule,),))
