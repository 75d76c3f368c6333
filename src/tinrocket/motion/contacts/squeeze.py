"""Bodies that are put apart, and bodies that are squeezed.

A body between a bat and a wall is squeezed: the wall holds, and the bat passes over it or is held,
as the contact declares. A body that an edge of the view pushes against a fixed body is held by
that, and the edge passes over it. A body with too many impacts in a step is frozen until the next
step, and nothing passes through frozen bodies.
"""

from typing import Final

from tinrocket.language.intrinsics import INFINITE
from tinrocket.language.subset import kernel
from tinrocket.motion.contacts.geometry import SLOP, gap
from tinrocket.motion.contacts.grid import list_in_box
from tinrocket.motion.contacts.images import seen_at
from tinrocket.motion.contacts.impact import impact, lay_way
from tinrocket.motion.contacts.near import is_off, is_solid
from tinrocket.motion.contacts.pairs import next_of, partner_of, put_in_order
from tinrocket.motion.contacts.paths import both_radii, gap_now, halt, heading_of, outline
from tinrocket.motion.contacts.respond import inverse_mass_of
from tinrocket.motion.contacts.tables import SWEPT, Pair, Point
from tinrocket.motion.events import SQUEEZE, note_body
from tinrocket.motion.sides import BOUNCE, CLAMP, HOLD, ONTO
from tinrocket.motion.world import World

MAX_IMPACTS_PER_BODY: Final = 1000
"""Most impacts of a body in a step."""
MOST_CLOSE: Final = 100
"""Impacts without progress after which a body is frozen for the step."""
CLOSE: Final = 1e-7
"""Movement that counts as progress [px]."""
FLIGHT: Final = 1e-4
"""Fraction of a step between two elastic impacts that counts as a flight, and so as progress."""


@kernel
def way_of(world: World, body: int, n: int, dx: float, dy: float) -> float:
    """Return the share of a displacement d before the other of a pair stops a body."""
    contacts = world.contacts
    pair = contacts.pairs[n]
    one = contacts.paths[pair.one]
    x, y = seen_at(world, pair)
    if abs(one.x - x) > pair.apart_x + abs(dx):
        return 1.0
    if abs(one.y - y) > pair.apart_y + abs(dy):
        return 1.0
    part, wall = contacts.parts[pair.part_one], contacts.parts[pair.part_other]
    corners = outline(world, contacts.shape, part, heading_of(world, pair.one), one.x, one.y)
    angle = heading_of(world, pair.other)
    others = outline(world, contacts.wall, wall, angle, x, y)
    if body == pair.other:
        dx, dy = -dx, -dy
    radius = both_radii(world, pair)
    room, nx, ny = gap(contacts.wall, others, contacts.shape, corners, radius)
    if room < -SLOP:
        return 0.0 if dx * nx + dy * ny < 0.0 else 1.0
    way = lay_way(contacts.way, dx, dy, 0.0, 0.0)
    t, nx, ny = impact(contacts.wall, others, contacts.shape, corners, radius, way)
    return min(t, 1.0)


@kernel
def way_to_sides(world: World, body: int, dx: float, dy: float) -> float:
    """Return the share of a displacement d before an edge stops a craft.

    An edge that pushes it passes over it instead.
    """
    craft, path, share = world.bodies[body], world.contacts.paths[body], 1.0
    for side in range(4):
        kind = craft.walls[side].kind
        if path.pushed & (1 << side) != 0:
            continue
        if kind == BOUNCE or kind == ONTO or kind == CLAMP or kind == HOLD:
            room, way = path.x - craft.low_x, -dx
            if side == 1:
                room, way = craft.high_x - path.x, dx
            elif side == 2:
                room, way = path.y - craft.low_y, -dy
            elif side == 3:
                room, way = craft.high_y - path.y, dy
            if way > max(room, 0.0):
                share = min(share, max(room, 0.0) / way)
    return share


@kernel
def list_toward(world: World, body: int, dx: float, dy: float) -> None:
    """List the pairs of a body with all that it may meet on a displacement d, unless listed."""
    contacts = world.contacts
    path, traits = contacts.paths[body], contacts.traits[body]
    leaves_x = abs(path.x - path.home_x) + abs(dx) > path.room_x
    if leaves_x or abs(path.y - path.home_y) + abs(dy) > path.room_y:
        far_x, far_y = abs(dx) + traits.extent_x, abs(dy) + traits.extent_y
        before = contacts.pair_count
        list_in_box(world, body, -1, path.x, path.y, far_x, far_y)
        put_in_order(world, before)


