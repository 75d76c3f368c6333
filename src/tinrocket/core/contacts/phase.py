"""The contact phase of a step: after all craft have moved, in order of time of impact."""

import math

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout as at
from tinrocket.core.contacts import meetings as by
from tinrocket.core.contacts.geometry import NEVER, gap, impact
from tinrocket.core.contacts.meetings import Meet, Meetings
from tinrocket.core.contacts.responses import block, bounce, by_place, finish
from tinrocket.core.events import note_contact
from tinrocket.core.jit import inlined, outlined
from tinrocket.core.layout import ALIVE, VX, VY, X, Y

Floats = NDArray[np.float64]

MOST = 512
"""Contacts that are worked out in one step; what would come after them stands still."""
TOUCH = 1e-9
"""Overlaps below this are touches [px]."""

# Columns of a path
AT = 0  # the fraction of the step at which the place is reached
PX = 1
PY = 2
WX = 3  # the way that a whole step would be from there
WY = 4
PACE = 5  # the way for each unit of velocity [s]
SPAN = 6  # how far from its place it may come in the step, with its own reach [px]
PATH = 7


@outlined
def outline(meetings: Meetings, body: int, angle: float, x: float, y: float) -> Floats:
    """Corners of a body at a place, turned if it turns."""
    first, past = meetings.first[body], meetings.first[body + 1]
    corners = np.empty((past - first, 2))
    cos_a, sin_a = 1.0, 0.0
    if meetings.turns[body] != 0.0:
        cos_a, sin_a = math.cos(angle), math.sin(angle)
    for k in range(past - first):
        cx, cy = meetings.corners[first + k, 0], meetings.corners[first + k, 1]
        corners[k, 0] = x + cx * cos_a - cy * sin_a
        corners[k, 1] = y + cx * sin_a + cy * cos_a
    return corners


@outlined
def respond(
    meetings: Meetings,
    pair: int,
    state: Floats,
    paths: Floats,
    there: Floats,
    counts: Floats,
    nx: float,
    ny: float,
) -> bool:
    """Change velocity, way and presence of a pair in contact; return whether it was hard.

    The normal points from the other body to the craft that responds.
    """
    one, other, contact = meetings.pairs[pair]
    numbers = meetings.numbers[contact]
    vx, vy = state[one, VX], state[one, VY]
    wx, wy = 0.0, 0.0
    if other < len(state):
        wx, wy = state[other, VX], state[other, VY]
    hard = bool(math.sqrt(wx * wx + wy * wy) > numbers[by.HARD])
    response = numbers[by.RESPONSE]
    if response == by.REMOVE:
        if numbers[by.GONE_ONE] != 0.0:
            state[one, ALIVE] = there[one] = 0.0
        if numbers[by.GONE_OTHER] != 0.0:
            there[other] = 0.0
            if other < len(state):
                state[other, ALIVE] = 0.0
        return hard
    if response == by.STOP:
        for body in (one, other):
            if body < len(state):
                state[body, ALIVE] = at.FROZEN
                state[body, VX] = state[body, VY] = 0.0
                paths[body, WX] = paths[body, WY] = 0.0
        return hard
    if response == by.BLOCK:
        vx, vy = block(vx - wx, vy - wy, nx, ny)
        vx, vy = vx + wx, vy + wy
    elif response == by.BOUNCE:
        always = numbers[by.PUSH_OUT] == 0.0 and numbers[by.SWEPT] == 0.0
        if numbers[by.BY_PLACE] != 0.0:
            speed = math.sqrt(vx * vx + vy * vy) * numbers[by.RESTITUTION]
            extent = meetings.reach[other]
            left = (paths[one, PX] - paths[other, PX]) * -ny
            left += (paths[one, PY] - paths[other, PY]) * nx
            vx, vy = by_place(speed, nx, ny, left / extent, numbers[by.BY_PLACE])
        else:
            vx, vy = bounce(vx, vy, nx, ny, numbers[by.RESTITUTION], always)
        vx, vy = vx + numbers[by.SHARE] * wx, vy + numbers[by.SHARE] * wy
        kick = meetings.kicks[contact, int(counts[contact]) % by.KICKS] * numbers[by.KICK]
        vx, vy = finish(vx, vy, numbers[by.FASTER], numbers[by.TOP], kick)
        if not always:  # never slower than the bat that comes after it
            vx, vy = block(vx - wx, vy - wy, nx, ny)
            vx, vy = vx + wx, vy + wy
    counts[contact] += 1.0
    state[one, VX], state[one, VY] = vx, vy
    if response != by.PASS:
        wx, wy = vx * paths[one, PACE], vy * paths[one, PACE]
        paths[one, WX], paths[one, WY] = wx, wy
        paths[one, SPAN] = meetings.reach[one] + math.sqrt(wx * wx + wy * wy)
    return hard


