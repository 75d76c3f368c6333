"""Bodies on their ways through a step: where they are, and what they look like there."""

from tinrocket.kernel.maths import sincos
from tinrocket.kernel.subset import kernel
from tinrocket.motion.contacts.geometry import gap
from tinrocket.motion.contacts.tables import Pair, Part, Path, Point
from tinrocket.motion.world import TIME_EPSILON, World


@kernel
def outline(world: World, room: Point, part: Part, angle: float, x: float, y: float) -> int:
    """Lay the corners of a part of a body at a place, turned if it turns; return how many."""
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
    """Return the heading of a body; what stands still has none."""
    return world.bodies[body].heading if body < world.crafts else 0.0


@kernel
def both_radii(world: World, pair: Pair) -> float:
    """Return by how much the corners of both of a pair are rounded, together."""
    parts = world.contacts.parts
    return parts[pair.part_one].radius + parts[pair.part_other].radius


@kernel
def begin_paths(world: World) -> None:
    """Lay the paths of all bodies in this step, straight from where they were to where they are."""
    contacts, paths = world.contacts, world.contacts.paths
    for n in range(world.crafts):
        body, path = world.bodies[n], paths[n]
        path.at = 0.0
        path.x = body.x
        path.y = body.y
        path.way_x = 0.0
        path.way_y = 0.0
        path.pace = 0.0
        safe = world.now < body.born + body.safe - TIME_EPSILON
        path.there = 0 if safe or body.alive == 0.0 or body.aloft != 0.0 else 1
        if body.alive > 0.0:
            vx, vy = body.vx, body.vy
            wx, wy = body.x - body.before_x, body.y - body.before_y
            path.x = body.x - wx
            path.y = body.y - wy
            path.way_x = wx
            path.way_y = wy
            square = vx * vx + vy * vy
            pace = (wx * vx + wy * vy) / square if square > 0.0 else 0.0
            path.pace = pace if pace > 0.0 else world.dt
    for n in range(contacts.place_count):
        place, path = contacts.places[n], paths[world.crafts + n]
        path.at = 0.0
        path.x = place.x
        path.y = place.y
        path.way_x = 0.0
        path.way_y = 0.0
        path.pace = 0.0


@kernel
def too_far(world: World, pair: Pair) -> bool:
    """Whether a pair is too far apart to meet in this step, by the boxes around both."""
    one, other = world.contacts.paths[pair.one], world.contacts.paths[pair.other]
    far_x = pair.apart_x + abs(one.way_x) + abs(other.way_x)
    far_y = pair.apart_y + abs(one.way_y) + abs(other.way_y)
    return abs(one.x - other.x) > far_x or abs(one.y - other.y) > far_y


@kernel
def advance(path: Path, moment: float) -> None:
    """Move a body along its path to a later fraction of the step."""
    share = moment - path.at
    path.x += share * path.way_x
    path.y += share * path.way_y
    path.at = moment


@kernel
def halt(path: Path) -> None:
    """Let a body stay where it is for the rest of the step."""
    path.way_x = 0.0
    path.way_y = 0.0


@kernel
def gap_at_end(world: World, pair: Pair) -> tuple[float, float, float]:
    """Return gap and normal of a pair where its bodies are at the end of the step."""
    contacts = world.contacts
    one, other = contacts.paths[pair.one], contacts.paths[pair.other]
    part, wall = contacts.parts[pair.part_one], contacts.parts[pair.part_other]
    corners = outline(world, contacts.shape, part, heading_of(world, pair.one), one.x, one.y)
    angle = heading_of(world, pair.other)
    others = outline(world, contacts.wall, wall, angle, other.x, other.y)
    return gap(contacts.wall, others, contacts.shape, corners, both_radii(world, pair))


@kernel
def nearest_parts(world: World, group: int) -> tuple[float, float, float, int]:
    """Return gap and normal where two bodies of several parts are nearest, and the pair."""
    contacts = world.contacts
    pairs = contacts.pairs
    room, normal_x, normal_y = gap_at_end(world, pairs[group])
    found = group
    for n in range(group + 1, contacts.pair_count):
        if pairs[n].group != group:
            break
        other_room, nx, ny = gap_at_end(world, pairs[n])
        if other_room < room:
            room, normal_x, normal_y, found = other_room, nx, ny, n
    return room, normal_x, normal_y, found
