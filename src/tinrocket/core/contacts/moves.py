"""Bodies on their ways through a step: where they are, and what they look like there."""

import math

import numpy as np
from numpy.typing import NDArray

from tinrocket.core.contacts.meetings import AT, PACE, PX, PY, WX, WY, Meetings
from tinrocket.core.jit import inlined
from tinrocket.core.layout import ALIVE, VX, VY, X, Y
from tinrocket.core.scratch import Scratch

Floats = NDArray[np.float64]


@inlined
def who(meetings: Meetings, pair: int) -> tuple[int, int, int]:
    """Return the craft that responds, the body it meets, and the contact of the two."""
    return meetings.pairs[pair, 0], meetings.pairs[pair, 1], meetings.pairs[pair, 2]


@inlined
def outline(
    meetings: Meetings, room: Floats, part: int, angle: float, x: float, y: float
) -> Floats:
    """Corners of a part of a body at a place, turned if it turns; in `room`, large enough."""
    first, past = meetings.first[part], meetings.first[part + 1]
    cos_a, sin_a = 1.0, 0.0
    if meetings.turns[part] != 0.0:
        cos_a, sin_a = math.cos(angle), math.sin(angle)
    for k in range(past - first):
        cx, cy = meetings.corners[first + k, 0], meetings.corners[first + k, 1]
        room[k, 0] = x + cx * cos_a - cy * sin_a
        room[k, 1] = y + cx * sin_a + cy * cos_a
    return room[: past - first]


@inlined
def both_radii(meetings: Meetings, pair: int) -> float:
    """By how much the corners of both of a pair are rounded, together [px]."""
    one, other = meetings.pairs[pair, 3], meetings.pairs[pair, 4]
    return float(meetings.radii[one] + meetings.radii[other])


@inlined
def begin_paths(meetings: Meetings, scratch: Scratch, state: Floats, dt: float) -> None:
    """Lay the paths of all bodies in this step, straight from where they were to where they are."""
    paths, before = scratch.paths, scratch.before
    for body in range(len(paths)):
        for column in range(len(paths[body])):
            paths[body, column] = 0.0
    for craft in range(len(state)):
        x, y, vx, vy = state[craft, X], state[craft, Y], state[craft, VX], state[craft, VY]
        paths[craft, PX], paths[craft, PY] = x, y
        if state[craft, ALIVE] <= 0.0:
            continue
        wx, wy = x - before[craft, 0], y - before[craft, 1]
        paths[craft, PX], paths[craft, PY] = x - wx, y - wy
        paths[craft, WX], paths[craft, WY] = wx, wy
        square = vx * vx + vy * vy
        pace = (wx * vx + wy * vy) / square if square > 0.0 else 0.0
        paths[craft, PACE] = pace if pace > 0.0 else dt
    for still in range(len(meetings.places)):
        body = len(state) + still
        paths[body, PX], paths[body, PY] = meetings.places[still]


@inlined
def apart(meetings: Meetings, paths: Floats, pair: int) -> bool:
    """Whether a pair is too far apart to meet in this step, by the boxes around both."""
    one, other = meetings.pairs[pair, 0], meetings.pairs[pair, 1]
    far_x = meetings.apart[pair, 0] + abs(paths[one, WX]) + abs(paths[other, WX])
    far_y = meetings.apart[pair, 1] + abs(paths[one, WY]) + abs(paths[other, WY])
    return bool(
        abs(paths[one, PX] - paths[other, PX]) > far_x
        or abs(paths[one, PY] - paths[other, PY]) > far_y
    )


@inlined
def advance(paths: Floats, body: int, moment: float) -> None:
    """Move a body along its path to a later fraction of the step."""
    share = moment - paths[body, AT]
    paths[body, PX] += share * paths[body, WX]
    paths[body, PY] += share * paths[body, WY]
    paths[body, AT] = moment
