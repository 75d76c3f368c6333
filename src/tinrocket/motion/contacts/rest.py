"""Bodies that rest on each other, or on an edge of the arena, as a step begins.

Resting bodies touch, and only their pushes bring them together. Bodies whose bounces die out come
to rest the same way.
"""

from typing import Final

from tinrocket.language.maths import hypot
from tinrocket.language.subset import kernel
from tinrocket.motion.body import CURVED, Body, stride_of
from tinrocket.motion.contacts.bearing import hold_all, keep_side_loads
from tinrocket.motion.contacts.near import is_solid
from tinrocket.motion.contacts.paths import advance, both_radii, gap_now, room_after
from tinrocket.motion.contacts.respond import rest_speed
from tinrocket.motion.contacts.tables import BOUNCE, NearPair
from tinrocket.motion.contacts.walls import lie_still
from tinrocket.motion.sides import BOUNCE as THROWS_BACK
from tinrocket.motion.sides import CLAMP, ONTO, X_HIGH, X_LOW, Y_LOW, bound_of
from tinrocket.motion.world import World

TOUCHES: Final = 1e-7
"""The largest gap of a pair at rest [px]."""
SETTLED: Final = 1e-5
"""The largest gap in a heap that is frozen [px]."""
PRESSED: Final = 1e-4
"""Distance by which one body is pressed into another to test whether it would enter [px]."""
ASLEEP: Final = 0.005
"""Share of a push that is negligible in a heap."""
HELD: Final = 2
"""Mark of a loaded body of a heap."""
AWAKE: Final = 3
"""Mark of a moving body of a heap."""
MOST_TURNS: Final = 200
"""Rounds in which motion spreads through a heap."""


@kernel
def unpushed_velocity(world: World, body: int) -> tuple[float, float]:
    """Return the velocity of a body without the pushes of this step."""
    if body >= world.crafts:
        return 0.0, 0.0
    craft = world.bodies[body]
    if craft.movement == CURVED:
        return craft.vx, craft.vy
    return craft.vx - craft.push_x, craft.vy - craft.push_y


@kernel
def rests(world: World, near: NearPair) -> bool:
    """Return whether a pair rests: it touches, and only pushes bring it together."""
    contacts = world.contacts
    pair = contacts.pairs[near.pair]
    contact = contacts.contacts[pair.contact]
    if not is_solid(contact) or pair.give_one + pair.give_other == 0.0:
        return False
    # an inelastic pair rests as soon as its bounces are less than a push
    pushed = rest_speed(world, pair, near.normal_x, near.normal_y)
    if contact.response == BOUNCE and contact.restitution >= 1.0:
        pushed = 0.0
    vx, vy = unpushed_velocity(world, pair.one)
    wx, wy = unpushed_velocity(world, pair.other)
    if near.gap > TOUCHES:  # in a heap that hardly moves it closes within the step
        heaped = contacts.paths[pair.one].heaped != 0 or contacts.paths[pair.other].heaped != 0
        stride = stride_of(world.bodies[pair.one], world.dt)
        moves = hypot(vx - wx, vy - wy) > 2.0 * pushed
        if moves or near.gap > pushed * stride or not (heaped or pair.give_other > 0.0):
            return False
    before = (vx - wx) * near.normal_x + (vy - wy) * near.normal_y
    if both_radii(world, pair) == 0.0:  # past each other's corners they slide
        into = max(near.gap, 0.0) + PRESSED
        room = room_after(world, pair, -into * near.normal_x, -into * near.normal_y)
        if room > -0.5 * PRESSED:
            return False
    return abs(before) <= pushed + 1e-9 * (1.0 + hypot(vx, vy) + hypot(wx, wy))


@kernel
def touches_side(world: World, body: Body, side: int) -> bool:
    """Return whether a craft is at an edge that stops it or throws it back."""
    path, kind = world.contacts.paths[body.index], body.walls[side].kind
    holds = kind == CLAMP or kind == THROWS_BACK or kind == ONTO
    at = path.x if side <= X_HIGH else path.y
    return holds and path.pushed & (1 << side) == 0 and abs(at - bound_of(body, side)) <= TOUCHES


@kernel
def rests_on_side(world: World, body: Body, side: int) -> bool:
    """Return whether a craft at an edge moves into it, or off it, by pushes alone."""
    wall, along_x = body.walls[side], side <= X_HIGH
    vx, vy = unpushed_velocity(world, body.index)
    push = body.push_x if along_x else body.push_y
    pushed = max(-push if side == X_LOW or side == Y_LOW else push, 0.0)
    if world.contacts.paths[body.index].heaped != 0:
        pushed = hypot(body.push_x, body.push_y)
    if wall.kind != CLAMP and wall.restitution >= 1.0:
        pushed = 0.0
    return abs(vx if along_x else vy) <= pushed + 1e-9 * (1.0 + hypot(vx, vy))


@kernel
def lie_on_sides(world: World, n: int, calmed: bool) -> None:
    """Find the edges on which a craft rests, or all that it touches if it is `calmed`."""
    if n >= world.crafts:
        return
    body, path = world.bodies[n], world.contacts.paths[n]
    path.lies_x = 0
    path.lies_y = 0
    for side in range(4):
        if touches_side(world, body, side) and (calmed or rests_on_side(world, body, side)):
            toward = -1 if side == X_LOW or side == Y_LOW else 1
            if side <= X_HIGH:
                path.lies_x = toward
            else:
                path.lies_y = toward


