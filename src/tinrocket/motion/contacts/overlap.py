"""Pairs tested for overlap at the step's end, and pairs found along a heading."""

from typing import Final

from tinrocket.language.maths import sincos
from tinrocket.language.subset import kernel
from tinrocket.motion.contacts.geometry import SLOP
from tinrocket.motion.contacts.handle import handle_contact
from tinrocket.motion.contacts.images import has_images, image_of, seen_at
from tinrocket.motion.contacts.impact import NEVER, impact, lay_way
from tinrocket.motion.contacts.near import is_barred, is_off, is_solid, list_again
from tinrocket.motion.contacts.pairs import add_pairs, laws_between, next_of, put_in_order
from tinrocket.motion.contacts.paths import heading_of, nearest_parts, outline
from tinrocket.motion.contacts.squeeze import remember_impact
from tinrocket.motion.contacts.tables import BLOCK, OVERLAP, SIGHT, STOP, Contact, ContactRule
from tinrocket.motion.world import World

MAX_ARENAS_PER_RAY: Final = 8.0
"""Most arenas over which a ray goes."""


@kernel
def apart_at_end(world: World, n: int, room: float) -> bool:
    """Return whether the boxes of a pair are farther apart than a distance at the step's end."""
    pair = world.contacts.pairs[n]
    one = world.contacts.paths[pair.one]
    x, y = seen_at(world, pair)
    apart_x, apart_y = pair.apart_x + room, pair.apart_y + room
    return abs(one.x - x) > apart_x or abs(one.y - y) > apart_y


@kernel
def lasts(contact: Contact) -> bool:
    """Return whether overlap in consecutive steps counts as one contact."""
    return contact.response == BLOCK or contact.response == STOP or not is_solid(contact)


@kernel
def overlap(world: World) -> None:
    """Apply the responses of pairs that are tested for overlap at the step's end."""
    contacts = world.contacts
    stamp = int(world.count) + 1
    for place in range(contacts.pair_room):
        if place >= contacts.pair_count:
            break
        n = contacts.order[place]
        pair = contacts.pairs[n]
        contact, status = contacts.contacts[pair.contact], contacts.status[pair.group]
        there = contacts.paths[pair.one].there != 0 and contacts.paths[pair.other].there != 0
        if contact.detection != OVERLAP or status.seen == stamp:
            continue
        if not there or is_off(world, pair) or (pair.alone != 0 and apart_at_end(world, n, 0.0)):
            continue
        status.seen = stamp  # compared with all of their parts
        room, nx, ny, nearest_pair = nearest_parts(world, pair.group)
        if room >= -SLOP * 0.1:
            continue
        if not lasts(contact):
            status.touching = 0
        if is_solid(contact) or status.touching == 0:
            handle_contact(world, nearest_pair, nx, ny, room)
            remember_impact(world, pair)
            list_again(world, pair.one)
            list_again(world, pair.other)


@kernel
def look_at(
    world: World,
    craft: int,
    law: ContactRule,
    other: int,
    dx: float,
    dy: float,
) -> tuple[float, float, float, int]:
    """Return when a ray d along a heading meets a body, or NEVER; and the normal, and the part.

    The box is that of the image of the body.
    """
    contacts, box = world.contacts, world.contacts.box
    path, facing = contacts.paths[craft], contacts.paths[other]
    x, y = facing.x + box.across * contacts.period_x, facing.y + box.down * contacts.period_y
    best, normal_x, normal_y, deepest = NEVER, 0.0, 0.0, -1
    contact = contacts.contacts[law.contact]
    sees = contact.detection == SIGHT and not is_barred(world, contact, craft)
    if not sees or facing.there == 0:
        return best, normal_x, normal_y, deepest
    eye, traits = contacts.shape, contacts.traits[other]
    for n in range(traits.first, traits.past):
        part = contacts.parts[n]
        corners = outline(world, contacts.wall, part, heading_of(world, other), x, y)
        eye.x = path.x
        eye.y = path.y
        way = lay_way(contacts.way, dx, dy, 0.0, 0.0)
        t, nx, ny = impact(contacts.wall, corners, eye, 1, part.radius, way)
        if t < best:
            best, normal_x, normal_y, deepest = t, nx, ny, n
    return best, normal_x, normal_y, deepest


@kernel
def pair_of(world: World, craft: int, other: int, contact: int, part: int) -> int:
    """Return the pair of a craft with a part of a body, or -1 if it is not listed."""
    contacts = world.contacts
    listed = contacts.paths[craft].first_pair
    for _ in range(contacts.pair_count):
        if listed == 0:
            break
        for n in range(listed - 1, contacts.pairs[listed - 1].past):
            pair = contacts.pairs[n]
            mine = pair.one == craft and pair.other == other and pair.contact == contact
            if mine and pair.part_other == part:
                return n
        listed = next_of(contacts.pairs[listed - 1], craft)
    return -1


@kernel
def arenas_along(way: float, period: float) -> int:
    """Return the number of arenas beside its own that a ray may cross, along an axis that wraps."""
    return int(min(abs(way) / period, MAX_ARENAS_PER_RAY)) + 1 if period > 0.0 else 0


@kernel
def cast_ray(world: World, craft: int) -> None:
    """Cast the ray of a craft along its heading, and hit the nearest body."""
    contacts, body, path = world.contacts, world.bodies[craft], world.contacts.paths[craft]
    x, y = path.x, path.y
    cos_h, sin_h = sincos(body.heading)
    dx, dy = body.sight * cos_h, body.sight * sin_h
    body.sight = 0.0
    best, deepest, contact, part, normal_x, normal_y = NEVER, -1, -1, -1, 0.0, 0.0
    far_x, far_y = arenas_along(dx, contacts.period_x), arenas_along(dy, contacts.period_y)
    image_x, image_y, box = 0.0, 0.0, contacts.box
    for other in range(contacts.body_count):
        first, past = laws_between(world, min(craft, other), max(craft, other))
        for n in range(first, past):
            law = contacts.laws[n]
            responds = other != craft and (law.swapped != 0) == (craft > other)
            for image in range((2 * far_x + 1) * (2 * far_y + 1)):
                row = int(float(image) / float(2 * far_x + 1))
                box.across = float(image - row * (2 * far_x + 1) - far_x)
                box.down = float(row - far_y)
                if responds and has_images(world, craft, other, box.across, box.down):
                    t, nx, ny, seen = look_at(world, craft, law, other, dx, dy)
                    if t < best:
                        best, deepest, contact, part = t, other, law.contact, seen
                        normal_x, normal_y, image_x, image_y = nx, ny, box.across, box.down
    if best > 1.0:
        return
    row, before = pair_of(world, craft, deepest, contact, part), contacts.pair_count
    if row < 0:
        low, high = min(craft, deepest), max(craft, deepest)
        turned = 1.0 if craft == low else -1.0
        image_x, image_y = image_of(world, low, high, turned * image_x, turned * image_y)
        add_pairs(world, low, high, image_x, image_y)
        put_in_order(world, before)
        row = pair_of(world, craft, deepest, contact, part)
    if row >= 0:
        path.x = x + best * dx  # the place of the hit
        path.y = y + best * dy
        path.at = 0.0  # the begin of the step, like the shot itself
        handle_contact(world, row, normal_x, normal_y, 0.0)
        path.x = x
        path.y = y
        contacts.status[contacts.pairs[row].group].touching = 0
