"""Applies the outcome of a contact: positions, removals, and events."""

from typing import Final

from tinrocket.language.maths import atan2, hypot, sincos
from tinrocket.language.subset import kernel
from tinrocket.motion.body import stride_of
from tinrocket.motion.contacts.geometry import DEEP
from tinrocket.motion.contacts.near import is_solid
from tinrocket.motion.contacts.paths import halt, span
from tinrocket.motion.contacts.respond import freeze, respond, velocity_of
from tinrocket.motion.contacts.squeeze import put_apart, put_beside
from tinrocket.motion.contacts.tables import (
    BLOCK,
    BOUNCE,
    CHANCES,
    OVERLAP,
    SPLIT,
    STOP,
    Pair,
)
from tinrocket.motion.events import CONTACT, HARD_CONTACT, note, place
from tinrocket.motion.pools import begin_life, enter, free_of
from tinrocket.motion.stage.tables import score
from tinrocket.motion.world import World

FULL: Final = 6.283185
"""Angle of a fan that is a full circle, in which first and last direction coincide [rad]."""
MAX_OUTCOMES: Final = 1000
"""Most outcomes of a contact."""
HALF_CYCLE: Final = 2048
"""Half of `CHANCES`: the distance between the random numbers of a piece's direction and speed."""


@kernel
def split(world: World, pair: Pair, row: int) -> None:
    """Put pieces in the place of the first of a pair, fanned out along its velocity."""
    contacts = world.contacts
    contact = contacts.contacts[row]
    body, path = world.bodies[pair.one], world.contacts.paths[pair.one]
    share, pieces = contact.piece_speed_factor, contact.pieces
    for piece in range(pieces):
        turn = 0.0
        if contact.random_pieces != 0:
            pick = contacts.hits[row] * pieces + piece
            turn = 0.5 * contact.spread * contact.chances[pick % CHANCES]
        elif pieces > 1:  # a full circle has no two ends
            gaps = float(pieces) if contact.spread >= FULL else float(pieces) - 1.0
            turn = contact.spread * (float(piece) / gaps - 0.5)
        cos_t, sin_t = sincos(turn)
        vx, vy = share * body.vx, share * body.vy
        speed = hypot(body.vx, body.vy)
        if contact.piece_speed >= 0.0:
            vx, vy = contact.piece_speed, 0.0
            if speed > 0.0:
                vx, vy = vx * body.vx / speed, vx * body.vy / speed
        vx, vy = vx * cos_t - vy * sin_t, vx * sin_t + vy * cos_t
        if contact.piece_deviation != 0.0:  # half a cycle away from the draw of its direction
            pick = contacts.hits[row] * pieces + piece + HALF_CYCLE
            factor = 1.0 + contact.piece_deviation * contact.chances[pick % CHANCES]
            vx, vy = factor * vx, factor * vy
        free = free_of(world.bodies[contact.pool], contact.pool_size)
        if free >= 0:
            part = world.bodies[contact.pool + free]
            enter(part, path.x, path.y, vx, vy)
            born = world.now + path.at * world.dt
            begin_life(part, atan2(vy, vx), born, world.count + path.at)
            own = world.contacts.paths[contact.pool + free]
            own.at = path.at
            own.x = path.x
            own.y = path.y
            own.pace = stride_of(part, world.dt)
            halt(own)
            own.way_x = vx * own.pace
            own.way_y = vy * own.pace
            own.moved = 1
            own.there = 1 if part.invulnerable == 0.0 else 0
            own.room_x = -1.0  # its neighbours are searched again
            span(own)


@kernel
def take_away(world: World, body: int, pierces: bool) -> None:
    """Remove a body where it was hit, unless it `pierces` all that it meets."""
    path = world.contacts.paths[body]
    if pierces and body < world.crafts:
        path.leaves = 1
        return
    path.there = 0
    if body < world.crafts:
        world.bodies[body].alive = 0.0
        path.moved = 1
        halt(path)


@kernel
def resolve(world: World, pair: Pair, nx: float, ny: float) -> None:
    """Apply every outcome of a contact in order: remove, split, stop, bounce or block.

    The normal points from the other body to the craft that responds.
    """
    contacts, row = world.contacts, pair.contact
    pierces = contacts.contacts[row].pierces != 0
    for _ in range(MAX_OUTCOMES):
        outcome = contacts.contacts[row]
        response = outcome.response
        if outcome.removes_one != 0:
            take_away(world, pair.one, pierces)
        if outcome.removes_other != 0:
            take_away(world, pair.other, False)
        if response == SPLIT:
            split(world, pair, row)
        elif response == STOP:
            freeze(world, pair.one)
            freeze(world, pair.other)
        elif response == BOUNCE or response == BLOCK:
            respond(world, pair, nx, ny)
        contacts.hits[row] += 1
        row = outcome.next
        if row < 0:
            break


@kernel
def count(world: World, pair: Pair) -> None:
    """Add the points that a contact scores as it begins, and request the end that it causes."""
    row = pair.contact
    for _ in range(MAX_OUTCOMES):
        outcome = world.contacts.contacts[row]
        if outcome.side >= 0:
            score(world.stage, outcome.side, outcome.points)
        world.stage.end_requested = max(world.stage.end_requested, outcome.ends)
        row = outcome.next
        if row < 0:
            break


@kernel
def handle_contact(world: World, n: int, nx: float, ny: float, room: float) -> None:
    """Respond to a touching pair, put it apart if it overlaps, and record its begin.

    A contact that lasts from the previous step, or from earlier in this one, has begun already.
    """
    contacts = world.contacts
    pair = contacts.pairs[n]
    contact, path = contacts.contacts[pair.contact], contacts.paths[pair.one]
    status = contacts.status[pair.group]
    vx, vy = velocity_of(world, pair.one)
    wx, wy = velocity_of(world, pair.other)
    solid = is_solid(contact)
    lasts = status.touching == 1 or (solid and (status.squeezed != 0 or path.close > 1))
    deep = room < -DEEP or (room < 0.0 and contact.detection == OVERLAP)
    if deep and solid and contact.push_side >= 0:
        nx, ny = put_beside(world, pair, contact.push_side)
    elif deep and solid and contact.push_out != 0:
        put_apart(world, n, nx, ny, -room)
        if status.squeezed == 1:
            return
    x, y, at = path.x, path.y, path.at
    hard = hypot(wx, wy) > contact.hard_hit_speed
    resolve(world, pair, nx, ny)
    status.touching = 1
    status.met = world.count + 1.0
    if solid:
        ux, uy = velocity_of(world, pair.one)
        zx, zy = velocity_of(world, pair.other)
        outward = (ux - zx) * nx + (uy - zy) * ny
        if outward > 1e-9 * (hypot(ux, uy) + hypot(zx, zy)):
            status.touching = 0
    if lasts:
        return
    count(world, pair)
    event = note(world, HARD_CONTACT if hard else CONTACT, pair.one, pair.contact)
    place(event, at, 1.0, x, y, hypot(vx - wx, vy - wy))
    event.other = pair.other
    event.gap = float(n)  # the row of the pair, until the end of the step
    event.normal = atan2(ny, nx)
