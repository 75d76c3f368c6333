"""Paths of bodies through a step: their places, and their corners there."""

from typing import Final

from tinrocket.language.intrinsics import INFINITE
from tinrocket.language.maths import sincos
from tinrocket.language.subset import kernel
from tinrocket.motion.body import CURVED, Body, stride_of
from tinrocket.motion.contacts.geometry import gap
from tinrocket.motion.contacts.images import seen_at, shift_of, wraps_x, wraps_y
from tinrocket.motion.contacts.impact import NEVER
from tinrocket.motion.contacts.pushed import push_along, straighten
from tinrocket.motion.contacts.tables import Pair, Part, Point, StepPath
from tinrocket.motion.world import TIME_EPSILON, Arrival, World

SPARE: Final = 1.25
"""Factor by which the stored box of a path is larger than the path."""
AROUND: Final = 1e-3
"""Fixed margin of that box, so that stopped bodies may jitter [px]."""


@kernel
def outline(world: World, room: Point, part: Part, angle: float, x: float, y: float) -> int:
    """Place the corners of a part of a body, turned if it turns; return their number."""
    cos_a, sin_a = 1.0, 0.0
    if part.turns != 0:
        cos_a, sin_a = sincos(angle)
    corners = world.contacts.corners[part.first]
    count = part.past - part.first
    for k in range(count):
        cx, cy = corners[k].x, corners[k].y
        room[k].x = x + cx * cos_a - cy * sin_a
        room[k].y = y + cx * sin_a + cy * cos_a
    return count


@kernel
def heading_of(world: World, body: int) -> float:
    """Return the heading of a body; 0 for a still body."""
    return world.bodies[body].heading if body < world.crafts else 0.0


@kernel
def both_radii(world: World, pair: Pair) -> float:
    """Return the sum of the radii of both parts of a pair."""
    parts = world.contacts.parts
    return parts[pair.part_one].radius + parts[pair.part_other].radius


@kernel
def set_out(path: StepPath, x: float, y: float) -> None:
    """Begin a step at a place, standing still."""
    path.at = 0.0
    path.x = x
    path.y = y
    path.moved = 0
    path.stuck = 0
    path.met = 0
    path.met_last = -1
    path.heaped = 0
    path.leaves = 0
    path.close = 0
    path.last_x = x
    path.last_y = y
    path.last_at = 0.0
    path.crossed = 0
    path.side_at = NEVER
    path.loses_at = NEVER
    path.falls = 0
    path.lies_x = 0
    path.lies_y = 0
    halt(path)


@kernel
def lay_path(
    path: StepPath, body: Body, x: float, y: float, wx: float, wy: float, stride: float
) -> None:
    """Set the path of a craft through a step, from a place along the displacement w.

    Its push goes on: for half steps or closed form the path is the parabola of this push, and the
    velocity changes along it. Otherwise the path is straight.
    """
    vx, vy = body.vx, body.vy
    set_out(path, x, y)
    path.end_vx = vx
    path.end_vy = vy
    square = vx * vx + vy * vy
    pace = (wx * vx + wy * vy) / square if square > 0.0 else 0.0
    path.pace = pace if pace > 0.0 else stride
    path.way_x = wx
    path.way_y = wy
    if body.movement == CURVED:
        path.pace = stride
        path.curve_x = 0.5 * body.push_x * stride
        path.curve_y = 0.5 * body.push_y * stride
        path.way_x = wx - path.curve_x
        path.way_y = wy - path.curve_y
        body.vx = vx - body.push_x
        body.vy = vy - body.push_y
    span(path)


@kernel
def span(path: StepPath) -> None:
    """Compute how far a body may get in the rest of this step."""
    left = 1.0 - path.at
    path.reach_x = (abs(path.way_x) + abs(path.curve_x) * left) * left
    path.reach_y = (abs(path.way_y) + abs(path.curve_y) * left) * left


@kernel
def swap(body: Body, arrival: Arrival) -> None:
    """Swap the states of a craft before and after edges acted."""
    body.x, arrival.x = arrival.x, body.x
    body.y, arrival.y = arrival.y, body.y
    body.vx, arrival.vx = arrival.vx, body.vx
    body.vy, arrival.vy = arrival.vy, body.vy
    body.before_x, arrival.before_x = arrival.before_x, body.before_x
    body.before_y, arrival.before_y = arrival.before_y, body.before_y
    body.wraps_x, arrival.wraps_x = arrival.wraps_x, body.wraps_x
    body.wraps_y, arrival.wraps_y = arrival.wraps_y, body.wraps_y
    body.touch_x, arrival.touch_x = arrival.touch_x, body.touch_x
    body.touch_y, arrival.touch_y = arrival.touch_y, body.touch_y
    body.alive, arrival.alive = arrival.alive, body.alive


