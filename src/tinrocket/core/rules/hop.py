"""Hop: a short leap above the ground, with a timed return to where it began."""

import numpy as np
from numpy.typing import NDArray

from tinrocket.core.jit import outlined
from tinrocket.core.layout import SOON

Floats = NDArray[np.float64]

# Numbers
PEAK = 0
RISE = 1  # speed at the start: 4 peak / duration
LOSS = 2  # of rising speed in a step: 8 peak / duration^2, times the step
STEP = 3
DURATION = 4
DURATION_COUNTED = 5
COOLDOWN = 6
COOLDOWN_COUNTED = 7
EXACT = 8
OVER_WALLS = 9  # 1 if walls do not act meanwhile

# Memory; moments in it are early by SOON, so that they can be compared as they are
UNTIL = 0
READY = 1
SPEED = 2
MEMORY = 3


@outlined
def hop(
    numbers: Floats,
    n: int,
    memory: Floats,
    m: int,
    height: float,
    action: float,
    now: float,
    count: float,
    dt: float,
) -> tuple[float, float, bool]:
    """Height [px] at the end of a step, whether the walls are below, and whether one began.

    A parabola of a given peak P and duration T: z = 4 P f (1 - f) with f = t / T.  Stepwise
    it is v0 = 4 P / T, then v -= 8 P / T^2 step and z += v step; it ends when the ground
    is met or the time is over, whichever is first, and so returns exactly.
    """
    counted = numbers[n + DURATION_COUNTED] != 0.0
    moment = count if counted else now
    patient = count if numbers[n + COOLDOWN_COUNTED] != 0.0 else now
    ready = memory[m + READY] <= patient
    aloft = memory[m + UNTIL] > moment
    begins = action != 0.0 and ready and not aloft
    if begins:
        memory[m + UNTIL] = moment + numbers[n + DURATION] - SOON
        memory[m + READY] = patient + numbers[n + COOLDOWN] - SOON
        memory[m + SPEED] = numbers[n + RISE]
        aloft = True
    if not aloft:
        return 0.0, 0.0, False
    left = memory[m + UNTIL] + SOON - moment - (1.0 if counted else dt)
    if numbers[n + EXACT] != 0.0:
        part = 1.0 - left / numbers[n + DURATION]
        height = 4.0 * numbers[n + PEAK] * part * (1.0 - part)
    else:
        memory[m + SPEED] -= numbers[n + LOSS]
        height += memory[m + SPEED] * numbers[n + STEP]
    if left <= SOON or height <= 0.0:
        memory[m + UNTIL] = 0.0
        return 0.0, 0.0, begins
    return height, numbers[n + OVER_WALLS], begins
