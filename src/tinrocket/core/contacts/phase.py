"""The contact phase of a step: after all craft have moved, in order of time of impact."""

import math

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout as at
from tinrocket.core.borrow import borrow
from tinrocket.core.contacts import meetings as by
from tinrocket.core.contacts.geometry import NEVER, gap, impact
from tinrocket.core.contacts.meetings import AT, PX, PY, WX, WY, Meet, Meetings
from tinrocket.core.contacts.moves import (
    advance,
    apart,
    begin_paths,
    both_radii,
    outline,
    who,
)
from tinrocket.core.contacts.respond import respond
from tinrocket.core.events import note_contact
from tinrocket.core.jit import inlined, outlined
from tinrocket.core.layout import ALIVE, VX, VY, X, Y
from tinrocket.core.scratch import Scratch

Floats = NDArray[np.float64]

MOST = 512
"""Contacts that are worked out in one step; what would come after them stands still."""
TOUCH = 1e-9
"""Overlaps below this are touches [px]."""


@outlined
def next_impact(
    meetings: Meetings, scratch: Scratch, state: Floats, pair: int
) -> tuple[float, float, float, float]:
    """When a pair next meets in this step, the normal there, and the gap it has before.

    The fraction of the step is NEVER if they do not meet; the gap is below zero if they
    overlap already.
    """
    one, other, contact = who(meetings, pair)
    paths = scratch.paths
    passes = meetings.numbers[contact, by.RESPONSE] in (by.PASS, by.REMOVE, by.SPLIT)
    if passes and scratch.touching[meetings.pairs[pair, 5]] != 0.0:
        return NEVER, 0.0, 0.0, 0.0  # it counts again once they have parted
    now = max(paths[one, AT], paths[other, AT])
    left = 1.0 - now
    share, back = now - paths[one, AT], now - paths[other, AT]
    x, y = paths[one, PX] + share * paths[one, WX], paths[one, PY] + share * paths[one, WY]
    ox, oy = paths[other, PX] + back * paths[other, WX], paths[other, PY] + back * paths[other, WY]
    dx = (paths[one, WX] - paths[other, WX]) * left
    dy = (paths[one, WY] - paths[other, WY]) * left
    way = math.sqrt(dx * dx + dy * dy)
    shape = outline(meetings, scratch.shape, meetings.pairs[pair, 3], state[one, at.HEADING], x, y)
    angle = state[other, at.HEADING] if other < len(state) else 0.0
    wall = outline(meetings, scratch.wall, meetings.pairs[pair, 4], angle, ox, oy)
    radius = both_radii(meetings, pair)
    far_x, far_y = meetings.apart[pair, 0], meetings.apart[pair, 1]
    room, nx, ny = 1.0, 0.0, 0.0
    if abs(x - ox) <= far_x and abs(y - oy) <= far_y:  # else they are not even near
        room, nx, ny = gap(wall, shape, radius)
    if room > TOUCH:
        t, nx, ny = impact(wall, shape, radius, dx, dy)
        return (now + t * left if t <= 1.0 else NEVER), nx, ny, room
    if passes:
        return now, nx, ny, room
    meets = dx * nx + dy * ny < -1e-9 * way or room < -TOUCH
    return (now if meets else NEVER), nx, ny, room


@outlined
def shown_gap(
    meetings: Meetings, scratch: Scratch, state: Floats, pair: int
) -> tuple[float, float, float]:
    """Gap and normal of a pair where its bodies are at the end of the step."""
    one, other, _contact = who(meetings, pair)
    paths = scratch.paths
    x, y, ox, oy = paths[one, PX], paths[one, PY], paths[other, PX], paths[other, PY]
    shape = outline(meetings, scratch.shape, meetings.pairs[pair, 3], state[one, at.HEADING], x, y)
    angle = state[other, at.HEADING] if other < len(state) else 0.0
    wall = outline(meetings, scratch.wall, meetings.pairs[pair, 4], angle, ox, oy)
    return gap(wall, shape, both_radii(meetings, pair))


@outlined
def group_gap(
    meetings: Meetings, scratch: Scratch, state: Floats, pair: int
) -> tuple[float, float, float, int]:
    """Gap and normal where two bodies of several parts are nearest, and the pair of parts."""
    group = meetings.pairs[pair, 5]
    best, normal_x, normal_y, nearest_pair = math.inf, 1.0, 0.0, group
    for row in range(group, len(meetings.pairs)):
        if meetings.pairs[row, 5] != group:
            break
        room, nx, ny = shown_gap(meetings, scratch, state, row)
        if room < best:
            best, normal_x, normal_y, nearest_pair = room, nx, ny, row
    return best, normal_x, normal_y, nearest_pair


