"""Pairs that may meet in the rest of a step, and their times of impact."""

from typing import Final

from tinrocket.language.intrinsics import INFINITE
from tinrocket.language.maths import hypot
from tinrocket.language.subset import kernel
from tinrocket.motion.body import stride_of
from tinrocket.motion.contacts.geometry import DEEP, SLOP, gap
from tinrocket.motion.contacts.grid import clear, enter_cells, list_in_box
from tinrocket.motion.contacts.images import embrace, lay_box, move_box, shift_of
from tinrocket.motion.contacts.impact import NEVER, impact, lay_way
from tinrocket.motion.contacts.pairs import (
    consider,
    keep_known,
    mark_partners,
    next_of,
    put_in_order,
    room_of,
    sort_pairs,
)
from tinrocket.motion.contacts.passing import leads_group, meet_again
from tinrocket.motion.contacts.paths import (
    both_radii,
    heading_of,
    outline,
    settle_in,
    strays,
    too_far,
)
from tinrocket.motion.contacts.respond import push_velocity
from tinrocket.motion.contacts.soonest import plant
from tinrocket.motion.contacts.tables import (
    BLOCK,
    BOUNCE,
    STOP,
    SWEPT,
    Contact,
    NearPair,
    Pair,
)
from tinrocket.motion.world import World

NOTHING: Final = 1e-9
"""Distance that resting bodies may approach in a step by rounding [px]."""
PARTS: Final = 1e-3
"""Smallest distance that counts as a gap [px]."""


@kernel
def is_solid(contact: Contact) -> bool:
    """Return whether each of the two pushes the other."""
    return contact.response == BOUNCE or contact.response == BLOCK or contact.response == STOP


@kernel
def is_barred(world: World, contact: Contact, craft: int) -> bool:
    """Return whether the gate of a contact is closed for the craft that responds."""
    return contact.gate >= 0 and world.contacts.barred[contact.gate + craft] != 0.0


@kernel
def is_off(world: World, pair: Pair) -> bool:
    """Return whether the gate of a pair's contact is closed."""
    return is_barred(world, world.contacts.contacts[pair.contact], pair.one)


@kernel
def may_lean(world: World, pair: Pair, x: float, y: float) -> bool:
    """Return whether pushes on others of its heap may bring a pair together.

    Parameters
    ----------
    x, y
        Vector from the place of the other to that of the first.
    """
    px, py = push_velocity(world, pair.one)
    qx, qy = push_velocity(world, pair.other)
    room = max(hypot(px, py), hypot(qx, qy)) * stride_of(world.bodies[pair.one], world.dt)
    return abs(x) <= pair.apart_x + room and abs(y) <= pair.apart_y + room


@kernel
def foresee(world: World, near: NearPair) -> None:
    """Compute when a pair next meets in this step, the normal there, and the gap before it.

    Bodies that pass through each other meet again once they have separated; squeezed or stopped
    ones do not.
    """
    contacts = world.contacts
    pair = contacts.pairs[near.pair]
    contact, status = contacts.contacts[pair.contact], contacts.status[pair.group]
    one, other = contacts.paths[pair.one], contacts.paths[pair.other]
    near.moment = NEVER
    near.gap = INFINITE
    near.anew = 0
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
    if contacts.images != 0:
        shift_x, shift_y = shift_of(world, pair)
        ox, oy = ox + shift_x, oy + shift_y
    dx = one.way_x + 2.0 * one.curve_x * share - other.way_x - 2.0 * other.curve_x * back
    dy = one.way_y + 2.0 * one.curve_y * share - other.way_y - 2.0 * other.curve_y * back
    cx, cy = one.curve_x - other.curve_x, one.curve_y - other.curve_y
    square = left * left
    if not solid and status.touching != 0 and pair.alone == 0:
        if leads_group(world, near):
            way = lay_way(contacts.way, dx * left, dy * left, cx * square, cy * square)
            t = meet_again(world, near, x - ox, y - oy, way)
            if t <= 1.0:
                near.moment = now + t * left
                near.gap = 0.0
                near.anew = 1
        return
    far_x = pair.apart_x + (abs(dx) + abs(cx)) * left
    far_y = pair.apart_y + (abs(dy) + abs(cy)) * left
    if abs(x - ox) > far_x or abs(y - oy) > far_y:
        if not solid and pair.alone != 0:
            status.touching = 0
        if not solid or contacts.pushed == 0 or not may_lean(world, pair, x - ox, y - oy):
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
        if room <= SLOP:
            return
        status.touching = 0
    least = -NOTHING if solid and contacts.pushed != 0 else 0.0
    if room < INFINITE and dx * nx + dy * ny >= least and cx * nx + cy * ny >= least:
        return  # they never come closer along their separating normal
    way = lay_way(contacts.way, dx * left, dy * left, cx * square, cy * square)
    t, nx, ny = impact(contacts.wall, others, contacts.shape, corners, radius, way)
    if t <= 1.0:
        near.moment = now + t * left
        near.normal_x = nx
        near.normal_y = ny


