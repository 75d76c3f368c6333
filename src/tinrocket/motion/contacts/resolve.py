"""What becomes of a pair in contact: its velocity, its way, and whether it is still there."""

from tinrocket.kernel.intrinsics import sqrt
from tinrocket.kernel.maths import atan2, hypot, sincos
from tinrocket.kernel.subset import kernel
from tinrocket.motion.body import FROZEN
from tinrocket.motion.contacts.paths import halt
from tinrocket.motion.contacts.response_laws import (
    blocked,
    bounced,
    bounced_by_offset,
    changed,
)
from tinrocket.motion.contacts.tables import (
    BLOCK,
    BOUNCE,
    CHANCES,
    OVERLAP,
    PASS,
    REMOVE,
    SPLIT,
    STOP,
    Contact,
    Pair,
)
from tinrocket.motion.events import CONTACT, HARD_CONTACT, note, place
from tinrocket.motion.pools import begin_life, enter, free_of
from tinrocket.motion.stage.tables import score
from tinrocket.motion.world import World


@kernel
def is_solid(contact: Contact) -> bool:
    """Whether the two push at each other."""
    return contact.response == BOUNCE or contact.response == BLOCK or contact.response == STOP


@kernel
def velocity_of(world: World, body: int) -> tuple[float, float]:
    """Return the velocity of a body; what stands still has none."""
    if body < world.crafts:
        return world.bodies[body].vx, world.bodies[body].vy
    return 0.0, 0.0


@kernel
def split(world: World, pair: Pair) -> None:
    """Put pieces in the place of the first of a pair, fanned out along its way."""
    contact = world.contacts.contacts[pair.contact]
    body, path = world.bodies[pair.one], world.contacts.paths[pair.one]
    share, pieces = contact.piece_speed, contact.pieces
    for piece in range(pieces):
        turn = 0.0
        if pieces > 1:
            turn = contact.spread * (float(piece) / (float(pieces) - 1.0) - 0.5)
        cos_t, sin_t = sincos(turn)
        vx = share * (body.vx * cos_t - body.vy * sin_t)
        vy = share * (body.vx * sin_t + body.vy * cos_t)
        free = free_of(world.bodies[contact.pool], contact.pool_size)
        if free >= 0:
            part = world.bodies[contact.pool + free]
            enter(part, path.x, path.y, vx, vy)
            begin_life(part, atan2(vy, vx), world.now, world.count)
            own = world.contacts.paths[contact.pool + free]
            own.at = path.at
            own.x = path.x
            own.y = path.y
            own.way_x = vx * path.pace
            own.way_y = vy * path.pace
            own.pace = path.pace
            own.there = 1 if part.safe == 0.0 else 0


@kernel
def bounced_velocity(
    world: World, pair: Pair, nx: float, ny: float, wx: float, wy: float
) -> tuple[float, float]:
    """Return the velocity after a bounce off the other body, which moves at (wx, wy)."""
    contacts = world.contacts
    contact, body = contacts.contacts[pair.contact], world.bodies[pair.one]
    vx, vy = body.vx, body.vy
    always = contact.push_out == 0 and contact.detection == OVERLAP
    if contact.largest_angle != 0.0:
        one, other = contacts.paths[pair.one], contacts.paths[pair.other]
        speed = sqrt(vx * vx + vy * vy) * contact.restitution
        left = (one.x - other.x) * -ny + (one.y - other.y) * nx
        reach = contacts.parts[pair.part_other].reach
        offset = left / reach if reach > 0.0 else 0.0
        vx, vy = bounced_by_offset(speed, nx, ny, offset, contact.largest_angle)
    else:
        vx, vy = bounced(vx, vy, nx, ny, contact.restitution, always)
    vx, vy = vx + contact.velocity_transfer * wx, vy + contact.velocity_transfer * wy
    turn = contact.random_angle
    if turn != 0.0:
        turn *= contact.chances[contacts.hits[pair.contact] % CHANCES]
    vx, vy = changed(vx, vy, contact.speed_factor, contact.max_speed, turn)
    if not always:  # never slower than the bat that comes after it
        vx, vy = blocked(vx - wx, vy - wy, nx, ny)
        vx, vy = vx + wx, vy + wy
    return vx, vy


@kernel
def take_away(world: World, body: int) -> None:
    """Let a body be gone; it stays where it was hit."""
    path = world.contacts.paths[body]
    path.there = 0
    if body < world.crafts:
        world.bodies[body].alive = 0.0
        halt(path)


@kernel
def freeze(world: World, body: int) -> None:
    """Let a body stand still from now on."""
    if body < world.crafts:
        craft = world.bodies[body]
        craft.alive = FROZEN
        craft.vx = 0.0
        craft.vy = 0.0
        halt(world.contacts.paths[body])


@kernel
def resolve(world: World, pair: Pair, nx: float, ny: float) -> bool:
    """Change velocity, way and presence of a pair in contact; return whether it was hard.

    The normal points from the other body to the craft that responds.
    """
    contacts = world.contacts
    contact, body = contacts.contacts[pair.contact], world.bodies[pair.one]
    response = contact.response
    wx, wy = velocity_of(world, pair.other)
    hard = sqrt(wx * wx + wy * wy) > contact.hard_hit_speed
    if contact.side >= 0:
        score(world.stage, contact.side, contact.points)
    if response == REMOVE or response == SPLIT:
        if contact.removes_one != 0:
            take_away(world, pair.one)
        if contact.removes_other != 0:
            take_away(world, pair.other)
        if response == SPLIT:
            split(world, pair)
    elif response == STOP:
        freeze(world, pair.one)
        freeze(world, pair.other)
    elif response != PASS:
        if response == BLOCK:
            vx, vy = blocked(body.vx - wx, body.vy - wy, nx, ny)
            vx, vy = vx + wx, vy + wy
        else:
            vx, vy = bounced_velocity(world, pair, nx, ny, wx, wy)
        body.vx = vx
        body.vy = vy
        path = contacts.paths[pair.one]
        path.way_x = vx * path.pace
        path.way_y = vy * path.pace
    contacts.hits[pair.contact] += 1
    return hard


@kernel
def handle_contact(world: World, n: int, nx: float, ny: float, room: float) -> None:
    """Let a pair that touches respond, put it apart if it overlaps, and write it down."""
    contacts = world.contacts
    pair = contacts.pairs[n]
    contact, path = contacts.contacts[pair.contact], contacts.paths[pair.one]
    vx, vy = velocity_of(world, pair.one)
    wx, wy = velocity_of(world, pair.other)
    solid = is_solid(contact)
    if room < 0.0 and solid and contact.push_out != 0:
        path.x -= room * nx
        path.y -= room * ny
    x, y = path.x, path.y
    hard = resolve(world, pair, nx, ny)
    if not solid:
        contacts.status[pair.group].touching = 1
    event = note(world, HARD_CONTACT if hard else CONTACT, pair.one, pair.contact)
    place(event, path.at, 1.0, x, y, hypot(vx - wx, vy - wy))
    event.other = pair.other
    event.gap = float(n)  # the pair, until the step is over
    event.normal = atan2(ny, nx)
