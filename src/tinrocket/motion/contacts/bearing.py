"""Support of bodies that rest on each other and on the edges of the arena.

Loads are found by iterating over the supports until no pair closes (projected Gauss-Seidel),
starting from the loads of the previous step.
"""

from typing import Final

from tinrocket.language.intrinsics import INFINITE
from tinrocket.language.subset import kernel
from tinrocket.motion.body import CURVED
from tinrocket.motion.contacts.paths import halt
from tinrocket.motion.contacts.squeeze import note_squeeze
from tinrocket.motion.contacts.tables import NearPair, Pair, StepPath
from tinrocket.motion.world import World

ROUNDS: Final = 2000
STALLS: Final = 0.8
"""Share of the changes that may remain after a hundred rounds; with more, there is no
convergence."""
ENOUGH: Final = 1e-7
"""Allowed remainder, as a share of the original."""
LEAST: Final = 1e-10
"""Change of velocity that counts as rounding [px per unit of time]."""


@kernel
def straighten(world: World, body: int) -> None:
    """Fly the rest of the step straight, at the craft's final velocity."""
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
    """Return the velocity of a body, or of its path through the step."""
    if body >= world.crafts or world.contacts.paths[body].stuck != 0:
        return 0.0, 0.0
    path = world.contacts.paths[body]
    if ways:
        return path.way_x / path.pace, path.way_y / path.pace
    return world.bodies[body].vx, world.bodies[body].vy


@kernel
def parting(world: World, pair: Pair, nx: float, ny: float, ways: bool) -> float:
    """Return the speed at which a pair separates along the normal; negative if it closes."""
    vx, vy = speed_of(world, pair.one, ways)
    wx, wy = speed_of(world, pair.other, ways)
    return (vx - wx) * nx + (vy - wy) * ny


@kernel
def add_velocity(world: World, body: int, dx: float, dy: float, ways: bool) -> None:
    """Change the velocity of a craft, or only its path where that differs."""
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
def apply_load(world: World, near: NearPair, load: float, ways: bool) -> None:
    """Apply a load between the bodies of a pair."""
    pair, nx, ny = world.contacts.pairs[near.pair], near.normal_x, near.normal_y
    add_velocity(world, pair.one, load * pair.give_one * nx, load * pair.give_one * ny, ways)
    add_velocity(
        world, pair.other, -load * pair.give_other * nx, -load * pair.give_other * ny, ways
    )


@kernel
def bear_at_side(world: World, n: int, along_x: float, along_y: float, ways: bool) -> None:
    """Apply the loads of the edges on which a craft rests."""
    path = world.contacts.paths[n]
    add_velocity(world, n, -along_x * float(path.lies_x), -along_y * float(path.lies_y), ways)


@kernel
def bear_at_side_once(world: World, n: int, ways: bool) -> float:
    """Stop a craft from moving into the edges on which it rests; return the change of velocity."""
    path = world.contacts.paths[n]
    vx, vy = speed_of(world, n, ways)
    if path.stuck != 0:
        return 0.0
    load_x, load_y = side_loads(path, ways)
    more_x = max(load_x + vx * float(path.lies_x), 0.0) - load_x if path.lies_x != 0 else 0.0
    more_y = max(load_y + vy * float(path.lies_y), 0.0) - load_y if path.lies_y != 0 else 0.0
    bear_at_side(world, n, more_x, more_y, ways)
    keep_side_loads(path, load_x + more_x, load_y + more_y, ways)
    return max(abs(more_x), abs(more_y))


@kernel
def side_loads(path: StepPath, ways: bool) -> tuple[float, float]:
    """Return the loads of the edges on which a craft rests, as velocities."""
    if ways:
        return path.side_load_of_way_x, path.side_load_of_way_y
    return path.side_load_x, path.side_load_y


@kernel
def keep_side_loads(path: StepPath, load_x: float, load_y: float, ways: bool) -> None:
    """Store the loads of the edges on which a craft rests."""
    if ways:
        path.side_load_of_way_x = load_x
        path.side_load_of_way_y = load_y
    else:
        path.side_load_x = load_x
        path.side_load_y = load_y


