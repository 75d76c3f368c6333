"""Pairs that only ask whether they overlap where the step ends, and those that look ahead."""

from tinrocket.kernel.maths import sincos
from tinrocket.kernel.subset import kernel
from tinrocket.motion.contacts.geometry import SLOP
from tinrocket.motion.contacts.handle import handle_contact
from tinrocket.motion.contacts.impact import NEVER, impact, lay_way
from tinrocket.motion.contacts.near import is_off, is_solid
from tinrocket.motion.contacts.paths import heading_of, nearest_parts, outline
from tinrocket.motion.contacts.tables import BLOCK, OVERLAP, SIGHT, STOP, Contact
from tinrocket.motion.world import World


@kernel
def apart_at_end(world: World, n: int) -> bool:
    """Whether a pair is apart where the step ends, by the boxes around both."""
    pair = world.contacts.pairs[n]
    one, other = world.contacts.paths[pair.one], world.contacts.paths[pair.other]
    return abs(one.x - other.x) > pair.apart_x or abs(one.y - other.y) > pair.apart_y


@kernel
def lasts(contact: Contact) -> bool:
    """Whether two that overlap in one step after another have met but once."""
    return contact.response == BLOCK or contact.response == STOP or not is_solid(contact)


@kernel
def overlap(world: World) -> None:
    """Let pairs respond that only ask whether they overlap in the end."""
    contacts = world.contacts
    stamp = int(world.count) + 1
    for n in range(contacts.pair_count):
        pair = contacts.pairs[n]
        contact, status = contacts.contacts[pair.contact], contacts.status[pair.group]
        there = contacts.paths[pair.one].there != 0 and contacts.paths[pair.other].there != 0
        if contact.detection != OVERLAP or status.seen == stamp:
            continue
        if not there or is_off(world, pair) or (pair.alone != 0 and apart_at_end(world, n)):
            continue
        status.seen = stamp  # with all of their parts
        room, nx, ny, nearest_pair = nearest_parts(world, pair.group)
        if room >= -SLOP * 0.1:
            continue
        if not lasts(contact):
            status.touching = 0
        if is_solid(contact) or status.touching == 0:
            handle_contact(world, nearest_pair, nx, ny, room)


@kernel
def cast_ray(world: World, craft: int) -> None:
    """Let a craft that looks along its heading hit what is nearest there."""
    contacts, body, path = world.contacts, world.bodies[craft], world.contacts.paths[craft]
    x, y = path.x, path.y
    cos_h, sin_h = sincos(body.heading)
    dx, dy = body.sight * cos_h, body.sight * sin_h
    body.sight = 0.0
    eye = contacts.shape
    best, found, normal_x, normal_y = NEVER, -1, 0.0, 0.0
    for n in range(contacts.pair_count):
        pair = contacts.pairs[n]
        sees = contacts.contacts[pair.contact].detection == SIGHT and not is_off(world, pair)
        if pair.one == craft and sees and contacts.paths[pair.other].there != 0:
            other, part = contacts.paths[pair.other], contacts.parts[pair.part_other]
            angle = heading_of(world, pair.other)
            corners = outline(world, contacts.wall, part, angle, other.x, other.y)
            eye.x = x
            eye.y = y
            way = lay_way(contacts.way, dx, dy, 0.0, 0.0)
            t, nx, ny = impact(contacts.wall, corners, eye, 1, part.radius, way)
            if t < best:
                best, found, normal_x, normal_y = t, n, nx, ny
    if found >= 0 and best <= 1.0:
        path.x = x + best * dx  # where it was hit
        path.y = y + best * dy
        handle_contact(world, found, normal_x, normal_y, 0.0)
        path.x = x
        path.y = y
        contacts.status[contacts.pairs[found].group].touching = 0
