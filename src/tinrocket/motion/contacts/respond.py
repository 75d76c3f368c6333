"""Responses: new velocities and paths of a pair."""

from typing import Final

from tinrocket.language.intrinsics import sqrt
from tinrocket.language.maths import hypot
from tinrocket.language.subset import kernel
from tinrocket.motion.body import FROZEN
from tinrocket.motion.contacts.images import seen_at
from tinrocket.motion.contacts.paths import halt, heading_of, outline
from tinrocket.motion.contacts.response_laws import (
    blocked,
    bounced,
    bounced_by_offset,
    changed,
    rubbed,
    shared_impulse,
)
from tinrocket.motion.contacts.tables import BLOCK, CHANCES, OVERLAP, Pair, StepPath
from tinrocket.motion.world import World

SETTLES: Final = 1e-3
"""With restitution >= 1 a pair comes to rest only below this share of the push."""
TINY: Final = 1e-9
"""Speeds below this share of a push are negligible."""


@kernel
def velocity_of(world: World, body: int) -> tuple[float, float]:
    """Return the velocity of a body; 0 for a still one."""
    if body < world.crafts and world.contacts.paths[body].stuck == 0:
        return world.bodies[body].vx, world.bodies[body].vy
    return 0.0, 0.0


@kernel
def inverse_mass_of(path: StepPath, inverse_mass: float) -> float:
    """Return a body's inverse mass; 0 for a still or stopped one."""
    return inverse_mass if path.stuck == 0 else 0.0


@kernel
def reach_beside(world: World, body: int, along_x: float, along_y: float) -> float:
    """Return the extent of a body along a unit vector, as it is turned."""
    contacts, reach = world.contacts, 0.0
    traits = contacts.traits[body]
    for n in range(traits.first, traits.past):
        part = contacts.parts[n]
        count = outline(world, contacts.wall, part, heading_of(world, body), 0.0, 0.0)
        for k in range(count):
            corner = contacts.wall[k]
            reach = max(reach, corner.x * along_x + corner.y * along_y + part.radius)
    return reach


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
        one = contacts.paths[pair.one]
        x, y = seen_at(world, pair)
        speed = sqrt(vx * vx + vy * vy) * contact.restitution
        left = (one.x - x) * -ny + (one.y - y) * nx
        toward = 1.0 if left >= 0.0 else -1.0
        reach = reach_beside(world, pair.other, -ny * toward, nx * toward)
        offset = left / reach if reach > 0.0 else 0.0
        vx, vy = bounced_by_offset(speed, nx, ny, offset, contact.largest_angle)
    else:
        vx, vy = bounced(vx, vy, nx, ny, contact.restitution, always)
        if contact.friction != 0.0:
            change = (vx - body.vx) * nx + (vy - body.vy) * ny
            vx, vy = rubbed(vx - wx, vy - wy, nx, ny, contact.friction * change)
            vx, vy = vx + wx, vy + wy
    vx, vy = vx + contact.velocity_transfer * wx, vy + contact.velocity_transfer * wy
    if contact.normal_transfer != 0.0:
        added = contact.normal_transfer * (wx * nx + wy * ny)
        vx, vy = vx + added * nx, vy + added * ny
    vx, vy = effects_on(world, pair, vx, vy, hypot(wx, wy))
    if not always:  # never slower than the bat behind it
        vx, vy = blocked(vx - wx, vy - wy, nx, ny)
        vx, vy = vx + wx, vy + wy
    return vx, vy


@kernel
def effects_on(world: World, pair: Pair, vx: float, vy: float, bat: float) -> tuple[float, float]:
    """Return a velocity scaled, added to, capped and turned, as the contact declares.

    `bat` is the speed of the other body.
    """
    contacts = world.contacts
    contact, hits = contacts.contacts[pair.contact], contacts.hits[pair.contact]
    if bat < contact.effects_above or bat > contact.effects_below:
        return vx, vy
    row = hits % contact.adds_count
    vx, vy = vx + contact.adds_x[row], vy + contact.adds_y[row]
    turn = contact.random_angle
    if turn != 0.0:
        turn *= contact.chances[contacts.hits[pair.contact] % CHANCES]
    hard = bat > contact.hard_hit_speed
    factor = contact.hard_speed_factor if hard else contact.speed_factor
    return changed(vx, vy, factor, contact.max_speed, turn)


@kernel
def give_velocity(world: World, n: int, vx: float, vy: float) -> None:
    """Set the velocity of a craft, and its path for the rest of the step."""
    body, path = world.bodies[n], world.contacts.paths[n]
    path.way_x += (vx - body.vx) * path.pace
    path.way_y += (vy - body.vy) * path.pace
    body.vx = vx
    body.vy = vy
    path.moved = 1