@outlined
def begin_paths(
    meetings: Meetings, state: Floats, before: Floats, bounds: Floats, dt: float
) -> Floats:
    """Paths of all bodies in this step, straight from where they were to where they are."""
    paths = np.zeros((len(meetings.radii), PATH))
    for craft in range(len(state)):
        x, y, vx, vy = state[craft, X], state[craft, Y], state[craft, VX], state[craft, VY]
        paths[craft, PX], paths[craft, PY] = x, y
        if state[craft, ALIVE] <= 0.0:
            continue
        laps_x = state[craft, at.LAPS_X] - before[craft, 2]
        laps_y = state[craft, at.LAPS_Y] - before[craft, 3]
        wx, wy = x - before[craft, 0], y - before[craft, 1]
        if laps_x != 0.0:
            wx += laps_x * (bounds[craft, at.X_HIGH] - bounds[craft, at.X_LOW])
        if laps_y != 0.0:
            wy += laps_y * (bounds[craft, at.Y_HIGH] - bounds[craft, at.Y_LOW])
        paths[craft, PX], paths[craft, PY] = x - wx, y - wy
        paths[craft, WX], paths[craft, WY] = wx, wy
        square = vx * vx + vy * vy
        pace = (wx * vx + wy * vy) / square if square > 0.0 else 0.0
        paths[craft, PACE] = pace if pace > 0.0 else dt
        paths[craft, SPAN] = math.sqrt(wx * wx + wy * wy)
    for still in range(len(meetings.places)):
        body = len(state) + still
        paths[body, PX], paths[body, PY] = meetings.places[still]
    for body in range(len(paths)):
        paths[body, SPAN] += meetings.reach[body]
    return paths


@inlined
def apart(paths: Floats, one: int, other: int) -> bool:
    """Whether two bodies are too far apart to meet in this step, by circles around them."""
    dx, dy = paths[one, PX] - paths[other, PX], paths[one, PY] - paths[other, PY]
    span = paths[one, SPAN] + paths[other, SPAN]
    return bool(dx * dx + dy * dy > span * span)


@outlined
def advance(paths: Floats, body: int, moment: float) -> None:
    """Move a body along its path to a later fraction of the step."""
    share = moment - paths[body, AT]
    paths[body, PX] += share * paths[body, WX]
    paths[body, PY] += share * paths[body, WY]
    paths[body, AT] = moment


@outlined
def next_impact(
    meetings: Meetings, pair: int, state: Floats, paths: Floats, touching: Floats
) -> tuple[float, float, float, float]:
    """When a pair next meets in this step, the normal there, and the gap it has before.

    The fraction of the step is NEVER if they do not meet; the gap is below zero if they
    overlap already.
    """
    one, other, contact = meetings.pairs[pair]
    now = max(paths[one, AT], paths[other, AT])
    left = 1.0 - now
    share, back = now - paths[one, AT], now - paths[other, AT]
    x, y = paths[one, PX] + share * paths[one, WX], paths[one, PY] + share * paths[one, WY]
    ox, oy = paths[other, PX] + back * paths[other, WX], paths[other, PY] + back * paths[other, WY]
    dx = (paths[one, WX] - paths[other, WX]) * left
    dy = (paths[one, WY] - paths[other, WY]) * left
    way = math.sqrt(dx * dx + dy * dy)
    shape = outline(meetings, one, state[one, at.HEADING], x, y)
    angle = state[other, at.HEADING] if other < len(state) else 0.0
    wall = outline(meetings, other, angle, ox, oy)
    radius = meetings.radii[one] + meetings.radii[other]
    room, nx, ny = gap(wall, shape, radius)
    if room > TOUCH:
        t, nx, ny = impact(wall, shape, radius, dx, dy)
        return (now + t * left if t <= 1.0 else NEVER), nx, ny, room
    if meetings.numbers[contact, by.RESPONSE] in (by.PASS, by.REMOVE):
        return (NEVER if touching[pair] != 0.0 else now), nx, ny, room
    meets = dx * nx + dy * ny < -1e-9 * way or room < -TOUCH
    return (now if meets else NEVER), nx, ny, room


@outlined
def shown_gap(
    meetings: Meetings, pair: int, state: Floats, paths: Floats
) -> tuple[float, float, float]:
    """Gap and normal of a pair where its bodies are at the end of the step."""
    one, other, _contact = meetings.pairs[pair]
    x, y, ox, oy = paths[one, PX], paths[one, PY], paths[other, PX], paths[other, PY]
    apart = meetings.reach[one] + meetings.reach[other]
    square = (x - ox) * (x - ox) + (y - oy) * (y - oy)
    if square > apart * apart:
        return math.sqrt(square) - apart, 1.0, 0.0
    shape = outline(meetings, one, state[one, at.HEADING], x, y)
    angle = state[other, at.HEADING] if other < len(state) else 0.0
    wall = outline(meetings, other, angle, ox, oy)
    return gap(wall, shape, meetings.radii[one] + meetings.radii[other])


