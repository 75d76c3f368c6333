"""What becomes of a pair in contact: its velocity, its way, and whether it is still there."""

import math

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout as at
from tinrocket.core.contacts import meetings as by
from tinrocket.core.contacts.meetings import AT, PACE, PX, PY, WX, WY, Meetings
from tinrocket.core.contacts.moves import (
    who,
)
from tinrocket.core.contacts.responses import block, bounce, by_place, finish
from tinrocket.core.jit import inlined
from tinrocket.core.layout import ALIVE, VX, VY
from tinrocket.core.pools import enter
from tinrocket.core.scratch import Scratch

Floats = NDArray[np.float64]


@inlined
def split(
    meetings: Meetings, scratch: Scratch, state: Floats, pair: int, now: float, steps: float
) -> None:
    """Put pieces in the place of the first of a pair, fanned out along its way."""
    one, _other, contact = who(meetings, pair)
    numbers, paths = meetings.numbers[contact], scratch.paths
    pieces, first = int(numbers[by.PIECES]), int(numbers[by.INTO])
    share = numbers[by.PIECE_SPEED]
    for piece in range(pieces):
        turn = 0.0
        if pieces > 1:
            turn = numbers[by.FAN] * (piece / (pieces - 1.0) - 0.5)
        cos_t, sin_t = math.cos(turn), math.sin(turn)
        vx = share * (state[one, VX] * cos_t - state[one, VY] * sin_t)
        vy = share * (state[one, VX] * sin_t + state[one, VY] * cos_t)
        x, y, pace = paths[one, PX], paths[one, PY], paths[one, PACE]
        craft = enter(
            *(state, scratch.before, first, int(numbers[by.INTO_SIZE]), x, y, vx, vy),
            *(math.atan2(vy, vx), now, steps),
        )
        if craft >= 0:
            paths[craft, AT], paths[craft, PX], paths[craft, PY] = paths[one, AT], x, y
            paths[craft, WX], paths[craft, WY] = vx * pace, vy * pace
            paths[craft, PACE] = pace
            scratch.bodies[craft] = 1.0 if meetings.safe[craft] == 0.0 else 0.0


@inlined
def throw(
    meetings: Meetings,
    scratch: Scratch,
    state: Floats,
    pair: int,
    nx: float,
    ny: float,
    wx: float,
    wy: float,
) -> tuple[float, float]:
    """Velocity of the first of a pair after it bounced off the other, which moves at (wx, wy)."""
    one, other, contact = who(meetings, pair)
    numbers, paths = meetings.numbers[contact], scratch.paths
    vx, vy = state[one, VX], state[one, VY]
    always = numbers[by.PUSH_OUT] == 0.0 and numbers[by.FIND] == by.OVERLAP
    if numbers[by.BY_PLACE] != 0.0:
        speed = math.sqrt(vx * vx + vy * vy) * numbers[by.RESTITUTION]
        left = (paths[one, PX] - paths[other, PX]) * -ny
        left += (paths[one, PY] - paths[other, PY]) * nx
        vx, vy = by_place(
            speed, nx, ny, left / meetings.reach[meetings.pairs[pair, 4]], numbers[by.BY_PLACE]
        )
    else:
        vx, vy = bounce(vx, vy, nx, ny, numbers[by.RESTITUTION], always)
    vx, vy = vx + numbers[by.SHARE] * wx, vy + numbers[by.SHARE] * wy
    kick = numbers[by.KICK]
    if kick != 0.0:
        kick *= meetings.kicks[contact, int(scratch.counts[contact]) % by.KICKS]
    vx, vy = finish(vx, vy, numbers[by.FASTER], numbers[by.TOP], kick)
    if not always:  # never slower than the bat that comes after it
        vx, vy = block(vx - wx, vy - wy, nx, ny)
        vx, vy = vx + wx, vy + wy
    return vx, vy


@inlined
def respond(
    meetings: Meetings,
    scratch: Scratch,
    state: Floats,
    pair: int,
    nx: float,
    ny: float,
    now: float,
    steps: float,
) -> bool:
    """Change velocity, way and presence of a pair in contact; return whether it was hard.

    The normal points from the other body to the craft that responds.
    """
    one, other, contact = who(meetings, pair)
    numbers, paths, there = meetings.numbers[contact], scratch.paths, scratch.bodies
    vx, vy = state[one, VX], state[one, VY]
    wx, wy = 0.0, 0.0
    if other < len(state):
        wx, wy = state[other, VX], state[other, VY]
    hard = bool(math.sqrt(wx * wx + wy * wy) > numbers[by.HARD])
    response = numbers[by.RESPONSE]
    if numbers[by.SIDE] >= 0.0:
        scratch.ledger[at.FIRST_SCORE + int(numbers[by.SIDE])] += numbers[by.POINTS]
        scratch.ledger[at.SCORES] += 1.0
    if response in (by.REMOVE, by.SPLIT):
        if numbers[by.GONE_ONE] != 0.0:
            state[one, ALIVE] = there[one] = 0.0
            paths[one, WX] = paths[one, WY] = 0.0  # it stays where it was hit
        if numbers[by.GONE_OTHER] != 0.0:
            there[other] = 0.0
            if other < len(state):
                state[other, ALIVE] = 0.0
                paths[other, WX] = paths[other, WY] = 0.0
        if response == by.SPLIT:
            split(meetings, scratch, state, pair, now, steps)
    elif response == by.STOP:
        for body in (one, other):
            if body < len(state):
                state[body, ALIVE] = at.FROZEN
                state[body, VX] = state[body, VY] = 0.0
                paths[body, WX] = paths[body, WY] = 0.0
    elif response != by.PASS:
        if response == by.BLOCK:
            vx, vy = block(vx - wx, vy - wy, nx, ny)
            vx, vy = vx + wx, vy + wy
        else:
            vx, vy = throw(meetings, scratch, state, pair, nx, ny, wx, wy)
        state[one, VX], state[one, VY] = vx, vy
        wx, wy = vx * paths[one, PACE], vy * paths[one, PACE]
        paths[one, WX], paths[one, WY] = wx, wy
    scratch.counts[contact] += 1.0
    return hard