@kernel
def respond(world: World, pair: Pair, nx: float, ny: float) -> None:
    """Bounce or block a pair.

    A body without a mass is not moved: the first then bounces as in games, off a bat that goes on
    unchanged. Between two bodies with masses momentum is conserved.
    """
    contacts = world.contacts
    contact = contacts.contacts[pair.contact]
    one, other = world.bodies[pair.one], contacts.paths[pair.other]
    give_one = inverse_mass_of(contacts.paths[pair.one], pair.give_one)
    give_other = inverse_mass_of(other, pair.give_other)
    restitution = 0.0 if contact.response == BLOCK else contact.restitution
    wx, wy = velocity_of(world, pair.other)
    if give_other == 0.0:
        if contact.response == BLOCK:
            vx, vy = blocked(one.vx - wx, one.vy - wy, nx, ny)
            give_velocity(world, pair.one, vx + wx, vy + wy)
        else:
            vx, vy = bounced_velocity(world, pair, nx, ny, wx, wy)
            give_velocity(world, pair.one, vx, vy)
    else:
        vx, vy = velocity_of(world, pair.one)
        impulse = shared_impulse(vx - wx, vy - wy, nx, ny, restitution, give_one + give_other)
        ux, uy = wx - impulse * give_other * nx, wy - impulse * give_other * ny
        if contact.friction != 0.0 and contact.response != BLOCK:
            most = contact.friction * impulse * (give_one + give_other)
            rx, ry = rubbed(vx - wx, vy - wy, nx, ny, most)
            lost_x, lost_y = vx - wx - rx, vy - wy - ry
            share = give_other / (give_one + give_other)
            ux, uy = ux + share * lost_x, uy + share * lost_y
            vx, vy = vx - (1.0 - share) * lost_x, vy - (1.0 - share) * lost_y
        if give_one != 0.0:
            vx, vy = vx + impulse * give_one * nx, vy + impulse * give_one * ny
            if contact.response != BLOCK:
                vx, vy = effects_on(world, pair, vx, vy, hypot(wx, wy))
            give_velocity(world, pair.one, vx, vy)
        if contact.response != BLOCK:
            ux, uy = effects_on(world, pair, ux, uy, hypot(wx, wy))
        give_velocity(world, pair.other, ux, uy)
    if contacts.pushed != 0:
        come_to_rest(world, pair, nx, ny, restitution)
    keep_apart(world, pair, nx, ny)


@kernel
def push_velocity(world: World, body: int) -> tuple[float, float]:
    """Return the velocity that pushes add to a body in this step."""
    if body >= world.crafts or world.contacts.paths[body].stuck != 0:
        return 0.0, 0.0
    return world.bodies[body].push_x, world.bodies[body].push_y


@kernel
def rest_speed(world: World, pair: Pair, nx: float, ny: float) -> float:
    """Return the speed below which an inelastic pair comes to rest.

    It is the velocity that pushes add to the first against an immovable body in a step; in a heap,
    where any may press on the others, the larger push of the two.
    """
    px, py = push_velocity(world, pair.one)
    qx, qy = push_velocity(world, pair.other)
    paths = world.contacts.paths
    heaped = paths[pair.one].heaped != 0 or paths[pair.other].heaped != 0
    if heaped or (pair.give_one > 0.0 and pair.give_other > 0.0):
        return max(hypot(px, py), hypot(qx, qy))
    return max((qx - px) * nx + (qy - py) * ny, 0.0)


@kernel
def come_to_rest(world: World, pair: Pair, nx: float, ny: float, restitution: float) -> None:
    """Bring a pair to rest if the push together would undo its bounce.

    An elastic pair only comes to rest if that would happen a thousand times in a step.
    """
    undone = rest_speed(world, pair, nx, ny)
    if restitution >= 1.0:
        undone *= SETTLES
    if undone <= 0.0:
        return
    give_one = inverse_mass_of(world.contacts.paths[pair.one], pair.give_one)
    give_other = inverse_mass_of(world.contacts.paths[pair.other], pair.give_other)
    vx, vy = velocity_of(world, pair.one)
    wx, wy = velocity_of(world, pair.other)
    outward = (vx - wx) * nx + (vy - wy) * ny
    if outward > undone or give_one + give_other == 0.0:
        return
    lost = outward / (give_one + give_other)
    if give_one != 0.0:
        give_velocity(world, pair.one, vx - lost * give_one * nx, vy - lost * give_one * ny)
    if give_other != 0.0:
        give_velocity(world, pair.other, wx + lost * give_other * nx, wy + lost * give_other * ny)


@kernel
def keep_apart(world: World, pair: Pair, nx: float, ny: float) -> None:
    """Remove from the paths, and from the pushes of a resting pair, what leads into one another."""
    one, other = world.contacts.paths[pair.one], world.contacts.paths[pair.other]
    give_one, give_other = (
        inverse_mass_of(one, pair.give_one),
        inverse_mass_of(other, pair.give_other),
    )
    both = give_one + give_other
    if both == 0.0:
        return
    give_one, give_other = give_one / both, give_other / both
    inward = (one.way_x - other.way_x) * nx + (one.way_y - other.way_y) * ny
    if inward < 0.0:
        turn_way(one, -inward * give_one * nx, -inward * give_one * ny)
        turn_way(other, inward * give_other * nx, inward * give_other * ny)
    pushed = (one.curve_x - other.curve_x) * nx + (one.curve_y - other.curve_y) * ny
    if pushed < 0.0 and inward <= TINY * -pushed:
        bend(one, -pushed * give_one * nx, -pushed * give_one * ny)
        bend(other, pushed * give_other * nx, pushed * give_other * ny)


@kernel
def turn_way(path: StepPath, dx: float, dy: float) -> None:
    """Change the path of a body."""
    path.way_x += dx
    path.way_y += dy


@kernel
def bend(path: StepPath, dx: float, dy: float) -> None:
    """Change the part of a body's path that its push makes."""
    path.curve_x += dx
    path.curve_y += dy


@kernel
def freeze(world: World, body: int) -> None:
    """Stop a body for good."""
    if body < world.crafts:
        craft = world.bodies[body]
        craft.alive = FROZEN
        craft.vx = 0.0
        craft.vy = 0.0
        world.contacts.paths[body].moved = 1
        halt(world.contacts.paths[body])
