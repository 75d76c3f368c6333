"""Craft whose time is over, and those that come back."""

import math

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout as at
from tinrocket.core.events import note
from tinrocket.core.jit import outlined
from tinrocket.core.layout import ALIVE, SOON, VX, VY, X, Y
from tinrocket.core.scratch import Scratch
from tinrocket.core.stage import staging as of
from tinrocket.core.stage.staging import Staging

Floats = NDArray[np.float64]


@outlined
def note_stage(
    events: Floats, used: int, step: int, craft: int, what: int, fraction: float, state: Floats
) -> int:
    """Write down what happened to a craft on the stage."""
    x, y, vx, vy = state[craft, X], state[craft, Y], state[craft, VX], state[craft, VY]
    return note(events, used, step, craft, what, fraction, 1.0, x, y, vx, vy)


@outlined
def put_back(scratch: Scratch, state: Floats, craft: int, now: float, steps: float) -> None:
    """Put a craft back to how it started, and there if it then was."""
    for column in range(at.STATE_WIDTH):
        state[craft, column] = scratch.starts[craft, column]
    state[craft, at.BORN], state[craft, at.BORN_COUNT] = now, steps


@outlined
def leave_and_return(
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
    """Take away craft whose lifetime is over, and bring back those that wait for it."""
    cells = at.FIRST_SCORE + len(staging.sides)
    ledger = scratch.ledger
    for craft in range(len(staging.crafts)):
        numbers = staging.crafts[craft]
        lives = numbers[of.LIFETIME]
        if lives > 0.0 and state[craft, ALIVE] != 0.0:
            left = state[craft, at.BORN] + lives - now
            fraction = left / dt if dt > 0.0 else 1.0
            if numbers[of.LIFETIME_COUNTED] != 0.0:
                left = state[craft, at.BORN_COUNT] + lives - count
                fraction = left
            if fraction <= 1.0 + SOON:
                state[craft, ALIVE] = 0.0
                share = min(max(fraction, 0.0), 1.0)
                used = note_stage(events, used, step, craft, at.EXPIRE, share, state)
        if numbers[of.RESPAWN] < 0.0:
            continue
        died = cells + of.CRAFT_CELLS * craft + of.DIED
        again = cells + of.CRAFT_CELLS * craft + of.RESPAWNS
        ends = count + 1.0 if numbers[of.RESPAWN_COUNTED] != 0.0 else now + dt
        if state[craft, ALIVE] != 0.0:
            ledger[died] = 0.0
        elif ledger[died] == 0.0:
            ledger[died] = ends + of.NOT_YET
        if ledger[died] == 0.0 or ledger[again] >= numbers[of.RESPAWN_TIMES]:
            continue
        if ends - (ledger[died] - of.NOT_YET) >= numbers[of.RESPAWN] - SOON:
            put_back(scratch, state, craft, now + dt, count + 1.0)
            if not math.isnan(numbers[of.RESPAWN_X]):
                state[craft, X], state[craft, Y] = numbers[of.RESPAWN_X], numbers[of.RESPAWN_Y]
            ledger[died] = 0.0
            ledger[again] += 1.0
            used = note_stage(events, used, step, craft, at.RESPAWN, 1.0, state)
    return used