@kernel
def put(world: World, body: int, beside: int, dx: float, dy: float) -> float:
    """Move a craft by d, but not into immovable bodies; return the share of d that it moved.

    The group `beside` of pairs does not stop it.
    """
    contacts = world.contacts
    path, share = contacts.paths[body], way_to_sides(world, body, dx, dy)
    list_toward(world, body, dx, dy)
    listed = path.first_pair
    for _ in range(contacts.pair_count):
        if listed == 0:
            break
        facing = partner_of(contacts.pairs[listed - 1], body)
        for n in range(listed - 1, contacts.pairs[listed - 1].past):
            pair = contacts.pairs[n]
            contact = contacts.contacts[pair.contact]
            gives = pair.give_other if pair.one == body else pair.give_one
            stands = gives == 0.0 or contacts.paths[facing].stuck != 0
            swept = is_solid(contact) and contact.detection == SWEPT and not is_off(world, pair)
            if stands and swept and pair.group != beside and contacts.paths[facing].there != 0:
                share = min(share, way_of(world, body, n, dx, dy))
        listed = next_of(contacts.pairs[listed - 1], body)
    path.x += share * dx
    path.y += share * dy
    path.moved = 1
    return share


@kernel
def extent(corners: Point, count: int, along_x: bool) -> tuple[float, float]:
    """Return the range of corners along an axis."""
    least, most = INFINITE, -INFINITE
    for n in range(count):
        at = corners[n].x if along_x else corners[n].y
        least, most = min(least, at), max(most, at)
    return least, most


@kernel
def put_beside(world: World, pair: Pair, side: int) -> tuple[float, float]:
    """Put the first of a pair on a side of the other, 0 to 3, or on the nearer one of an axis.

    Other bodies are ignored. Returns the normal of that side.
    """
    contacts = world.contacts
    one = contacts.paths[pair.one]
    x, y = seen_at(world, pair)
    part, wall = contacts.parts[pair.part_one], contacts.parts[pair.part_other]
    along_x = side < 2 or side == 4
    before = one.x < x if along_x else one.y < y
    low = before if side >= 4 else side == 0 or side == 2
    count = outline(world, contacts.shape, part, heading_of(world, pair.one), one.x, one.y)
    least, most = extent(contacts.shape, count, along_x)
    others = outline(world, contacts.wall, wall, heading_of(world, pair.other), x, y)
    near, far = extent(contacts.wall, others, along_x)
    radius = both_radii(world, pair)
    way = near - radius - most if low else far + radius - least
    toward = -1.0 if low else 1.0
    one.moved = 1
    if along_x:
        one.x += way
        return toward, 0.0
    one.y += way
    return 0.0, toward


@kernel
def put_apart(world: World, n: int, nx: float, ny: float, depth: float) -> None:
    """Put an overlapping pair apart; without room, the first is squeezed."""
    contacts = world.contacts
    pair = contacts.pairs[n]
    status, hold = contacts.status[pair.group], contacts.holds[pair.group]
    give_one = inverse_mass_of(contacts.paths[pair.one], pair.give_one)
    give_other = inverse_mass_of(contacts.paths[pair.other], pair.give_other)
    both = give_one + give_other
    turned = hold.squeezed_x * nx + hold.squeezed_y * ny < 0.5
    if both == 0.0 or (status.squeezed == 2 and turned):  # it must not be put through the other
        status.squeezed = 1
        return
    left = depth
    if give_other > 0.0:
        part = depth * give_other / both
        left -= part * put(world, pair.other, pair.group, -part * nx, -part * ny)
    if give_one > 0.0:
        left -= left * put(world, pair.one, pair.group, left * nx, left * ny)
    if left > SLOP and contacts.contacts[pair.contact].holds != 0 and pair.other < world.crafts:
        left -= left * put(world, pair.other, pair.group, -left * nx, -left * ny)
        contacts.paths[pair.other].stuck = 1
        halt(contacts.paths[pair.other])
    if left > SLOP and pair.give_other == 0.0:
        begins = status.squeezed == 0
        status.squeezed = 1
        hold.squeezed_x = nx
        hold.squeezed_y = ny
        if begins:
            note_squeeze(world, pair.one, pair.other)


@kernel
def note_squeeze(world: World, body: int, other: int) -> None:
    """Record that a craft is squeezed from now on."""
    event = note_body(world, SQUEEZE, world.bodies[body], world.contacts.paths[body].at)
    event.other = other