@outlined
def strike(
    meetings: Meetings,
    scratch: Scratch,
    state: Floats,
    events: Floats,
    used: int,
    step: int,
    pair: int,
    nx: float,
    ny: float,
    room: float,
    now: float,
    steps: float,
) -> int:
    """Let a pair that touches respond, push it apart if it overlaps, and write it down."""
    one, other, contact = who(meetings, pair)
    paths = scratch.paths
    vx, vy = state[one, VX], state[one, VY]
    if other < len(state):
        vx, vy = vx - state[other, VX], vy - state[other, VY]
    solid = meetings.numbers[contact, by.RESPONSE] in (by.BOUNCE, by.BLOCK, by.STOP)
    if room < 0.0 and solid and meetings.numbers[contact, by.PUSH_OUT] != 0.0:
        paths[one, PX] -= room * nx
        paths[one, PY] -= room * ny
    x, y = paths[one, PX], paths[one, PY]
    moment = paths[one, AT]
    hard = respond(meetings, scratch, state, pair, nx, ny, now, steps)
    if not solid:
        scratch.touching[meetings.pairs[pair, 5]] = 1.0
    what = -1 - 2 * contact - (1 if hard else 0)
    return note_contact(
        events, used, step, one, what, moment, x, y, vx, vy, other, float(pair), nx, ny
    )


@inlined
def gather(meetings: Meetings, scratch: Scratch) -> int:
    """List the swept pairs that may meet in what is left of the step; return how many."""
    there, paths, count = scratch.bodies, scratch.paths, 0
    for pair in range(len(meetings.pairs)):
        if apart(meetings, paths, pair):
            continue
        one, other = meetings.pairs[pair, 0], meetings.pairs[pair, 1]
        contact = meetings.pairs[pair, 2]
        swept = meetings.numbers[contact, by.FIND] == by.SWEPT
        if swept and there[one] != 0.0 and there[other] != 0.0:
            scratch.near[count] = pair
            count += 1
    return count


@inlined
def sweep(
    meetings: Meetings,
    scratch: Scratch,
    state: Floats,
    events: Floats,
    used: int,
    step: int,
    now: float,
    steps: float,
) -> int:
    """Let swept pairs meet, the earliest first; ties in the order of the pairs."""
    paths, there = scratch.paths, scratch.bodies
    count, parted = gather(meetings, scratch), -1
    for turn in range(MOST + 1):
        best, found, normal_x, normal_y, room = NEVER, -1, 0.0, 0.0, 0.0
        for place in range(count):
            pair = int(scratch.near[place])
            if pair == parted:
                continue
            if there[meetings.pairs[pair, 0]] == 0.0 or there[meetings.pairs[pair, 1]] == 0.0:
                continue
            moment, nx, ny, before_it = next_impact(meetings, scratch, state, pair)
            if moment < best:
                best, found, normal_x, normal_y, room = moment, pair, nx, ny, before_it
        if found < 0:
            break
        one, other, contact = who(meetings, found)
        advance(paths, one, best)
        advance(paths, other, best)
        if turn == MOST:
            paths[one, WX] = paths[one, WY] = 0.0
            break
        used = strike(
            *(meetings, scratch, state, events, used, step, found),
            *(normal_x, normal_y, min(room, 0.0), now, steps),
        )
        # the two that just met and go apart are done with each other, as long as no other
        # contact changes their ways
        way_x = paths[one, WX] - paths[other, WX]
        way_y = paths[one, WY] - paths[other, WY]
        parting = room >= -TOUCH and way_x * normal_x + way_y * normal_y >= 0.0
        parted = found if parting else -1
        if meetings.numbers[contact, by.RESPONSE] in (by.BOUNCE, by.BLOCK, by.SPLIT):
            count = gather(meetings, scratch)  # there is a new way
    return used


