"""Which pairs may meet in what is left of a step, and when each of them does."""

from tinrocket.kernel.intrinsics import INFINITE
from tinrocket.kernel.subset import kernel
from tinrocket.motion.contacts.geometry import DEEP, SLOP, gap
from tinrocket.motion.contacts.impact import NEVER, impact, lay_way
from tinrocket.motion.contacts.paths import (
    both_radii,
    heading_of,
    outline,
    settle_in,
    strays,
    too_far,
)
from tinrocket.motion.contacts.soonest import plant
from tinrocket.motion.contacts.tables import (
    BLOCK,
    BOUNCE,
    STOP,
    SWEPT,
    Contact,
    Near,
    Pair,
)
from tinrocket.motion.world import World


@kernel
def is_solid(contact: Contact) -> bool:
    """Whether the two push at each other."""
    return contact.response == BOUNCE or contact.response == BLOCK or contact.response == STOP


@kernel
def is_off(world: World, pair: Pair) -> bool:
    """Whether a contact waits for something that is not on."""
    contacts = world.contacts
    gate = contacts.contacts[pair.contact].gate
    return gate >= 0 and contacts.barred[gate + pair.one] != 0.0


@kernel
def foresee(world: World, near: Near) -> None:
    """Work out when a pair next meets in this step, the normal there, and the gap before it.

    Those that pass through each other meet again once they have parted; those that are squeezed
    or stand still do not.
    """
    contacts = world.contacts
    pair = contacts.pairs[near.pair]
    contact, status = contacts.contacts[pair.contact], contacts.status[pair.group]
    one, other = contacts.paths[pair.one], contacts.paths[pair.other]
    near.moment = NEVER
    near.gap = INFINITE
    if one.there == 0 or other.there == 0:
        return
    solid = is_solid(contact)
    still = pair.give_one == 0.0 or one.stuck != 0
    if solid and still and (pair.give_other == 0.0 or other.stuck != 0):
        return
    if status.squeezed == 1 and pair.give_other == 0.0 and contact.holds == 0:
        return
    now = max(one.at, other.at)
    left, share, back = 1.0 - now, now - one.at, now - other.at
    x = one.x + (one.way_x + one.curve_x * share) * share
    y = one.y + (one.way_y + one.curve_y * share) * share
    ox = other.x + (other.way_x + other.curve_x * back) * back
    oy = other.y + (other.way_y + other.curve_y * back) * back
    dx = one.way_x + 2.0 * one.curve_x * share - other.way_x - 2.0 * other.curve_x * back
    dy = one.way_y + 2.0 * one.curve_y * share - other.way_y - 2.0 * other.curve_y * back
    cx, cy = one.curve_x - other.curve_x, one.curve_y - other.curve_y
    far_x = pair.apart_x + (abs(dx) + abs(cx)) * left
    far_y = pair.apart_y + (abs(dy) + abs(cy)) * left
    if abs(x - ox) > far_x or abs(y - oy) > far_y:
        if not solid and pair.alone != 0:
            status.touching = 0
        return
    part, wall = contacts.parts[pair.part_one], contacts.parts[pair.part_other]
    corners = outline(world, contacts.shape, part, heading_of(world, pair.one), x, y)
    others = outline(world, contacts.wall, wall, heading_of(world, pair.other), ox, oy)
    radius = both_radii(world, pair)
    room, nx, ny = INFINITE, 0.0, 0.0
    meets_now = abs(x - ox) <= pair.apart_x and abs(y - oy) <= pair.apart_y
    if meets_now or contacts.pushed != 0:
        room, nx, ny = gap(contacts.wall, others, contacts.shape, corners, radius)
    near.gap = room
    near.normal_x = nx
    near.normal_y = ny
    if room < -SLOP:
        closes = (dx * nx + dy * ny + (cx * nx + cy * ny) * left) * left < -SLOP
        if (solid and (closes or room < -DEEP)) or (not solid and status.touching == 0):
            near.moment = now
        return
    if not solid and status.touching != 0:
        if room <= SLOP or pair.alone == 0:
            return
        status.touching = 0
    square = left * left
    way = lay_way(contacts.way, dx * left, dy * left, cx * square, cy * square)
    t, nx, ny = impact(contacts.wall, others, contacts.shape, corners, radius, way)
    if t <= 1.0:
        near.moment = now + t * left
        near.normal_x = nx
        near.normal_y = ny


@kernel
def join(world: World, n: int) -> None:
    """Take up a pair among those that may meet in this step, if it may."""
    contacts = world.contacts
    pair, status = contacts.pairs[n], contacts.status[n]
    one, other = contacts.paths[pair.one], contacts.paths[pair.other]
    if status.near != 0 or one.there == 0 or other.there == 0 or too_far(world, pair):
        return
    if contacts.contacts[pair.contact].detection != SWEPT or is_off(world, pair):
        return
    near = contacts.near[contacts.near_count]
    contacts.near_count += 1
    status.near = contacts.near_count
    near.pair = n
    near.moment = NEVER
    near.next_one = one.first_near
    near.next_other = other.first_near
    one.first_near = contacts.near_count
    other.first_near = contacts.near_count


@kernel
def gather_near(world: World) -> None:
    """List the swept pairs that may meet in this step."""
    contacts = world.contacts
    for place in range(contacts.near_count):
        before = contacts.near[place].pair
        contacts.status[before].near = 0
        contacts.paths[contacts.pairs[before].one].first_near = 0
        contacts.paths[contacts.pairs[before].other].first_near = 0
    contacts.near_count = 0
    last, there = -1, False
    x, y, room_x, room_y = 0.0, 0.0, 0.0, 0.0
    for n in range(contacts.pair_count):
        pair = contacts.pairs[n]
        if pair.one != last:  # pairs of one craft stand together
            last = pair.one
            one = contacts.paths[last]
            there = one.there != 0
            x, y, room_x, room_y = one.home_x, one.home_y, one.room_x, one.room_y
        if there:
            other = contacts.paths[pair.other]
            if abs(x - other.home_x) <= pair.apart_x + room_x + other.room_x:
                if abs(y - other.home_y) <= pair.apart_y + room_y + other.room_y:
                    join(world, n)


@kernel
def renew(world: World, body: int) -> None:
    """Foresee anew what a body meets, whose way has changed."""
    contacts = world.contacts
    path = contacts.paths[body]
    if body < world.crafts and strays(path):
        settle_in(path)
        for place in range(contacts.first_of[body], contacts.first_of[body + 1]):
            if contacts.status[contacts.of_body[place]].near == 0:
                join(world, contacts.of_body[place])
    listed = path.first_near
    for _ in range(contacts.near_count):
        if listed == 0:
            break
        near = contacts.near[listed - 1]
        foresee(world, near)
        plant(world, listed - 1)
        listed = near.next_one if contacts.pairs[near.pair].one == body else near.next_other
