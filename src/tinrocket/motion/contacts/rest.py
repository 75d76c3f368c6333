"""Bodies that lie on each other: what leads them into one another is held up, all at once.

Which pairs rest is known when the step begins: they touch, and did not come together before what
pushes them did its part.  What holds them up is found by going round the pairs until nothing
leads into anything any more (projected Gauss-Seidel), from what it was in the step before.

Bodies that bounce off each other without an end, each time with less, come to rest the same way.
"""

from typing import Final

from tinrocket.kernel.intrinsics import INFINITE
from tinrocket.kernel.maths import hypot
from tinrocket.kernel.subset import kernel
from tinrocket.motion.body import CURVED
from tinrocket.motion.contacts.near import is_solid
from tinrocket.motion.contacts.paths import advance, gap_now, halt
from tinrocket.motion.contacts.respond import press_of
from tinrocket.motion.contacts.squeeze import note_squeeze
from tinrocket.motion.contacts.tables import BOUNCE, Near, Pair
from tinrocket.motion.world import World

TOUCHES: Final = 1e-7
"""The largest gap of a pair at rest [px]."""
ROUNDS: Final = 2000
STALLS: Final = 0.8
"""A hundred rounds that leave more than this of the changes lead nowhere."""
ASLEEP: Final = 0.005
"""What share of a push still counts as nothing in a heap."""
HELD: Final = 2
"""How a body of a heap is marked that bears a load."""
ENOUGH: Final = 1e-7
"""What may be left, as a share of what was there."""


@kernel
def straighten(world: World, body: int) -> None:
    """Let a craft fly what is left of the step straight, at the velocity that it ends with."""
    if body >= world.crafts:
        return
    craft, path = world.bodies[body], world.contacts.paths[body]
    left = 1.0 - path.at
    if path.curve_x != 0.0 or path.curve_y != 0.0:
        craft.vx += 2.0 * path.curve_x * left / path.pace
        craft.vy += 2.0 * path.curve_y * left / path.pace
        path.way_x += path.curve_x * left
        path.way_y += path.curve_y * left
        path.curve_x = 0.0
        path.curve_y = 0.0


@kernel
def speed_of(world: World, body: int, ways: bool) -> tuple[float, float]:
    """Return the velocity of a body, or that of its way."""
    if body >= world.crafts or world.contacts.paths[body].stuck != 0:
        return 0.0, 0.0
    path = world.contacts.paths[body]
    if ways:
        return path.way_x / path.pace, path.way_y / path.pace
    return world.bodies[body].vx, world.bodies[body].vy


@kernel
def unpushed_velocity(world: World, body: int) -> tuple[float, float]:
    """Return the velocity of a body without what pushes it in this step."""
    if body >= world.crafts:
        return 0.0, 0.0
    craft = world.bodies[body]
    if craft.movement == CURVED:
        return craft.vx, craft.vy
    return craft.vx - craft.push_x, craft.vy - craft.push_y


@kernel
def parting(world: World, pair: Pair, nx: float, ny: float, ways: bool) -> float:
    """Return how fast a pair parts along the normal; below zero if it closes."""
    vx, vy = speed_of(world, pair.one, ways)
    wx, wy = speed_of(world, pair.other, ways)
    return (vx - wx) * nx + (vy - wy) * ny


@kernel
def rests(world: World, near: Near) -> bool:
    """Whether a pair lies on each other: it touches, and comes together by pushes alone."""
    contacts = world.contacts
    pair = contacts.pairs[near.pair]
    contact = contacts.contacts[pair.contact]
    if not is_solid(contact) or pair.give_one + pair.give_other == 0.0:
        return False
    # what gives back less than it gets rests as soon as its bounces are less than a push
    pushed = press_of(world, pair, near.normal_x, near.normal_y)
    if contact.response == BOUNCE and contact.restitution >= 1.0:
        pushed = 0.0
    vx, vy = unpushed_velocity(world, pair.one)
    wx, wy = unpushed_velocity(world, pair.other)
    if near.gap > TOUCHES:  # in a heap that hardly moves it closes within the step
        heaped = contacts.paths[pair.one].heaped != 0 or contacts.paths[pair.other].heaped != 0
        moves = hypot(vx - wx, vy - wy) > 2.0 * pushed
        if moves or near.gap > pushed * world.dt or not (heaped or pair.give_other > 0.0):
            return False
    before = (vx - wx) * near.normal_x + (vy - wy) * near.normal_y
    return abs(before) <= pushed + 1e-9 * (1.0 + hypot(vx, vy) + hypot(wx, wy))


@kernel
def hold_up(world: World, body: int, dx: float, dy: float, ways: bool) -> None:
    """Change the velocity of a craft, or its way alone where that is not the velocity's."""
    if body >= world.crafts or world.contacts.paths[body].stuck != 0:
        return
    craft, path = world.bodies[body], world.contacts.paths[body]
    if not ways:
        craft.vx += dx
        craft.vy += dy
    if ways or craft.movement != CURVED:
        path.way_x += dx * path.pace
        path.way_y += dy * path.pace
    path.moved = 1


@kernel
def bear(world: World, near: Near, load: float, ways: bool) -> None:
    """Let a pair bear a load between them."""
    pair, nx, ny = world.contacts.pairs[near.pair], near.normal_x, near.normal_y
    hold_up(world, pair.one, load * pair.give_one * nx, load * pair.give_one * ny, ways)
    hold_up(world, pair.other, -load * pair.give_other * nx, -load * pair.give_other * ny, ways)


