"""Fire: shots that leave along the heading, or a look along it for something to hit."""

import math

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout as at
from tinrocket.core.jit import outlined
from tinrocket.core.layout import SOON
from tinrocket.core.pools import enter

Floats = NDArray[np.float64]

# Numbers
SPEED = 0
COOLDOWN = 1
COUNTED = 2  # 1 if in frames
CARRIES = 3  # 1 if what a step comes too late counts for the next shot
INHERITS = 4  # share of the craft's own velocity
MUZZLE_X = 5  # along where the picture points
MUZZLE_Y = 6
ART = 7  # from the heading to where the picture points [rad]
SPREAD = 8  # most that a shot goes astray [rad]
SHOTS = 9  # at a time
EXACT = 10  # 1 if shots that are due between two steps are put ahead
POOL = 11  # first craft of it
POOL_SIZE = 12
RANGE = 13  # of a look along the heading, instead of shots
CHANCES = 14  # how many random numbers there are
FIRST_CHANCE = 15

# Memory
READY = 0
HELD = 1  # whether the action was on in the step before
FIRED = 2
MEMORY = 3

MOST = 1000
"""Shots that may be due in one step."""


@outlined
def fire(
    numbers: Floats,
    n: int,
    memory: Floats,
    m: int,
    state: Floats,
    before: Floats,
    craft: int,
    x: float,
    y: float,
    vx: float,
    vy: float,
    heading: float,
    action: float,
    now: float,
    count: float,
) -> tuple[float, float]:
    """Let shots appear that are due in this step; how many did, and how many found no room.

    A shot is due once the cooldown after the one before it is over.  If it `CARRIES`, the
    cooldown runs from when that one was due, as long as the action is held: no step
    comes too late then.  Otherwise it runs from the step that fired it.  Shots due before
    the step began are late by some time s; exact ones are put ahead by v s.
    """
    moment = count if numbers[n + COUNTED] != 0.0 else now
    fired, refused = 0.0, 0.0
    if action == 0.0:
        memory[m + HELD] = 0.0
        return fired, refused
    cos_h, sin_h = math.cos(heading), math.sin(heading)
    pointing = heading + numbers[n + ART]
    cos_p, sin_p = math.cos(pointing), math.sin(pointing)
    out_x = x + numbers[n + MUZZLE_X] * cos_p - numbers[n + MUZZLE_Y] * sin_p
    out_y = y + numbers[n + MUZZLE_X] * sin_p + numbers[n + MUZZLE_Y] * cos_p
    for _ in range(MOST):
        due = memory[m + READY]
        if due > moment:
            break
        if memory[m + HELD] == 0.0 or numbers[n + CARRIES] == 0.0:
            due = moment - SOON
        memory[m + READY] = due + numbers[n + COOLDOWN]
        memory[m + HELD] = 1.0
        late = 0.0
        if numbers[n + EXACT] != 0.0 and numbers[n + COUNTED] == 0.0:
            late = max(moment - due - SOON, 0.0)
        if numbers[n + RANGE] > 0.0:
            state[craft, at.SIGHT] = numbers[n + RANGE]
            fired += 1.0
        else:
            for _shot in range(int(numbers[n + SHOTS])):
                along_x, along_y = cos_h, sin_h
                turned = heading
                if numbers[n + SPREAD] != 0.0:
                    chance = n + FIRST_CHANCE + int(memory[m + FIRED] % numbers[n + CHANCES])
                    turned = heading + numbers[n + SPREAD] * numbers[chance]
                    along_x, along_y = math.cos(turned), math.sin(turned)
                memory[m + FIRED] += 1.0
                ux = numbers[n + SPEED] * along_x + numbers[n + INHERITS] * vx
                uy = numbers[n + SPEED] * along_y + numbers[n + INHERITS] * vy
                entered = enter(
                    *(state, before, int(numbers[n + POOL]), int(numbers[n + POOL_SIZE])),
                    *(out_x + ux * late, out_y + uy * late, ux, uy, turned, now - late, count),
                )
                if entered < 0:
                    refused += 1.0
                else:
                    fired += 1.0
        if numbers[n + COOLDOWN] == 0.0:
            break
    return fired, refused
