"""The contact phase of a step, after all craft have moved."""

from tinrocket.language.subset import kernel
from tinrocket.motion.contacts.clearance import invalidate_rooms
from tinrocket.motion.contacts.geometry import SLOP
from tinrocket.motion.contacts.near import PARTS, is_off, is_solid
from tinrocket.motion.contacts.overlap import apart_at_end, cast_ray, overlap
from tinrocket.motion.contacts.paths import advance, begin_paths, nearest_parts, swap
from tinrocket.motion.contacts.sequence import sequence
from tinrocket.motion.contacts.squeeze import squeeze_at_sides
from tinrocket.motion.contacts.tables import LEANING
from tinrocket.motion.events import (
    CONTACT,
    EDGE,
    HARD_CONTACT,
    PARTED,
    first_of_step,
    move_event,
    note,
    place,
)
from tinrocket.motion.world import World


@kernel
def forget_sides(world: World) -> None:
    """Undo the effect of edges in this step, because edges are resolved with the contacts.

    Their effect on craft that they push stays.
    """
    first = first_of_step(world)
    remaining = first
    for row in range(first, min(world.event_count, world.event_room)):
        event = world.events[row]
        craft = event.craft
        path = world.contacts.paths[craft]
        if event.kind != EDGE or path.crossed == 0 or path.pushed & (1 << event.cause) != 0:
            move_event(world, remaining, row)
            remaining += 1
    if world.event_count <= world.event_room:
        world.event_count = remaining


@kernel
def note_ends(world: World) -> None:
    """Remove contacts and squeezes that are over, and record their ends."""
    contacts = world.contacts
    for nth in range(contacts.pair_count):
        n = contacts.order[nth]
        status = contacts.status[n]  # of pairs of several parts only the first is marked
        if status.squeezed != 0:  # the next step tries it again
            status.squeezed = 2 if status.squeezed == 1 else 0
        if status.touching == LEANING:
            status.touching = 0
        if status.touching == 0:
            continue
        pair, group = contacts.pairs[n], n
        there = contacts.paths[pair.one].there != 0 and contacts.paths[pair.other].there != 0
        afar = pair.alone != 0 and apart_at_end(world, n, PARTS)
        if there and not is_off(world, pair) and not afar:
            room, _nx, _ny, _pair = nearest_parts(world, group)
            if room <= PARTS or (room <= SLOP and not is_solid(contacts.contacts[pair.contact])):
                continue
        status.touching = 0
        if there and world.bodies[pair.one].alive != 0.0:
            path = contacts.paths[pair.one]
            event = note(world, PARTED, pair.one, pair.contact)
            place(event, 1.0, 1.0, path.x, path.y, 0.0)
            event.other = pair.other


@kernel
def complete_events(world: World, since: int) -> None:
    """Store for each contact of the step the final gap of its bodies."""
    for row in range(since, min(world.event_count, world.event_room)):
        event = world.events[row]
        if event.kind == CONTACT or event.kind == HARD_CONTACT:
            group = world.contacts.pairs[int(event.gap)].group
            room, _nx, _ny, _pair = nearest_parts(world, group)
            event.gap = room


@kernel
def end_paths(world: World) -> None:
    """Move all craft to the end of their paths; those that met nothing end as without contacts."""
    for n in range(world.crafts):
        body, path = world.bodies[n], world.contacts.paths[n]
        if path.moved != 0:
            advance(world, n, 1.0)
        else:
            body.vx = path.end_vx
            body.vy = path.end_vy
            path.x = path.end_x
            path.y = path.end_y
            if path.crossed != 0:
                swap(body, world.arrivals[n])
                path.x = body.x
                path.y = body.y
        path.at = 1.0


@kernel
def meet(world: World) -> bool:
    """Resolve all contacts of a step; return whether there was room for all close pairs.

    First swept pairs and edges, in order of time: both bodies of a pair are moved to where they
    touch, the response changes the velocities, and the rest of the step is flown with these. Then
    pairs tested for overlap at the end, and last the rays along headings.
    """
    if world.stage.pause_ends != 0.0 or world.stage.is_over != 0:
        return True
    paths, bodies = world.contacts.paths, world.bodies
    invalidate_rooms(world)
    begin_paths(world)
    if world.crossed == world.count + 1.0:
        forget_sides(world)
    since = first_of_step(world)
    sequence(world)
    end_paths(world)
    if world.contacts.overlaps != 0:
        overlap(world)
    if world.contacts.sees != 0:
        for n in range(world.crafts):
            if bodies[n].sight != 0.0:
                cast_ray(world, n)
    for n in range(world.crafts):
        if paths[n].leaves != 0:
            paths[n].there = 0
            bodies[n].alive = 0.0
    note_ends(world)
    for n in range(world.crafts):
        bodies[n].x = paths[n].x
        bodies[n].y = paths[n].y
    squeeze_at_sides(world)
    complete_events(world, since)
    return world.contacts.full == 0