@kernel
def begin_paths(world: World) -> None:
    """Set the paths of all craft in this step, from their previous to their present places.

    Craft that crossed an edge are put back to before the edge acted; edges and bodies are then
    resolved in one time order.
    """
    paths = world.contacts.paths
    for n in range(world.crafts):
        body, path, arrival = world.bodies[n], paths[n], world.arrivals[n]
        crossed = arrival.count == world.count + 1.0 and body.meets != 0
        path.pushed = 0
        if crossed:
            swap(body, arrival)
            push_along(body, arrival, path)
        safe = world.now < body.born + body.invulnerable - TIME_EPSILON
        path.there = 0 if safe or body.alive == 0.0 or body.airborne != 0.0 else 1
        if body.alive > 0.0:
            wx, wy = body.x - body.before_x, body.y - body.before_y
            lay_path(path, body, body.x - wx, body.y - wy, wx, wy, stride_of(body, world.dt))
            if path.pushed != 0:
                straighten(body, path)
                span(path)
        else:
            set_out(path, body.x, body.y)
            path.pace = 0.0
            path.stuck = 1 if body.alive < 0.0 else 0  # nothing moves a stopped body
            path.end_vx = body.vx
            path.end_vy = body.vy
        if path.stuck_in == world.count and world.count > 0.0:
            path.close = 2  # contacts at its place have begun
        path.end_x = body.x
        path.end_y = body.y
        if crossed:
            path.crossed = 1
            if (body.x < body.low_x or body.x >= body.high_x) and not wraps_x(world, n):
                path.reach_x = INFINITE  # it may wrap, or be thrown back
            if (body.y < body.low_y or body.y >= body.high_y) and not wraps_y(world, n):
                path.reach_y = INFINITE
        settle_in(path)


@kernel
def settle_in(path: StepPath) -> None:
    """Store a box around a body's path, with a margin."""
    path.home_x = path.x
    path.home_y = path.y
    path.room_x = SPARE * path.reach_x + AROUND
    path.room_y = SPARE * path.reach_y + AROUND


@kernel
def strays(path: StepPath) -> bool:
    """Return whether a body may leave the stored box of its path."""
    beyond_x = abs(path.x - path.home_x) + path.reach_x > path.room_x
    return beyond_x or abs(path.y - path.home_y) + path.reach_y > path.room_y


@kernel
def too_far(world: World, pair: Pair) -> bool:
    """Return whether a pair is too far apart to meet in this step, by their boxes."""
    one, other = world.contacts.paths[pair.one], world.contacts.paths[pair.other]
    far_x = pair.apart_x + one.room_x + other.room_x
    far_y = pair.apart_y + one.room_y + other.room_y
    x, y = one.home_x - other.home_x, one.home_y - other.home_y
    if world.contacts.images != 0:
        shift_x, shift_y = shift_of(world, pair)
        x, y = x - shift_x, y - shift_y
    return abs(x) > far_x or abs(y) > far_y


@kernel
def advance(world: World, n: int, moment: float) -> None:
    """Move a body along its path to a later fraction of the step, and set its velocity there."""
    path = world.contacts.paths[n]
    share = moment - path.at
    if share > 0.0:
        path.x += (path.way_x + path.curve_x * share) * share
        path.y += (path.way_y + path.curve_y * share) * share
        path.at = moment
        if path.curve_x != 0.0 or path.curve_y != 0.0:
            gain_x, gain_y = 2.0 * path.curve_x * share, 2.0 * path.curve_y * share
            path.way_x += gain_x
            path.way_y += gain_y
            world.bodies[n].vx += gain_x / path.pace
            world.bodies[n].vy += gain_y / path.pace


@kernel
def halt(path: StepPath) -> None:
    """Keep a body at its place for the rest of the step."""
    path.way_x = 0.0
    path.way_y = 0.0
    path.curve_x = 0.0
    path.curve_y = 0.0
    path.reach_x = 0.0
    path.reach_y = 0.0
    path.side_at = NEVER


@kernel
def gap_now(world: World, pair: Pair) -> tuple[float, float, float]:
    """Return gap and normal of a pair at the current points of its paths."""
    return gap_after(world, pair, 0.0, 0.0)


@kernel
def gap_after(world: World, pair: Pair, dx: float, dy: float) -> tuple[float, float, float]:
    """Return gap and normal of a pair once the first has moved by d against the other."""
    contacts = world.contacts
    one = contacts.paths[pair.one]
    x, y = seen_at(world, pair)
    part, wall = contacts.parts[pair.part_one], contacts.parts[pair.part_other]
    angle, facing = heading_of(world, pair.one), heading_of(world, pair.other)
    corners = outline(world, contacts.shape, part, angle, one.x + dx, one.y + dy)
    others = outline(world, contacts.wall, wall, facing, x, y)
    return gap(contacts.wall, others, contacts.shape, corners, both_radii(world, pair))


@kernel
def room_after(world: World, pair: Pair, dx: float, dy: float) -> float:
    """Return the gap of a pair once the first has moved by d against the other."""
    room, _nx, _ny = gap_after(world, pair, dx, dy)
    return room


@kernel
def nearest_parts(world: World, group: int) -> tuple[float, float, float, int]:
    """Return gap and normal where two bodies of several parts are nearest, and the pair."""
    pairs = world.contacts.pairs
    room, normal_x, normal_y = gap_now(world, pairs[group])
    nearest = group
    for n in range(group + 1, world.contacts.pair_count):
        if pairs[n].group != group:
            break
        other_room, nx, ny = gap_now(world, pairs[n])
        if other_room < room:
            room, normal_x, normal_y, nearest = other_room, nx, ny, n
    return room, normal_x, normal_y, nearest