@kernel
def squeezes(world: World, body: int, n: int) -> bool:
    """Return whether the other of a pair moves and touches a frozen craft; it may be held."""
    contacts = world.contacts
    pair = contacts.pairs[n]
    contact, facing = contacts.contacts[pair.contact], partner_of(pair, body)
    there = contacts.paths[pair.one].there != 0 and contacts.paths[pair.other].there != 0
    moves = facing < world.crafts and pair.give_other == 0.0
    solid = is_solid(contact) and contact.detection == SWEPT and not is_off(world, pair)
    if not (solid and there and moves):
        return False
    room, nx, ny = gap_now(world, pair)
    if room > CLOSE:
        return False
    hold = contacts.holds[pair.group]
    hold.squeezed_x = nx
    hold.squeezed_y = ny
    if contact.holds != 0 and pair.one == body and pair.give_other == 0.0:
        contacts.paths[facing].stuck = 1
        contacts.paths[facing].moved = 1
        halt(contacts.paths[facing])
    return True


@kernel
def squeeze(world: World, body: int, other: int) -> None:
    """Mark a frozen craft as squeezed by all moving bodies that touch it.

    If there are none, it is squeezed by `other`, its last impact.
    """
    contacts = world.contacts
    begins = world.contacts.paths[body].stuck_in != world.count
    listed = contacts.paths[body].first_pair
    for _ in range(contacts.pair_count):
        if listed == 0:
            break
        for n in range(listed - 1, contacts.pairs[listed - 1].past):
            if squeezes(world, body, n):
                status = contacts.status[contacts.pairs[n].group]
                begins = begins and status.squeezed == 0
                status.squeezed = 1
                other = partner_of(contacts.pairs[n], body)
        listed = next_of(contacts.pairs[listed - 1], body)
    if begins:
        note_squeeze(world, body, other)


@kernel
def count_meeting(world: World, body: int, other: int, elastic: bool) -> None:
    """Count a craft's impacts, and freeze it for the rest of the step after too many.

    An `elastic` impact loses no speed, so that a craft may bounce many times in one place.
    """
    if body >= world.crafts or world.contacts.paths[body].stuck != 0:
        return
    path = world.contacts.paths[body]
    path.met += 1
    got = abs(path.x - path.last_x) + abs(path.y - path.last_y)
    flew = elastic and path.at - path.last_at > FLIGHT
    path.close = path.close + 1 if got < CLOSE and not flew else 0
    path.last_x = path.x
    path.last_y = path.y
    path.last_at = path.at
    if path.met > MAX_IMPACTS_PER_BODY or path.close > MOST_CLOSE:
        path.stuck = 1
        path.moved = 1
        halt(path)
        world.bodies[body].vx = 0.0
        world.bodies[body].vy = 0.0
        squeeze(world, body, other)
        path.stuck_in = world.count + 1.0


@kernel
def remember_impact(world: World, pair: Pair) -> None:
    """Store what the first of a pair has met, which may hold it beyond an edge that pushes it."""
    if is_solid(world.contacts.contacts[pair.contact]):
        path = world.contacts.paths[pair.one]
        path.met_last = pair.other
        path.met_gives = 1 if pair.give_other > 0.0 else 0
        path.met_at = path.at


@kernel
def recall(world: World, body: int) -> None:
    """Store what a craft has touched since earlier, if it has met nothing in this step."""
    contacts = world.contacts
    path = contacts.paths[body]
    listed = path.first_pair
    for _ in range(contacts.pair_count):
        if listed == 0 or path.met_last >= 0:
            break
        pair = contacts.pairs[listed - 1]
        solid = is_solid(contacts.contacts[pair.contact])
        if solid and pair.one == body and contacts.status[pair.group].touching != 0:
            remember_impact(world, pair)
            path.met_at = 0.0
        listed = next_of(pair, body)


@kernel
def squeeze_at_sides(world: World) -> None:
    """Record craft that ended the step beyond a pushing edge, held by a body that they touch.

    A movable body holds a craft only if it has no room either.
    """
    for n in range(world.crafts):
        body, path = world.bodies[n], world.contacts.paths[n]
        if path.pushed == 0 or body.alive <= 0.0:
            continue
        beyond_x = max(body.low_x - body.x, body.x - body.high_x)
        beyond_y = max(body.low_y - body.y, body.y - body.high_y)
        if beyond_x <= SLOP and beyond_y <= SLOP:
            continue
        recall(world, n)
        way = abs(body.x - body.before_x) if beyond_x > SLOP else abs(body.y - body.before_y)
        if path.met_last >= 0 and (path.met_gives == 0 or way < CLOSE):
            if path.squeezed_in != world.count:
                event = note_body(world, SQUEEZE, body, path.met_at)
                event.other = path.met_last
            path.squeezed_in = world.count + 1.0


@kernel
def is_restless(world: World, body: int) -> bool:
    """Return whether a craft keeps bouncing in one place, and should come to rest there."""
    if body >= world.crafts:
        return False
    close = world.contacts.paths[body].close
    return close == 8 or close == 24 or close == 56