@outlined
def look(
    meetings: Meetings,
    scratch: Scratch,
    state: Floats,
    events: Floats,
    used: int,
    step: int,
    now: float,
    steps: float,
) -> int:
    """Let every craft that looks along its heading hit what is nearest there."""
    paths = scratch.paths
    for craft in range(len(state)):
        if state[craft, at.SIGHT] == 0.0:
            continue
        angle, x, y = state[craft, at.HEADING], paths[craft, PX], paths[craft, PY]
        dx, dy = state[craft, at.SIGHT] * math.cos(angle), state[craft, at.SIGHT] * math.sin(angle)
        state[craft, at.SIGHT] = 0.0
        eye = scratch.shape[:1]
        eye[0, 0], eye[0, 1] = x, y
        best, found, normal_x, normal_y = NEVER, -1, 0.0, 0.0
        for pair in range(len(meetings.pairs)):
            one, other, contact = who(meetings, pair)
            if one != craft or meetings.numbers[contact, by.FIND] != by.SIGHT:
                continue
            if scratch.bodies[other] == 0.0:
                continue
            turned = state[other, at.HEADING] if other < len(state) else 0.0
            body = outline(
                meetings, scratch.wall, other, turned, paths[other, PX], paths[other, PY]
            )
            t, nx, ny = impact(body, eye, meetings.radii[meetings.pairs[pair, 4]], dx, dy)
            if t < best:
                best, found, normal_x, normal_y = t, pair, nx, ny
        if found >= 0 and best <= 1.0:
            paths[craft, PX], paths[craft, PY] = x + best * dx, y + best * dy  # where it was hit
            used = strike(
                *(meetings, scratch, state, events, used, step, found),
                *(normal_x, normal_y, 0.0, now, steps),
            )
            paths[craft, PX], paths[craft, PY] = x, y
            scratch.touching[meetings.pairs[found, 5]] = 0.0
    return used


@inlined
def meet(
    meetings: Meetings,
    scratch: Scratch,
    state: Floats,
    events: Floats,
    used: int,
    step: int,
    now: float,
    dt: float,
) -> int:
    """Work out all contacts of a step; return how many events there are now.

    Swept pairs first, the earliest impact first (ties in the order of the pairs): both
    bodies are moved to where they touch, the response changes the velocity, and the rest
    of the way is flown with it.  Then pairs that only ask whether they overlap in the end,
    and then those that look along a heading.
    """
    meetings, scratch = borrow(meetings), borrow(scratch)
    state, events = borrow(state), borrow(events)
    paths, there, touching = scratch.paths, scratch.bodies, scratch.touching
    if scratch.ledger[at.PAUSE_ENDS] != 0.0 or scratch.ledger[at.IS_OVER] != 0.0:
        return used
    begin_paths(meetings, scratch, state, dt)
    for craft in range(len(meetings.safe)):
        safe = now < state[craft, at.BORN] + meetings.safe[craft] - at.SOON
        out = safe or state[craft, ALIVE] == 0.0 or state[craft, at.ALOFT] != 0.0
        there[craft] = 0.0 if out else 1.0
    since, steps = used, float(step)
    used = sweep(meetings, scratch, state, events, used, step, now, steps)
    for body in range(len(state)):
        advance(paths, body, 1.0)
    for pair in range(len(meetings.pairs)):
        one, other, contact = who(meetings, pair)
        overlaps = meetings.numbers[contact, by.FIND] == by.OVERLAP
        group = meetings.pairs[pair, 5]
        if touching[group] == 0.0 and (not overlaps or apart(meetings, paths, pair)):
            continue
        if there[one] == 0.0 or there[other] == 0.0:
            touching[group] = 0.0
            continue
        if scratch.seen[group] == step + 1.0:  # with another of their parts
            continue
        scratch.seen[group] = step + 1.0
        room, nx, ny, nearest_pair = group_gap(meetings, scratch, state, pair)
        if room > TOUCH:
            touching[group] = 0.0
        elif overlaps and room < 0.0:
            once = meetings.numbers[contact, by.RESPONSE] in (by.PASS, by.REMOVE, by.SPLIT)
            if not (once and touching[group] != 0.0):
                used = strike(
                    *(meetings, scratch, state, events, used, step, nearest_pair),
                    *(nx, ny, room, now, steps),
                )
    looks = False
    for craft in range(len(state)):
        looks |= state[craft, at.SIGHT] != 0.0
    if looks:
        used = look(meetings, scratch, state, events, used, step, now, steps)
    for craft in range(len(state)):
        state[craft, X], state[craft, Y] = paths[craft, PX], paths[craft, PY]
    for row in range(since, min(used, len(events))):
        pair = int(events[row, at.EVENT_GAP])
        room, _nx, _ny, _pair = group_gap(meetings, scratch, state, pair)
        events[row, at.EVENT_GAP] = room
    return used


def make_meet(sources: int) -> Meet:
    """Return the phase, not compiled; `sources` is a fingerprint of the files it is made of."""

    def meet_all(
        meetings: Meetings,
        scratch: Scratch,
        state: Floats,
        events: Floats,
        used: int,
        step: int,
        now: float,
        dt: float,
    ) -> int:
        _ = sources  # part of the key under which Numba keeps the compiled phase
        return meet(meetings, scratch, state, events, used, step, now, dt)

    return meet_all