@kernel
def bear_once(world: World, near: NearPair, ways: bool) -> float:
    """Stop a resting pair from closing; return the change of its velocities."""
    pair = world.contacts.pairs[near.pair]
    inverse_mass = pair.give_one + pair.give_other
    parts = parting(world, pair, near.normal_x, near.normal_y, ways)
    load = max(near.load - (parts + near.slack) / inverse_mass, 0.0)
    more = load - near.load
    apply_load(world, near, more, ways)
    near.load = load
    return abs(more) * inverse_mass


@kernel
def presses(world: World, near: NearPair) -> bool:
    """Return whether a bat, which no hit moves, presses on the first of a resting pair."""
    pair = world.contacts.pairs[near.pair]
    if near.rests == 0 or pair.give_other != 0.0:
        return False
    wx, wy = speed_of(world, pair.other, False)
    return wx * near.normal_x + wy * near.normal_y > 0.0


@kernel
def go_round(world: World, ways: bool) -> bool:
    """Iterate over resting pairs until none closes (projected Gauss-Seidel), if it converges."""
    contacts, worst, last = world.contacts, 0.0, world.contacts.near_count - 1
    before, pressed, ends = INFINITE, False, True
    for place in range(contacts.near_count):
        near = contacts.near[place]
        if near.rests != 0:
            pair = contacts.pairs[near.pair]
            pressed = pressed or presses(world, near)
            parts = parting(world, pair, near.normal_x, near.normal_y, ways)
            worst = max(worst, -parts - near.slack)
            hold = contacts.holds[near.pair]
            near.load = hold.load_of_way if ways else hold.load
            apply_load(world, near, near.load, ways)
    for n in range(world.crafts):
        path = contacts.paths[n]
        if path.lies_x != 0 or path.lies_y != 0:
            vx, vy = speed_of(world, n, ways)
            into_x, into_y = vx * float(path.lies_x), vy * float(path.lies_y)
            worst = max(worst, into_x)
            worst = max(worst, into_y)
            load_x, load_y = side_loads(path, ways)
            bear_at_side(world, n, load_x, load_y, ways)
    for turn in range(ROUNDS):
        changed = 0.0
        for place in range(contacts.near_count):
            near = contacts.near[place if turn % 2 == 0 else last - place]
            if near.rests != 0:
                changed = max(changed, bear_once(world, near, ways))
        for n in range(world.crafts):
            if contacts.paths[n].lies_x != 0 or contacts.paths[n].lies_y != 0:
                changed = max(changed, bear_at_side_once(world, n, ways))
        if changed <= ENOUGH * worst + LEAST:
            break
        if turn % 100 == 99 and pressed:
            if changed > STALLS * before:  # between a bat and a wall the iteration has no end
                ends = False
                break
            before = changed
    for place in range(contacts.near_count):
        near = contacts.near[place]
        hold = contacts.holds[near.pair]
        if near.load <= LEAST:  # the loads of two that fall side by side are rounding
            near.load = 0.0
        if near.rests != 0 and ways:
            hold.load_of_way = near.load
        elif near.rests != 0:
            hold.load = near.load
    return ends


@kernel
def release_bats(world: World) -> bool:
    """Hold bats that press on a blocked row, or let them pass over it; return whether any does.

    The tried supports of the row are undone.
    """
    contacts, any_yields = world.contacts, False
    for place in range(contacts.near_count):
        near = contacts.near[place]
        pair = contacts.pairs[near.pair]
        status, contact = contacts.status[pair.group], contacts.contacts[pair.contact]
        if near.rests != 0:
            apply_load(world, near, -near.load, False)
            if near.load > 0.0 and presses(world, near):
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
    for n in range(world.crafts):
        path = contacts.paths[n]
        bear_at_side(world, n, -path.side_load_x, -path.side_load_y, False)
        keep_side_loads(path, 0.0, 0.0, False)
    return any_yields


@kernel
def hold_all(world: World) -> None:
    """Support all resting pairs: their velocities, and paths that differ from their velocities."""
    contacts, curved = world.contacts, False
    for place in range(contacts.near_count):
        near = contacts.near[place]
        if near.rests != 0:
            pair = contacts.pairs[near.pair]
            curved = curved or world.bodies[pair.one].movement == CURVED
            straighten(world, pair.one)
            straighten(world, pair.other)
    if not go_round(world, False) and release_bats(world):
        go_round(world, False)
    if curved:
        go_round(world, True)
