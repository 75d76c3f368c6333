"""The contact phase of a step: after all craft have moved, in order of time of impact."""

from typing import Final

from tinrocket.kernel.intrinsics import sqrt
from tinrocket.kernel.maths import sincos
from tinrocket.kernel.subset import kernel
from tinrocket.motion.contacts.geometry import NEVER, gap, impact
from tinrocket.motion.contacts.paths import (
    advance,
    begin_paths,
    both_radii,
    halt,
    heading_of,
    nearest_parts,
    outline,
    too_far,
)
from tinrocket.motion.contacts.resolve import handle_contact, is_solid
from tinrocket.motion.contacts.tables import BLOCK, BOUNCE, OVERLAP, SIGHT, SPLIT, SWEPT
from tinrocket.motion.events import CONTACT, HARD_CONTACT
from tinrocket.motion.world import World

MOST: Final = 512
"""Contacts that are worked out in one step; what would come after them stands still."""
TOUCH: Final = 1e-9
"""Overlaps below this are touches."""


@kernel
def next_impact(world: World, n: int) -> tuple[float, float, float, float]:
    """Return when a pair next meets in this step, the normal there, and the gap before it.

    The fraction of the step is NEVER if they do not meet; the gap is below zero if they
    overlap already.
    """
    contacts = world.contacts
    pair = contacts.pairs[n]
    passes = not is_solid(contacts.contacts[pair.contact])
    if passes and contacts.status[pair.group].touching != 0:
        return NEVER, 0.0, 0.0, 0.0  # it counts again once they have parted
    one, other = contacts.paths[pair.one], contacts.paths[pair.other]
    now = max(one.at, other.at)
    left = 1.0 - now
    share, back = now - one.at, now - other.at
    x, y = one.x + share * one.way_x, one.y + share * one.way_y
    ox, oy = other.x + back * other.way_x, other.y + back * other.way_y
    dx, dy = (one.way_x - other.way_x) * left, (one.way_y - other.way_y) * left
    part, wall = contacts.parts[pair.part_one], contacts.parts[pair.part_other]
    corners = outline(world, contacts.shape, part, heading_of(world, pair.one), x, y)
    others = outline(world, contacts.wall, wall, heading_of(world, pair.other), ox, oy)
    radius = both_radii(world, pair)
    room, nx, ny = 1.0, 0.0, 0.0
    if abs(x - ox) <= pair.apart_x and abs(y - oy) <= pair.apart_y:  # else not even near
        room, nx, ny = gap(contacts.wall, others, contacts.shape, corners, radius)
    if room > TOUCH:
        t, nx, ny = impact(contacts.wall, others, contacts.shape, corners, radius, dx, dy)
        return (now + t * left if t <= 1.0 else NEVER), nx, ny, room
    if passes:
        return now, nx, ny, room
    way = sqrt(dx * dx + dy * dy)
    meets = dx * nx + dy * ny < -1e-9 * way or room < -TOUCH
    return (now if meets else NEVER), nx, ny, room


@kernel
def gather_near(world: World) -> int:
    """List the swept pairs that may meet in what is left of the step; return how many."""
    contacts = world.contacts
    pairs, paths, near = contacts.pairs, contacts.paths, contacts.near
    count = 0
    for n in range(contacts.pair_count):
        pair = pairs[n]
        if not too_far(world, pair):
            swept = contacts.contacts[pair.contact].detection == SWEPT
            if swept and paths[pair.one].there != 0 and paths[pair.other].there != 0:
                near[count] = n
                count += 1
    return count


@kernel
def earliest(world: World, count: int, parted: int) -> tuple[float, int, float, float, float]:
    """Return the next impact of all: moment, pair, normal, and the gap before it.

    Ties go in the order of the pairs; the pair `parted` is left out.
    """
    contacts = world.contacts
    best, found, normal_x, normal_y, room = NEVER, -1, 0.0, 0.0, 0.0
    for place in range(count):
        n = contacts.near[place]
        pair = contacts.pairs[n]
        there = contacts.paths[pair.one].there != 0 and contacts.paths[pair.other].there != 0
        if n != parted and there:
            moment, nx, ny, before = next_impact(world, n)
            if moment < best:
                best, found, normal_x, normal_y, room = moment, n, nx, ny, before
    return best, found, normal_x, normal_y, room


