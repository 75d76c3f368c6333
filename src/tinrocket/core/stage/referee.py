"""Lives, rounds and the end of the game."""

import math

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout as at
from tinrocket.core.events import note
from tinrocket.core.jit import outlined
from tinrocket.core.layout import ALIVE, SOON
from tinrocket.core.scratch import Scratch
from tinrocket.core.stage import staging as of
from tinrocket.core.stage.life import put_back
from tinrocket.core.stage.staging import Staging

Floats = NDArray[np.float64]


@outlined
def note_game(events: Floats, used: int, step: int, what: int, side: int, fraction: float) -> int:
    """Write down what concerns nobody's place: a life, a round, or the end."""
    return note(events, used, step, side, what, fraction, 1.0, math.nan, math.nan, 0.0, 0.0)


@outlined
def leading(staging: Staging, ledger: Floats) -> int:
    """Return the side with the most points, or -1 if several have as many or there is none."""
    best, side = -math.inf, -1
    for number in range(len(staging.sides)):
        points = ledger[at.FIRST_SCORE + number]
        if points > best:
            best, side = points, number
        elif points == best:
            side = -1
    return side


@outlined
def stand_still(state: Floats) -> None:
    """Let nothing that is there move."""
    for craft in range(len(state)):
        if state[craft, ALIVE] > 0.0:
            state[craft, ALIVE] = at.PAUSED


@outlined
def pause(staging: Staging, scratch: Scratch, state: Floats, now: float, steps: float) -> None:
    """End a round: put craft back, and let everything stand still until the next begins."""
    ledger = scratch.ledger
    for row in range(len(staging.resets)):
        put_back(scratch, state, staging.resets[row], now, steps)
    if staging.rounds[of.PAUSE] == 0.0:
        return
    ledger[at.PAUSE_ENDS] = now + staging.rounds[of.PAUSE]
    ledger[at.PAUSE_BEGAN], ledger[at.PAUSE_BEGAN_COUNT] = now, steps
    stand_still(state)


@outlined
def resume(staging: Staging, scratch: Scratch, state: Floats, now: float, steps: float) -> None:
    """Let everything move again, as if no time had passed for it."""
    ledger = scratch.ledger
    length = now - ledger[at.PAUSE_BEGAN]
    counted = steps - ledger[at.PAUSE_BEGAN_COUNT]
    ledger[at.PAUSE_ENDS] = 0.0
    ledger[at.PAUSED_FOR] += length
    ledger[at.PAUSED_COUNT] += counted
    for craft in range(len(state)):
        if state[craft, ALIVE] == at.PAUSED:
            state[craft, ALIVE] = 1.0
        state[craft, at.BORN] += length
        state[craft, at.BORN_COUNT] += counted
    for craft in range(len(staging.crafts)):
        died = at.FIRST_SCORE + len(staging.sides) + of.CRAFT_CELLS * craft + of.DIED
        if ledger[died] != 0.0:
            in_steps = staging.crafts[craft, of.RESPAWN_COUNTED] != 0.0
            ledger[died] += counted if in_steps else length


@outlined
def referee(
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
    """See whether a life was lost, the round is over, or the game."""
    rounds, ledger, ends = staging.rounds, scratch.ledger, now + dt
    winner, over, lost, fraction = -1, False, False, 1.0
    scored = ledger[at.SCORES] != ledger[at.SCORES_SEEN]
    ledger[at.SCORES_SEEN] = ledger[at.SCORES]
    for side in range(len(staging.sides)):
        if 0.0 < rounds[of.FIRST_TO] <= ledger[at.FIRST_SCORE + side]:
            winner, over = side, True
    if rounds[of.LIVES] > 0.0:
        there = state[int(rounds[of.LIVING]), ALIVE] != 0.0
        lost = not there and ledger[at.MISSED] == 0.0
        ledger[at.MISSED] = 0.0 if there else 1.0
        if lost:
            ledger[at.LIVES_LOST] += 1.0
            used = note_game(events, used, step, at.LIFE, -1, 1.0)
            over = over or ledger[at.LIVES_LOST] >= rounds[of.LIVES]
    limit = rounds[of.TIME_LIMIT] + ledger[at.PAUSED_FOR] - now
    if not over and rounds[of.TIME_LIMIT] > 0.0 and limit <= dt + SOON:
        winner, over = leading(staging, ledger), True
        fraction = min(max(limit / dt, 0.0), 1.0) if dt > 0.0 else 1.0
    if over:
        ledger[at.IS_OVER] = 1.0
        stand_still(state)
        return note_game(events, used, step, at.OVER, winner, fraction)
    if (scored and rounds[of.BY_SCORES] != 0.0) or lost:
        pause(staging, scratch, state, ends, count + 1.0)
        if rounds[of.PAUSE] == 0.0:
            used = note_game(events, used, step, at.ROUND, -1, 1.0)
    return used
