"""Groups that step sideways together, turn at their ends and come down."""

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout as at
from tinrocket.core.jit import outlined
from tinrocket.core.layout import ALIVE, SOON, X, Y
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
from tinrocket.core.stage.life import note_stage
from tinrocket.core.stage.staging import Staging

Floats = NDArray[np.float64]


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
        for _ in range(MOST):
            late = overdue(numbers, ledger, marched, played, count + 1.0)
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
            behind = seconds_late(numbers, late)
            what = at.REVERSE if turns else at.STEP
            used = note_stage(events, used, step, leader, what, within(behind, dt), state)
            if every <= 0.0:
                break
    return used