@kernel
def bear_once(world: World, near: Near, ways: bool) -> float:
    """Let a pair at rest close no more; return by how much its velocities changed."""
    pair = world.contacts.pairs[near.pair]
    give = pair.give_one + pair.give_other
    parts = parting(world, pair, near.normal_x, near.normal_y, ways)
    load = max(near.load - (parts + near.slack) / give, 0.0)
    more = load - near.load
    bear(world, near, more, ways)
    near.load = load
    return abs(more) * give


@kernel
def go_round(world: World, ways: bool) -> bool:
    """Go round all pairs at rest until none of them closes; return whether that has an end."""
    contacts, worst, last = world.contacts, 0.0, world.contacts.near_count - 1
    for place in range(contacts.near_count):
        near = contacts.near[place]
        if near.rests != 0:
            pair = contacts.pairs[near.pair]
            parts = parting(world, pair, near.normal_x, near.normal_y, ways)
            worst = max(worst, -parts - near.slack)
            hold = contacts.holds[near.pair]
            near.load = hold.load_of_way if ways else hold.load
            bear(world, near, near.load, ways)
    before, ends = INFINITE, True
    for turn in range(ROUNDS):
        changed = 0.0
        for place in range(contacts.near_count):
            near = contacts.near[place if turn % 2 == 0 else last - place]
            if near.rests != 0:
                changed = max(changed, bear_once(world, near, ways))
        if changed <= ENOUGH * worst:
            break
        if turn % 100 == 99:
            if changed > STALLS * before:  # between a bat and a wall there is no end of it
                ends = False
                break
            before = changed
    for place in range(contacts.near_count):
        near = contacts.near[place]
        hold = contacts.holds[near.pair]
        if near.rests != 0 and ways:
            hold.load_of_way = near.load
        elif near.rests != 0:
            hold.load = near.load
    return ends


@kernel
def yield_bats(world: World) -> bool:
    """Let bats that press on a row with nowhere to go be held, or pass over it; return if any does.

    What was tried to hold up the row is taken back.
    """
    contacts, any_yields = world.contacts, False
    for place in range(contacts.near_count):
        near = contacts.near[place]
        pair = contacts.pairs[near.pair]
        status, contact = contacts.status[pair.group], contacts.contacts[pair.contact]
        if near.rests != 0:
            bear(world, near, -near.load, False)
            wx, wy = speed_of(world, pair.other, False)
            presses = wx * near.normal_x + wy * near.normal_y > 0.0
            if near.load > 0.0 and pair.give_other == 0.0 and presses:
                any_yields = True
                if status.squeezed == 0:
                    note_squeeze(world, pair.one, pair.other)
                status.squeezed = 1
                if contact.holds != 0:
                    contacts.paths[pair.other].stuck = 1
                    contacts.paths[pair.other].moved = 1
                    halt(contacts.paths[pair.other])
                else:
                    near.rests = 0
            contacts.holds[near.pair].load = 0.0
    return any_yields


@kernel
def hold_all(world: World) -> None:
    """Hold up all pairs at rest: their velocities, and ways that are not those of velocities."""
    contacts, curved = world.contacts, False
    for place in range(contacts.near_count):
        near = contacts.near[place]
        if near.rests != 0:
            pair = contacts.pairs[near.pair]
            curved = curved or world.bodies[pair.one].movement == CURVED
            straighten(world, pair.one)
            straighten(world, pair.other)
    if not go_round(world, False) and yield_bats(world):
        go_round(world, False)
    if curved:
        go_round(world, True)


@kernel
def fall_asleep(world: World) -> None:
    """Let those of a heap stand still whose support leaves them next to nothing of their push.

    Whatever is not held up gains far more than that in a step.
    """
    contacts = world.contacts
    for place in range(contacts.near_count):
        near = contacts.near[place]
        pair = contacts.pairs[near.pair]
        one, other = contacts.paths[pair.one], contacts.paths[pair.other]
        if near.rests != 0 and near.load > 0.0:  # at the top of its flight one is as slow
            one.heaped = HELD if one.heaped != 0 else 0
            other.heaped = HELD if other.heaped != 0 else 0
    for n in range(world.crafts):
        path, body = contacts.paths[n], world.bodies[n]
        if path.heaped == HELD and path.stuck == 0:
            least = ASLEEP * hypot(body.push_x, body.push_y)
            if hypot(body.vx, body.vy) <= least:
                body.vx = 0.0
                body.vy = 0.0
                path.way_x = 0.0
                path.way_y = 0.0
                path.moved = 1


@kernel
def find_heaps(world: World) -> None:
    """Notice who rests against another that a hit moves."""
    contacts = world.contacts
    for place in range(contacts.near_count):
        near = contacts.near[place]
        pair = contacts.pairs[near.pair]
        if pair.give_one > 0.0 and pair.give_other > 0.0 and rests(world, near):
            contacts.paths[pair.one].heaped = 1
            contacts.paths[pair.other].heaped = 1


@kernel
def rest(world: World) -> bool:
    """Hold up all that lies on something as the step begins; return whether anything does."""
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
            near.slack = max(near.gap, 0.0) / world.dt
            any_rests = True
    if any_rests:
        hold_all(world)
        fall_asleep(world)
    return any_rests


@kernel
def calm(world: World, moment: float) -> None:
    """Let all that touch come to rest against each other at a moment."""
    contacts = world.contacts
    for n in range(world.crafts):
        if contacts.paths[n].there != 0:
            advance(world, n, moment)
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
                contacts.status[pair.group].touching = 1
    hold_all(world)
