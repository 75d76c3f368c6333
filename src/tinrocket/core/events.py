"""Writing down what happened at the sides of the arena, while the loop runs."""

import math

import numpy as np
from numpy.typing import NDArray

from tinrocket.core.jit import inlined
from tinrocket.core.layout import (
    EVENT_COUNT,
    EVENT_CRAFT,
    EVENT_FRACTION,
    EVENT_FRAME,
    EVENT_SIDE,
    EVENT_SPEED,
    EVENT_X,
    EVENT_Y,
    X_HIGH,
)

Floats = NDArray[np.float64]


@inlined
def note_side(
    events: Floats,
    used: int,
    frame: int,
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
    """Write one event row if there is room; return how many there are.

    Moment and place are where the straight way from (x0, y0) to (x1, y1), flown in
    this frame, meets the wall; the velocity is the one on arrival.
    """
    if used < events.shape[0]:
        along = x1 - x0 if side <= X_HIGH else y1 - y0
        behind = wall - x0 if side <= X_HIGH else wall - y0
        fraction = min(max(behind / along, 0.0), 1.0) if along != 0.0 else 0.0
        events[used, EVENT_FRAME] = frame
        events[used, EVENT_CRAFT] = craft
        events[used, EVENT_SIDE] = side
        events[used, EVENT_FRACTION] = fraction
        events[used, EVENT_X] = x0 + fraction * (x1 - x0)
        events[used, EVENT_Y] = y0 + fraction * (y1 - y0)
        events[used, EVENT_SPEED] = math.hypot(vx, vy)
        events[used, EVENT_COUNT] = hits
    return used + 1
