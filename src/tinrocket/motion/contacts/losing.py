"""Bodies that lose their support within a step, and fall from then on.

A body on a straight edge may slide past its end; a support may be removed, or move away. From then
on the body gets back the push that its support took.
"""

from typing import Final

from tinrocket.language.subset import kernel
from tinrocket.motion.body import stride_of
from tinrocket.motion.contacts.impact import NEVER
from tinrocket.motion.contacts.paths import advance, room_after
from tinrocket.motion.contacts.respond import push_velocity, rest_speed
from tinrocket.motion.contacts.rest import TOUCHES
from tinrocket.motion.contacts.tables import NearPair
from tinrocket.motion.world import World

ALONG: Final = 1e-8
"""Growth of a gap along a straight edge that is rounding [px]."""
STANDS: Final = 1e-9
"""Length of a path below which there is no motion [px]."""
HALVINGS: Final = 50


@kernel
def slides_off(world: World, near: NearPair, moment: float) -> float:
    """Return when a resting pair reaches the end of the straight edge between them, or NEVER.

    Notes
    -----
    The gap is a convex function of a straight path: it is constant up to the end of the edge, and
    grows from there. On a round shape it grows from the start, as the square of the path: a body
    lifts off if that is faster than it falls (v^2 / r > g), else it rolls.
    """
    contacts = world.contacts
    pair = contacts.pairs[near.pair]
    part, wall = contacts.parts[pair.part_one], contacts.parts[pair.part_other]
    round_both = part.past - part.first == 1 and wall.past - wall.first == 1
    if near.gap > TOUCHES or (round_both and pair.give_other > 0.0):
        return NEVER
    one, other, left = contacts.paths[pair.one], contacts.paths[pair.other], 1.0 - moment
    dx, dy = (one.way_x - other.way_x) * left, (one.way_y - other.way_y) * left
    most = room_after(world, pair, 0.0, 0.0) + ALONG
    if abs(dx) + abs(dy) <= STANDS or room_after(world, pair, dx, dy) <= most:
        return NEVER
    low, high = 0.0, 1.0
    for _ in range(HALVINGS):
        middle = 0.5 * (low + high)
        if room_after(world, pair, middle * dx, middle * dy) <= most:
            low = middle
        else:
            high = middle
    half = 0.5 * low
    if room_after(world, pair, half * dx, half * dy) <= most - 0.9 * ALONG:
        return moment + low * left
    if pair.give_other > 0.0:
        return NEVER  # in a heap, bodies roll on each other
    px, py = push_velocity(world, pair.one)
    qx, qy = push_velocity(world, pair.other)
    held = (qx - px) * near.normal_x + (qy - py) * near.normal_y
    falls = 0.5 * held * stride_of(world.bodies[pair.one], world.dt) * left * left
    return moment if falls * low * low < ALONG else NEVER


@kernel
def foresee_loss(world: World, place: int, moment: float) -> None:
    """Compute when one of a loaded pair slides off the other, from a moment on."""
    contacts = world.contacts
    near = contacts.near[place]
    pair, loses_at = contacts.pairs[near.pair], slides_off(world, near, moment)
    for body in range(2):
        n, inverse_mass = pair.one, pair.give_one
        if body == 1:
            n, inverse_mass = pair.other, pair.give_other
        path = contacts.paths[n]
        if inverse_mass > 0.0 and loses_at < path.loses_at:
            path.loses_at = loses_at
            path.loses = place


@kernel
def foresee_losses(world: World) -> None:
    """Compute which craft slide off their support in this step, and when."""
    contacts = world.contacts
    for place in range(contacts.near_count):
        if contacts.near[place].rests != 0 and contacts.near[place].load > 0.0:
            foresee_loss(world, place, 0.0)


@kernel
def fall_on(world: World, n: int, moment: float, nx: float, ny: float, borne: float) -> None:
    """Give a craft the rest of its push along the normal of its support.

    Parameters
    ----------
    borne
        Load of the support, as a velocity: that much was taken from the push.
    """
    if n >= world.crafts or world.contacts.paths[n].there == 0:
        return
    path = world.contacts.paths[n]
    px, py = push_velocity(world, n)
    held = max(px * nx + py * ny, -borne)
    if held >= 0.0 or path.falls != 0:
        return
    advance(world, n, moment)
    path.falls = 1
    path.moved = 1
    path.curve_x += 0.5 * held * path.pace * nx
    path.curve_y += 0.5 * held * path.pace * ny


@kernel
def let_go(world: World, near: NearPair, moment: float) -> None:
    """End the support between the two of a resting pair; both fall."""
    pair, nx, ny = world.contacts.pairs[near.pair], near.normal_x, near.normal_y
    load = world.contacts.holds[near.pair].load
    near.rests = 0
    if pair.give_one > 0.0:
        fall_on(world, pair.one, moment, nx, ny, load * pair.give_one)
    if pair.give_other > 0.0:
        fall_on(world, pair.other, moment, -nx, -ny, load * pair.give_other)


@kernel
def let_all_fall(world: World, moment: float) -> None:
    """Let bodies on a falling craft fall too; those with another support rest on that."""
    contacts, falls = world.contacts, True
    for _ in range(contacts.near_count):
        if not falls:
            break
        falls = False
        for place in range(contacts.near_count):
            near = contacts.near[place]
            pair = contacts.pairs[near.pair]
            one, other = contacts.paths[pair.one], contacts.paths[pair.other]
            if near.rests != 0 and near.load > 0.0 and (one.falls != 0 or other.falls != 0):
                let_go(world, near, moment)
                falls = True


@kernel
def slide_off(world: World, n: int) -> None:
    """Let a craft fall that has reached the end of its support."""
    path = world.contacts.paths[n]
    moment, near = path.loses_at, world.contacts.near[path.loses]
    path.loses_at = NEVER
    if near.rests != 0:
        let_go(world, near, moment)
        let_all_fall(world, moment)


@kernel
def lose_support(world: World, body: int, moment: float) -> bool:
    """Let craft fall whose support has left or changed its path; return whether any does."""
    contacts, any_falls = world.contacts, False
    listed = contacts.paths[body].first_near
    for _ in range(contacts.near_count):
        if listed == 0:
            break
        near = contacts.near[listed - 1]
        pair = contacts.pairs[near.pair]
        one, other = contacts.paths[pair.one], contacts.paths[pair.other]
        if near.rests != 0 and near.load > 0.0:
            along_x, along_y = one.way_x - other.way_x, one.way_y - other.way_y
            parts = along_x * near.normal_x + along_y * near.normal_y
            stride = stride_of(world.bodies[pair.one], world.dt)
            thrown = rest_speed(world, pair, near.normal_x, near.normal_y) * stride
            bat = pair.other == body and body < world.crafts and pair.give_other == 0.0
            leaves = bat and parts > thrown + STANDS
            if leaves or one.there == 0 or other.there == 0:
                let_go(world, near, moment)
                any_falls = True
            elif parts <= STANDS:  # a hit along its support makes it slide
                advance(world, pair.one, moment)
                if pair.other < world.crafts:
                    advance(world, pair.other, moment)
                foresee_loss(world, listed - 1, moment)
        listed = near.next_one if pair.one == body else near.next_other
    if any_falls:
        let_all_fall(world, moment)
    return any_falls
