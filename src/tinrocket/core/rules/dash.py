"""Dash: a burst of speed along a direction, for a while, and then not again for a while."""

import math

import numpy as np
from numpy.typing import NDArray

from tinrocket.core.jit import inlined, outlined
from tinrocket.core.layout import SOON

Floats = NDArray[np.float64]

# Numbers
SPEED = 0
ADDS = 1  # 1 if the speed is added once, 0 if it is held while the dash lasts
ALONG = 2  # which direction
DURATION = 3
DURATION_COUNTED = 4  # 1 if in frames
COOLDOWN = 5
COOLDOWN_COUNTED = 6
NEEDS_RELEASE = 7
AFTER = 8
EXACT = 9  # 1 if the dash ends within a step, at the moment it is due

ALONG_HEADING, ALONG_INPUT, ALONG_LAST = 0.0, 1.0, 2.0
AFTER_KEEP, AFTER_STOP, AFTER_RESTORE = 0.0, 1.0, 2.0

# Memory; moments in it are early by SOON, so that they can be compared as they are
UNTIL = 0  # first, as in every rule that can be waited for
READY = 1
DIRECTION_X = 2
DIRECTION_Y = 3
BEFORE_X = 4
BEFORE_Y = 5
HELD = 6  # 1 until the action is let go
ON = 7
LAST_X = 8
LAST_Y = 9
MEMORY = 10


@outlined
def dash(
    numbers: Floats,
    n: int,
    memory: Floats,
    m: int,
    x: float,
    y: float,
    vx: float,
    vy: float,
    heading: float,
    action: float,
    input_x: float,
    input_y: float,
    now: float,
    count: float,
    dt: float,
) -> tuple[float, float, float, float, bool]:
    """Place and velocity after the dash's part of a step, and whether one began.

    While it lasts, the velocity is held at `SPEED` along its direction (or was raised by
    it once); then it is kept, zero, or what it was before.  An exact dash that is due to
    end a time s into the step ends there: the craft is put forward by (v - w) s, w being
    the velocity after it, so that the move that follows adds up to v s + w (dt - s).

    Parameters
    ----------
    now, count
        When the step begins [s], and how many steps came before it.
    """
    speed = numbers[n + SPEED]
    adds = numbers[n + ADDS] != 0.0
    counted = numbers[n + DURATION_COUNTED] != 0.0
    moment = count if counted else now
    if input_x != 0.0 or input_y != 0.0:
        length = math.sqrt(input_x * input_x + input_y * input_y)
        memory[m + LAST_X] = input_x / length
        memory[m + LAST_Y] = input_y / length
    if action == 0.0:
        memory[m + HELD] = 0.0
    running = memory[m + UNTIL] > moment
    after = numbers[n + AFTER]
    if memory[m + ON] != 0.0 and not running:
        memory[m + ON] = 0.0
        vx, vy = _after(memory, m, after, adds, speed, vx, vy)
    patient = count if numbers[n + COOLDOWN_COUNTED] != 0.0 else now
    ready = memory[m + READY] <= patient and memory[m + HELD] == 0.0
    begins = action != 0.0 and ready and not running
    if begins:
        dx, dy = math.cos(heading), math.sin(heading)
        if numbers[n + ALONG] != ALONG_HEADING:
            given = input_x != 0.0 or input_y != 0.0
            remembered = memory[m + LAST_X] != 0.0 or memory[m + LAST_Y] != 0.0
            if given or (numbers[n + ALONG] == ALONG_LAST and remembered):
                dx, dy = memory[m + LAST_X], memory[m + LAST_Y]
        memory[m + DIRECTION_X] = dx
        memory[m + DIRECTION_Y] = dy
        memory[m + BEFORE_X] = vx
        memory[m + BEFORE_Y] = vy
        memory[m + UNTIL] = moment + numbers[n + DURATION] - SOON
        memory[m + READY] = patient + numbers[n + COOLDOWN] - SOON
        memory[m + HELD] = numbers[n + NEEDS_RELEASE]
        running = numbers[n + DURATION] > 0.0
        memory[m + ON] = 1.0 if running else 0.0
        if adds:
            vx += dx * speed
            vy += dy * speed
        else:
            vx, vy = dx * speed, dy * speed
    elif running and not adds:
        vx, vy = memory[m + DIRECTION_X] * speed, memory[m + DIRECTION_Y] * speed
    if running and numbers[n + EXACT] != 0.0 and not counted:
        left = memory[m + UNTIL] + SOON - now
        if left < dt - SOON:
            wx, wy = _after(memory, m, after, adds, speed, vx, vy)
            x += (vx - wx) * left
            y += (vy - wy) * left
            vx, vy = wx, wy
            memory[m + ON] = 0.0
    return x, y, vx, vy, begins


@inlined
def _after(
    memory: Floats, m: int, after: float, adds: bool, speed: float, vx: float, vy: float
) -> tuple[float, float]:
    """Velocity once the dash is over."""
    if after == AFTER_STOP:
        return 0.0, 0.0
    if after == AFTER_RESTORE:
        if adds:
            return vx - memory[m + DIRECTION_X] * speed, vy - memory[m + DIRECTION_Y] * speed
        return memory[m + BEFORE_X], memory[m + BEFORE_Y]
    return vx, vy
