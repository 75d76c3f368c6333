"""Writing down what happened to the craft, while the loop runs."""

import math

import numpy as np
from numpy.typing import NDArray

from tinrocket.core.jit import outlined
from tinrocket.core.layout import (
    EVENT_COUNT,
    EVENT_CRAFT,
    EVENT_FRACTION,
    EVENT_GAP,
    EVENT_NORMAL,
    EVENT_OTHER,
    EVENT_SPEED,
    EVENT_STEP,
    EVENT_WHAT,
    EVENT_X,
    EVENT_Y,
    X_HIGH,
)

Floats = NDArray[np.float64]


@outlined
def note(
    events: Floats,
    used: int,
    step: int,
    craft: int,
    what: int,
    fraction: float,
    count: float,
    x: float,
    y: float,
    vx: float,
    vy: float,
) -> int:
    """Write one event row if there is room; return how many there are."""
    if used < events.shape[0]:
        events[used, EVENT_STEP] = step
        events[used, EVENT_CRAFT] = craft
        events[used, EVENT_WHAT] = what
        events[used, EVENT_FRACTION] = fraction
        events[used, EVENT_X] = x
        events[used, EVENT_Y] = y
        events[used, EVENT_SPEED] = math.hypot(vx, vy)
        events[used, EVENT_COUNT] = count
        events[used, EVENT_OTHER] = events[used, EVENT_GAP] = events[used, EVENT_NORMAL] = 0.0
    return used + 1


@outlined
def note_side(
    events: Floats,
    used: int,
    step: int,
    craft: int,
    side: int,
    hits: float,
    wall: float,
    x0: float,
    y0: float,
    x1: float,
    y1: float,
    vx: float,
    vy: float,
) -> int:
    """Write that a side was met.

    Moment and place are where the straight way from (x0, y0) to (x1, y1), flown in
    this step, meets the wall; the velocity is the one on arrival.
    """
    along = x1 - x0 if side <= X_HIGH else y1 - y0
    behind = wall - x0 if side <= X_HIGH else wall - y0
    fraction = min(max(behind / along, 0.0), 1.0) if along != 0.0 else 0.0
    x, y = x0 + fraction * (x1 - x0), y0 + fraction * (y1 - y0)
    return note(events, used, step, craft, side, fraction, hits, x, y, vx, vy)


@outlined
def note_contact(
    events: Floats,
    used: int,
    step: int,
    craft: int,
    what: int,
    fraction: float,
    x: float,
    y: float,
    vx: float,
    vy: float,
    other: int,
    gap: float,
    nx: float,
    ny: float,
) -> int:
    """Write that two bodies met, with their relative velocity and the normal."""
    after = note(events, used, step, craft, what, fraction, 1.0, x, y, vx, vy)
    if used < events.shape[0]:
        events[used, EVENT_OTHER] = other
        events[used, EVENT_GAP] = gap
        events[used, EVENT_NORMAL] = math.atan2(ny, nx)
    return after