@kernel
def forget_side_loads(world: World) -> None:
    """Clear the loads of edges on which craft no longer rest."""
    for n in range(world.crafts):
        path = world.contacts.paths[n]
        if path.lies_x == 0:
            path.side_load_x = 0.0
            path.side_load_of_way_x = 0.0
        if path.lies_y == 0:
            path.side_load_y = 0.0
            path.side_load_of_way_y = 0.0


@kernel
def hardly_moves(body: Body) -> bool:
    """Return whether the speed of a craft is a negligible share of its push."""
    return hypot(body.vx, body.vy) <= ASLEEP * hypot(body.push_x, body.push_y)


@kernel
def fall_asleep(world: World) -> None:
    """Freeze heaps in which every loaded body has almost none of its push left.

    A body without support gains far more than that in a step. While one of a heap moves, bodies
    that make room for it must not be held.
    """
    contacts = world.contacts
    for place in range(contacts.near_count):
        near = contacts.near[place]
        pair = contacts.pairs[near.pair]
        if near.rests != 0 and near.load > 0.0:  # a body at the top of its flight is as slow
            mark_held(world, pair.one)
            mark_held(world, pair.other)
    for turn in range(MOST_TURNS):
        woken = False
        for place in range(contacts.near_count):
            near = contacts.near[place if turn % 2 == 0 else contacts.near_count - 1 - place]
            pair = contacts.pairs[near.pair]
            one, other = contacts.paths[pair.one], contacts.paths[pair.other]
            if near.rests != 0 and near.load > 0.0 and one.heaped + other.heaped == HELD + AWAKE:
                one.heaped = AWAKE
                other.heaped = AWAKE
                woken = True
        if not woken:
            break
    for n in range(world.crafts):
        path, body = contacts.paths[n], world.bodies[n]
        if path.heaped == HELD and path.stuck == 0:
            body.vx = 0.0
            body.vy = 0.0
            path.way_x = 0.0
            path.way_y = 0.0
            path.moved = 1


@kernel
def mark_held(world: World, n: int) -> None:
    """Mark a loaded body of a heap, and whether it moves."""
    path = world.contacts.paths[n]
    if n < world.crafts and path.heaped != 0:
        path.heaped = HELD if hardly_moves(world.bodies[n]) else AWAKE


@kernel
def find_heaps(world: World) -> None:
    """Record craft that rest against another that a hit can move."""
    contacts = world.contacts
    for place in range(contacts.near_count):
        near = contacts.near[place]
        pair = contacts.pairs[near.pair]
        if pair.give_one > 0.0 and pair.give_other > 0.0 and rests(world, near):
            contacts.paths[pair.one].heaped = 1
            contacts.paths[pair.other].heaped = 1


@kernel
def rest(world: World) -> bool:
    """Support all resting bodies as the step begins; return whether there are any."""
    contacts, any_rests = world.contacts, False
    find_heaps(world)
    for place in range(contacts.near_count):
        near = contacts.near[place]
        hold = contacts.holds[near.pair]
        near.rests = 1 if rests(world, near) else 0
        if near.rests == 0:
            hold.load = 0.0
            hold.load_of_way = 0.0
        else:
            pair = contacts.pairs[near.pair]
            near.slack = max(near.gap, 0.0) / stride_of(world.bodies[pair.one], world.dt)
            any_rests = True
            lie_on_sides(world, pair.one, False)
            lie_on_sides(world, pair.other, False)
    forget_side_loads(world)
    if any_rests:
        hold_all(world)
        fall_asleep(world)
        for n in range(world.crafts):
            if contacts.paths[n].lies_x != 0 or contacts.paths[n].lies_y != 0:
                lie_still(world, n)
    return any_rests


@kernel
def settle_heap(world: World, moment: float) -> None:
    """Bring all touching bodies to rest against each other at a moment."""
    contacts = world.contacts
    for n in range(world.crafts):
        if contacts.paths[n].there != 0:
            advance(world, n, moment)
        keep_side_loads(contacts.paths[n], 0.0, 0.0, False)
        keep_side_loads(contacts.paths[n], 0.0, 0.0, True)
    for place in range(contacts.near_count):
        near = contacts.near[place]
        pair = contacts.pairs[near.pair]
        hold = contacts.holds[near.pair]
        near.rests = 0
        hold.load = 0.0
        hold.load_of_way = 0.0
        there = contacts.paths[pair.one].there != 0 and contacts.paths[pair.other].there != 0
        gives = pair.give_one + pair.give_other > 0.0
        if there and gives and is_solid(contacts.contacts[pair.contact]):
            room, nx, ny = gap_now(world, pair)
            if room <= TOUCHES:
                near.rests = 1
                near.normal_x = nx
                near.normal_y = ny
                near.slack = 0.0
                near.gap = room
                contacts.status[pair.group].touching = 1
                lie_on_sides(world, pair.one, True)
                lie_on_sides(world, pair.other, True)
    hold_all(world)
    fall_asleep(world)