@kernel
def join(world: World, n: int) -> None:
    """Add a pair to the near list if it is swept, active and within reach."""
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
def list_close(world: World, body: int, after: int) -> None:
    """List the pairs of a body with all bodies, listed after one, that may meet it in this step."""
    path = world.contacts.paths[body]
    far_x, far_y = room_of(world, body)
    if world.contacts.images != 0:
        embrace(world, body, far_x, far_y)
    list_in_box(world, body, after, path.home_x, path.home_y, far_x, far_y)


@kernel
def consider_images(world: World, low: int, high: int) -> None:
    """List the pairs of a body with all images of another that it may meet in this step."""
    path = world.contacts.paths[low]
    for image in range(9):
        if move_box(world, path.home_x, path.home_y, image):
            consider(world, low, high, world.contacts.box)


@kernel
def list_close_couples(world: World) -> None:
    """List the pairs that may meet in this step, from the fixed list of pairs."""
    contacts, last = world.contacts, -1
    for n in range(contacts.couple_count):
        couple = contacts.couples[n]
        path = contacts.paths[couple.low]
        if couple.low != last:  # rows of one body are adjacent
            if last >= 0:
                mark_partners(world, last, 0)
            last = couple.low
            mark_partners(world, last, 1)
        far_x, far_y = room_of(world, last)
        if path.there != 0:
            box = lay_box(contacts.box, path.home_x, path.home_y, far_x, far_y)
            consider(world, last, couple.high, box)
            if contacts.images != 0:
                consider_images(world, last, couple.high)
    if last >= 0:
        mark_partners(world, last, 0)


@kernel
def embrace_all(world: World) -> None:
    """Compute the box around all paths."""
    contacts = world.contacts
    contacts.least_x = INFINITE
    contacts.most_x = -INFINITE
    contacts.least_y = INFINITE
    contacts.most_y = -INFINITE
    for body in range(contacts.body_count):
        if contacts.paths[body].there != 0:
            far_x, far_y = room_of(world, body)
            embrace(world, body, far_x, far_y)


@kernel
def list_all_close(world: World) -> None:
    """List the pairs that may meet in this step."""
    contacts = world.contacts
    if contacts.images != 0:
        embrace_all(world)
    if contacts.couple_count >= 0:
        list_close_couples(world)
        return
    clear(world)
    for body in range(world.crafts):
        if contacts.paths[body].there != 0:
            enter_cells(world, body)
    for body in range(world.crafts):
        if contacts.paths[body].there != 0:
            list_close(world, body, body)


@kernel
def gather_near(world: World) -> None:
    """List the swept pairs that may meet in this step."""
    contacts = world.contacts
    for place in range(contacts.near_count):
        before = contacts.pairs[contacts.near[place].pair]
        contacts.paths[before.one].first_near = 0
        contacts.paths[before.other].first_near = 0
    contacts.near_count = 0
    keep_known(world)
    list_all_close(world)
    sort_pairs(world)
    for place in range(contacts.pair_count):
        n = contacts.order[place]
        join(world, n)
        if contacts.status[n].near == 0:  # its support is gone
            contacts.holds[n].load = 0.0
            contacts.holds[n].load_of_way = 0.0


@kernel
def list_again(world: World, body: int) -> bool:
    """List the pairs of a body if it may leave its stored box; return whether it may."""
    contacts = world.contacts
    path = contacts.paths[body]
    if body >= world.crafts or path.there == 0 or not strays(path):
        return False
    settle_in(path)
    if contacts.couple_count < 0:
        enter_cells(world, body)
    before = contacts.pair_count
    list_close(world, body, -1)
    put_in_order(world, before)
    return True


@kernel
def renew(world: World, body: int) -> None:
    """Recompute the impacts of a body with a changed path."""
    contacts = world.contacts
    path = contacts.paths[body]
    if list_again(world, body):
        listed = path.first_pair
        for _ in range(contacts.pair_count):
            if listed == 0:
                break
            for n in range(listed - 1, contacts.pairs[listed - 1].past):
                if contacts.status[n].near == 0:
                    join(world, n)
            listed = next_of(contacts.pairs[listed - 1], body)
    listed = path.first_near
    for _ in range(contacts.near_count):
        if listed == 0:
            break
        near = contacts.near[listed - 1]
        foresee(world, near)
        plant(world, listed - 1)
        listed = near.next_one if contacts.pairs[near.pair].one == body else near.next_other