@kernel
def sweep(world: World) -> None:
    """Let swept pairs meet, the earliest first."""
    contacts = world.contacts
    count, parted = gather_near(world), -1
    for turn in range(MOST + 1):
        moment, n, nx, ny, room = earliest(world, count, parted)
        if n < 0:
            break
        pair = contacts.pairs[n]
        one, other = contacts.paths[pair.one], contacts.paths[pair.other]
        advance(one, moment)
        advance(other, moment)
        if turn == MOST:
            halt(one)
            break
        handle_contact(world, n, nx, ny, min(room, 0.0))
        # the two that just met and go apart are done with each other, as long as no other
        # contact changes their ways
        apart = (one.way_x - other.way_x) * nx + (one.way_y - other.way_y) * ny >= 0.0
        parted = n if room >= -TOUCH and apart else -1
        response = contacts.contacts[pair.contact].response
        if response == BOUNCE or response == BLOCK or response == SPLIT:
            count = gather_near(world)  # there is a new way


@kernel
def overlap(world: World) -> None:
    """Let pairs respond that only ask whether they overlap in the end; notice who has parted."""
    contacts = world.contacts
    stamp = int(world.count) + 1
    for n in range(contacts.pair_count):
        pair = contacts.pairs[n]
        group, status = pair.group, contacts.status[pair.group]
        contact = contacts.contacts[pair.contact]
        overlaps = contact.detection == OVERLAP
        if status.touching == 0 and (not overlaps or too_far(world, pair)):
            continue
        if contacts.paths[pair.one].there == 0 or contacts.paths[pair.other].there == 0:
            status.touching = 0
            continue
        if status.seen == stamp:  # with another of their parts
            continue
        status.seen = stamp
        room, nx, ny, nearest_pair = nearest_parts(world, group)
        if room > TOUCH:
            status.touching = 0
        elif overlaps and room < 0.0 and (is_solid(contact) or status.touching == 0):
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
    eye.x = x
    eye.y = y
    best, found, normal_x, normal_y = NEVER, -1, 0.0, 0.0
    for n in range(contacts.pair_count):
        pair = contacts.pairs[n]
        sees = contacts.contacts[pair.contact].detection == SIGHT
        if pair.one == craft and sees and contacts.paths[pair.other].there != 0:
            other, part = contacts.paths[pair.other], contacts.parts[pair.part_other]
            angle = heading_of(world, pair.other)
            corners = outline(world, contacts.wall, part, angle, other.x, other.y)
            t, nx, ny = impact(contacts.wall, corners, eye, 1, part.radius, dx, dy)
            if t < best:
                best, found, normal_x, normal_y = t, n, nx, ny
    if found >= 0 and best <= 1.0:
        path.x = x + best * dx  # where it was hit
        path.y = y + best * dy
        handle_contact(world, found, normal_x, normal_y, 0.0)
        path.x = x
        path.y = y
        contacts.status[contacts.pairs[found].group].touching = 0


@kernel
def complete_events(world: World, since: int) -> None:
    """Give each contact of the step the gap that its bodies have in the end."""
    for row in range(since, min(world.event_count, world.event_room)):
        event = world.events[row]
        if event.kind == CONTACT or event.kind == HARD_CONTACT:
            group = world.contacts.pairs[int(event.gap)].group
            room, _nx, _ny, _pair = nearest_parts(world, group)
            event.gap = room


@kernel
def meet(world: World) -> None:
    """Work out all contacts of a step.

    Swept pairs first, the earliest impact first (ties in the order of the pairs): both
    bodies are moved to where they touch, the response changes the velocity, and the rest
    of the way is flown with it.  Then pairs that only ask whether they overlap in the end,
    and then those that look along a heading.
    """
    if world.stage.pause_ends != 0.0 or world.stage.is_over != 0:
        return
    paths, bodies = world.contacts.paths, world.bodies
    begin_paths(world)
    since = world.event_count
    sweep(world)
    for n in range(world.crafts):
        advance(paths[n], 1.0)
    overlap(world)
    for n in range(world.crafts):
        if bodies[n].sight != 0.0:
            cast_ray(world, n)
    for n in range(world.crafts):
        bodies[n].x = paths[n].x
        bodies[n].y = paths[n].y
    complete_events(world, since)