@outlined
def meet(
    meetings: Meetings,
    state: Floats,
    before: Floats,
    bounds: Floats,
    there: Floats,
    counts: Floats,
    touching: Floats,
    events: Floats,
    used: int,
    step: int,
    dt: float,
) -> int:
    """Work out all contacts of a step; return how many events there are now.

    Swept pairs first, the earliest impact first (ties in the order of the pairs): both
    bodies are moved to where they touch, the response changes the velocity, and the rest
    of the way is flown with it.  Then pairs that only ask whether they overlap in the end.

    Parameters
    ----------
    before, bounds
        Shapes (C, 4) and (C, 4): place and laps of each craft as the step began, and where
        the sides of the arena are for it.
    there
        Shape (B,): whether a body is still there; changed.
    counts, touching
        Shapes (R,) and (P,): hits of each contact, and which pairs are touching; changed.
    """
    paths = begin_paths(meetings, state, before, bounds, dt)
    for craft in range(len(state)):
        if state[craft, ALIVE] == 0.0:
            there[craft] = 0.0
    since = used
    for turn in range(MOST + 1):
        best, found, normal_x, normal_y, room = NEVER, -1, 0.0, 0.0, 0.0
        for pair in range(len(meetings.pairs)):
            one, other = meetings.pairs[pair, 0], meetings.pairs[pair, 1]
            contact = meetings.pairs[pair, 2]
            if meetings.numbers[contact, by.SWEPT] == 0.0:
                continue
            if there[one] == 0.0 or there[other] == 0.0 or apart(paths, one, other):
                continue
            moment, nx, ny, before_it = next_impact(meetings, pair, state, paths, touching)
            if moment < best:
                best, found, normal_x, normal_y, room = moment, pair, nx, ny, before_it
        if found < 0:
            break
        one, other, contact = meetings.pairs[found]
        advance(paths, one, best)
        advance(paths, other, best)
        if turn == MOST:
            paths[one, WX] = paths[one, WY] = 0.0
            break
        used = strike(
            meetings,
            found,
            state,
            paths,
            there,
            counts,
            touching,
            events,
            used,
            step,
            normal_x,
            normal_y,
            min(room, 0.0),
        )
    for body in range(len(state)):
        advance(paths, body, 1.0)
    for pair in range(len(meetings.pairs)):
        one, other = meetings.pairs[pair, 0], meetings.pairs[pair, 1]
        contact = meetings.pairs[pair, 2]
        if there[one] == 0.0 or there[other] == 0.0:
            continue
        if touching[pair] == 0.0 and (
            meetings.numbers[contact, by.SWEPT] != 0.0 or apart(paths, one, other)
        ):
            continue
        room, nx, ny = shown_gap(meetings, pair, state, paths)
        if room > TOUCH:
            touching[pair] = 0.0
        elif meetings.numbers[contact, by.SWEPT] == 0.0 and room < 0.0:
            once = meetings.numbers[contact, by.RESPONSE] in (by.PASS, by.REMOVE)
            if not (once and touching[pair] != 0.0):
                used = strike(
                    meetings,
                    pair,
                    state,
                    paths,
                    there,
                    counts,
                    touching,
                    events,
                    used,
                    step,
                    nx,
                    ny,
                    room,
                )
    for craft in range(len(state)):
        if state[craft, ALIVE] != 0.0:
            state[craft, X], state[craft, Y] = paths[craft, PX], paths[craft, PY]
    for row in range(since, min(used, len(events))):
        room, _nx, _ny = shown_gap(meetings, int(events[row, at.EVENT_GAP]), state, paths)
        events[row, at.EVENT_GAP] = room
    return used


def make_meet(sources: int) -> Meet:
    """Return the phase, not compiled; `sources` is a fingerprint of the files it is made of."""

    def meet_all(
        meetings: Meetings,
        state: Floats,
        before: Floats,
        bounds: Floats,
        there: Floats,
        counts: Floats,
        touching: Floats,
        events: Floats,
        used: int,
        step: int,
        dt: float,
    ) -> int:
        _ = sources  # part of the key under which Numba keeps the compiled phase
        return meet(
            meetings, state, before, bounds, there, counts, touching, events, used, step, dt
        )

    return meet_all


@outlined
def strike(
    meetings: Meetings,
    pair: int,
    state: Floats,
    paths: Floats,
    there: Floats,
    counts: Floats,
    touching: Floats,
    events: Floats,
    used: int,
    step: int,
    nx: float,
    ny: float,
    room: float,
) -> int:
    """Let a pair that touches respond, push it apart if it overlaps, and write it down."""
    one, other, contact = meetings.pairs[pair]
    vx, vy = state[one, VX], state[one, VY]
    if other < len(state):
        vx, vy = vx - state[other, VX], vy - state[other, VY]
    solid = meetings.numbers[contact, by.RESPONSE] not in (by.PASS, by.REMOVE)
    if room < 0.0 and solid and meetings.numbers[contact, by.PUSH_OUT] != 0.0:
        paths[one, PX] -= room * nx
        paths[one, PY] -= room * ny
    x, y = paths[one, PX], paths[one, PY]
    moment = paths[one, AT]
    hard = respond(meetings, pair, state, paths, there, counts, nx, ny)
    touching[pair] = 1.0
    what = -1 - 2 * contact - (1 if hard else 0)
    return note_contact(
        events, used, step, one, what, moment, x, y, vx, vy, other, float(pair), math.atan2(ny, nx)
    )
