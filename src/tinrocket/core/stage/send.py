"""Spawners: craft of pools appear when they are due, where there is room for them."""

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout as at
from tinrocket.core.events import note
from tinrocket.core.jit import outlined
from tinrocket.core.layout import ALIVE, SOON, VX, VY, X, Y
from tinrocket.core.pools import enter
from tinrocket.core.scratch import Scratch
from tinrocket.core.stage import staging as of
from tinrocket.core.stage.intervals import (
    MOST,
    interval,
    overdue,
    point_total,
    seconds_late,
    within,
)
from tinrocket.core.stage.staging import Staging

Floats = NDArray[np.float64]

TRIES = 16
"""Random places that a spawner tries before it finds none."""


@outlined
def is_clear(staging: Staging, state: Floats, spawner: int, x: float, y: float) -> bool:
    """Whether a place is far enough from the craft that a spawner keeps clear of."""
    far = staging.spawners[spawner, of.CLEARANCE]
    for row in range(len(staging.clear)):
        craft = int(staging.clear[row, 1])
        if int(staging.clear[row, 0]) == spawner and state[craft, ALIVE] != 0.0:
            dx, dy = state[craft, X] - x, state[craft, Y] - y
            if dx * dx + dy * dy < far * far:
                return False
    return True


@outlined
def send(
    staging: Staging,
    scratch: Scratch,
    state: Floats,
    events: Floats,
    used: int,
    step: int,
    now: float,
    count: float,
    dt: float,
) -> int:
    """Let everything appear that a spawner is due to send by the end of the step."""
    ledger, played = scratch.ledger, now + dt - scratch.ledger[at.PAUSED_FOR]
    cells = at.FIRST_SCORE + len(staging.sides) + of.CRAFT_CELLS * len(staging.crafts)
    for spawner in range(len(staging.spawners)):
        numbers = staging.spawners[spawner]
        sent = cells + of.SPAWNER_CELLS * spawner + of.SENT
        tried = cells + of.SPAWNER_CELLS * spawner + of.TRIED
        for _ in range(MOST):
            late = overdue(numbers, ledger, sent, played, count + 1.0)
            if late < -SOON:
                break
            every = interval(numbers, played, point_total(staging, ledger), 0.0)
            ledger[sent] += every
            share_x, share_y, found = 0.0, 0.0, False
            x, y = numbers[of.LOW_X], numbers[of.LOW_Y]
            for _try in range(TRIES):
                row = int(ledger[tried] % of.CHANCES)
                ledger[tried] += 1.0
                share_x, share_y = staging.chances[spawner, row]
                x = numbers[of.LOW_X] + share_x * (numbers[of.HIGH_X] - numbers[of.LOW_X])
                y = numbers[of.LOW_Y] + share_y * (numbers[of.HIGH_Y] - numbers[of.LOW_Y])
                if is_clear(staging, state, spawner, x, y):
                    found = True
                    break
            behind = seconds_late(numbers, late)
            for part in range(len(staging.parts)):
                if int(staging.parts[part, of.SENDER]) != spawner:
                    continue
                pool, size = (
                    int(staging.parts[part, of.POOL]),
                    int(staging.parts[part, of.POOL_SIZE]),
                )
                begin = scratch.starts[pool]
                vx, vy = begin[VX], begin[VY]
                ahead = behind if numbers[of.PUTS_AHEAD] != 0.0 else 0.0
                entered, what = pool, at.CROWDED
                px = x + staging.parts[part, of.OFFSET_X] + ahead * vx
                py = y + staging.parts[part, of.OFFSET_Y] + ahead * vy
                if found:
                    entered = enter(
                        *(state, scratch.before, pool, size, px, py, vx, vy, begin[at.HEADING]),
                        *(now + dt - ahead, count + 1.0),
                    )
                    what = at.ENTER
                    if entered < 0:
                        entered, what = pool, at.NO_ROOM
                    else:
                        state[entered, at.SPIN] = begin[at.SPIN]
                used = note(
                    events, used, step, entered, what, within(behind, dt), 1.0, px, py, vx, vy
                )
            if every <= 0.0:
                break
    return used
