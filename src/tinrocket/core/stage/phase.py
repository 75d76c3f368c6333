"""The end of a step: who leaves, who enters, and whether the round or the game is over."""

import math

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout as at
from tinrocket.core.events import note
from tinrocket.core.jit import outlined
from tinrocket.core.layout import ALIVE, SOON, VX, VY, X, Y
from tinrocket.core.pools import enter
from tinrocket.core.scratch import Scratch
from tinrocket.core.stage import staging as of
from tinrocket.core.stage.staging import Conduct, Staging

Floats = NDArray[np.float64]

TRIES = 16
"""Random places that a spawner tries before it finds none."""
MOST = 1000
"""Entries, or steps of a march, that may be due in one step of the game."""


@outlined
def point_total(staging: Staging, ledger: Floats) -> float:
    """Return the points of all sides together."""
    total = 0.0
    for side in range(len(staging.sides)):
        total += ledger[at.FIRST_SCORE + side]
    return total


@outlined
def interval(numbers: Floats, played: float, points: float, gone: float) -> float:
    """Return how long an interval is by now, in s or in steps."""
    by, share = numbers[of.RAMP_BY], 0.0
    if by == of.BY_TIME:
        share = played / numbers[of.RAMP_OVER]
    elif by == of.BY_SCORE:
        share = points / numbers[of.RAMP_OVER]
    elif by == of.BY_GONE:
        share = gone / numbers[of.RAMP_OVER]
    every = numbers[of.EVERY]
    share = min(max(share, 0.0), 1.0)
    return float(every + (numbers[of.RAMP_TO] - every) * share)


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
            ledger[died] = 0.0
            ledger[again] += 1.0
            used = note_stage(events, used, step, craft, at.RESPAWN, 1.0, state)
    return used


@outlined
def put_back(scratch: Scratch, state: Floats, craft: int, now: float, steps: float) -> None:
    """Put a craft back to how it started, and there if it then was."""
    for column in range(at.STATE_WIDTH):
        state[craft, column] = scratch.starts[craft, column]
    state[craft, at.BORN], state[craft, at.BORN_COUNT] = now, steps


@outlined
def note_stage(
    events: Floats, used: int, step: int, craft: int, what: int, fraction: float, state: Floats
) -> int:
    """Write down what happened to a craft on the stage."""
    x, y, vx, vy = state[craft, X], state[craft, Y], state[craft, VX], state[craft, VY]
    return note(events, used, step, craft, what, fraction, 1.0, x, y, vx, vy)


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
        counted = numbers[of.COUNTED] != 0.0
        ends = count + 1.0 - ledger[at.PAUSED_COUNT] if counted else played
        for _ in range(MOST):
            late = ends - numbers[of.FIRST] - ledger[sent]
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
            behind = 0.0 if counted else max(late, 0.0)
            fraction = 1.0 - behind / dt if dt > 0.0 else 1.0
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
                used = note(events, used, step, entered, what, fraction, 1.0, px, py, vx, vy)
            if every <= 0.0:
                break
    return used


@outlined
def march(
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
    """Let groups step sideways together, and at their ends turn and come down."""
    ledger, played = scratch.ledger, now + dt - scratch.ledger[at.PAUSED_FOR]
    cells = at.FIRST_SCORE + len(staging.sides) + of.CRAFT_CELLS * len(staging.crafts)
    cells += of.SPAWNER_CELLS * len(staging.spawners)
    for number in range(len(staging.marches)):
        numbers = staging.marches[number]
        marched = cells + of.MARCH_CELLS * number + of.MARCHED
        other_way = cells + of.MARCH_CELLS * number + of.REVERSED
        counted = numbers[of.COUNTED] != 0.0
        ends = count + 1.0 - ledger[at.PAUSED_COUNT] if counted else played
        for _ in range(MOST):
            late = ends - numbers[of.FIRST] - ledger[marched]
            if late < -SOON:
                break
            way = -numbers[of.STEP] if ledger[other_way] != 0.0 else numbers[of.STEP]
            gone, leader, turns = 0.0, -1, False
            for row in range(len(staging.marchers)):
                craft = int(staging.marchers[row, 1])
                if int(staging.marchers[row, 0]) != number:
                    continue
                if state[craft, ALIVE] == 0.0:
                    gone += 1.0
                    continue
                leader = craft if leader < 0 else leader
                ahead = state[craft, X] + way
                if (way > 0.0 and ahead > numbers[of.MOST_X] + SOON) or (
                    way < 0.0 and ahead < numbers[of.LEAST_X] - SOON
                ):
                    turns = True
            every = interval(numbers, played, point_total(staging, ledger), gone)
            ledger[marched] += every
            if leader < 0:
                break
            for row in range(len(staging.marchers)):
                craft = int(staging.marchers[row, 1])
                if int(staging.marchers[row, 0]) == number and state[craft, ALIVE] != 0.0:
                    if turns:
                        state[craft, Y] += numbers[of.DOWN]
                    else:
                        state[craft, X] += way
            if turns:
                ledger[other_way] = 1.0 - ledger[other_way]
            behind = 0.0 if counted else max(late, 0.0)
            fraction = 1.0 - behind / dt if dt > 0.0 else 1.0
            what = at.REVERSE if turns else at.STEP
            used = note_stage(events, used, step, leader, what, fraction, state)
            if every <= 0.0:
                break
    return used


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
def stand_still(state: Floats) -> None:
    """Let nothing that is there move."""
    for craft in range(len(state)):
        if state[craft, ALIVE] > 0.0:
            state[craft, ALIVE] = at.PAUSED


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


@outlined
def conduct(
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
    """Work out what happens on the stage by the end of a step; return how many events there are.

    In this order: who leaves or returns, who is sent, who marches, and whether a life is
    lost, the round is over, or the game.  In a pause nothing of it happens, and no time
    passes for it.

    Parameters
    ----------
    now, count, dt
        When the step begins [s], how many steps came before it, and how long it is [s].
    """
    ledger = scratch.ledger
    if ledger[at.IS_OVER] != 0.0:
        return used
    if ledger[at.PAUSE_ENDS] != 0.0:
        if now + dt >= ledger[at.PAUSE_ENDS] - SOON:
            resume(staging, scratch, state, now + dt, count + 1.0)
            used = note_game(events, used, step, at.ROUND, -1, 1.0)
        return used
    used = leave_and_return(staging, scratch, state, events, used, step, now, count, dt)
    used = send(staging, scratch, state, events, used, step, now, count, dt)
    used = march(staging, scratch, state, events, used, step, now, count, dt)
    return referee(staging, scratch, state, events, used, step, now, count, dt)


def make_conduct(sources: int) -> Conduct:
    """Return the phase, not compiled; `sources` is a fingerprint of the files it is made of."""

    def conduct_all(
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
        _ = sources  # part of the key under which Numba keeps the compiled phase
        return conduct(staging, scratch, state, events, used, step, now, count, dt)

    return conduct_all
