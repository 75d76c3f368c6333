"""What happens to a craft at the sides of the arena, one axis at a time."""

import math

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout as at
from tinrocket.core.events import note_side
from tinrocket.core.jit import inlined, outlined
from tinrocket.core.layout import BOUNCE, CLAMP, HOLD, OPEN, REMOVE, WRAP

Floats = NDArray[np.float64]


@inlined
def wrap(position: float, low: float, high: float) -> tuple[float, float]:
    """Position folded into [low, high), and the laps that were taken off it.

    position = folded + laps * (high - low), however many arena widths were crossed.
    """
    period = high - low
    laps = np.floor((position - low) / period)
    folded = position - laps * period
    if folded < low:  # the subtraction rounded down
        folded = low
    elif folded >= high:  # or up, onto the seam itself
        folded = low
        laps += 1.0
    return folded, laps


@outlined
def skip_bounces(overshoot: float, span: float, near: float, far: float) -> tuple[float, float]:
    """Pairs of bounces to skip, and the overshoot left after them.

    A craft that is `overshoot` past the near wall bounces there, crosses the `span`,
    bounces off the far wall and comes back.  Distances shrink with the restitutions
    (`near`, `far`), so one such pair turns an overshoot d into q d - c, with q = near far
    and c = span (1 + far).  Summed in closed form, so that a craft which would cross
    the arena a million times in one frame costs no more than one which crosses twice.
    """
    q = near * far
    c = span * (1.0 + far)
    if q * overshoot <= c:
        return 0.0, overshoot
    if q == 1.0:
        pairs = max(np.floor(overshoot / c) - 1.0, 0.0)
        left = overshoot - pairs * c
    else:  # d after k pairs is d q^k - c (1 - q^k) / (1 - q), which holds up for q next to 1
        shrinks = math.log(q)
        pairs = max(np.floor(-math.log1p(overshoot * (1.0 - q) / c) / shrinks) - 1.0, 0.0)
        left = overshoot * q**pairs + c * math.expm1(pairs * shrinks) / (1.0 - q)
    # an overshoot too large for its last digits to mean a place still ends within two pairs
    return pairs, min(max(left, 0.0), c * (1.0 + q) / (q * q))


@outlined
def meet_walls(
    position: float,
    velocity: float,
    touch: float,
    low: float,
    high: float,
    aloft: float,
    kind_low: float,
    kind_high: float,
    restitution_low: float,
    restitution_high: float,
) -> tuple[float, float, float, float, float, float]:
    """Bring a craft that left [low, high] along one axis to where the walls put it.

    A wrap keeps the speed and takes whole arena widths off the position.  A bounce keeps
    `restitution` of the speed, and so of the way past the wall: the rest of the frame is
    flown at the speed after the bounce.  A clamp puts the craft on the wall and removes
    the velocity into it; a hold leaves the velocity, which keeps pushing.  A side that
    removes lets the craft pass and counts it.

    Parameters
    ----------
    position, velocity
        Along the axis, after the frame's motion rules.
    touch
        Below or above 0 if the low or the high wall held the craft on the step before, else 0.
    aloft
        1 if the craft is above the walls: they do not act on it, but wraps do.

    Returns
    -------
    position, velocity
        After the walls.
    laps
        Arena widths taken off the position by wrapping.
    touch
        -1 or 1 for this step, or 0.
    hits_low, hits_high
        How often each side was crossed or met.  A clamping wall counts only its first
        touch.
    """
    if kind_low == WRAP:
        position, laps = wrap(position, low, high)
        return position, velocity, laps, 0.0, max(-laps, 0.0), max(laps, 0.0)
    hits_low = 0.0
    hits_high = 0.0
    held = 0.0
    if aloft != 0.0:
        return position, velocity, 0.0, held, hits_low, hits_high
    if kind_low == BOUNCE and kind_high == BOUNCE:
        span = high - low
        if position > high:
            pairs, left = skip_bounces(position - high, span, restitution_high, restitution_low)
            position = high + left
        else:
            pairs, left = skip_bounces(low - position, span, restitution_low, restitution_high)
            position = low - left
        velocity *= (restitution_low * restitution_high) ** pairs
        hits_low += pairs
        hits_high += pairs
    while position < low or position > high:
        upper = position > high
        wall, kind, restitution = low, kind_low, restitution_low
        if upper:
            wall, kind, restitution = high, kind_high, restitution_high
        if kind == OPEN:
            break
        hits = 1.0
        if kind == CLAMP or kind == HOLD:
            held = 1.0 if upper else -1.0
            hits = 0.0 if touch * held > 0.0 else 1.0
            if kind == CLAMP and velocity * held > 0.0:
                velocity = 0.0
            position = wall
        elif kind != REMOVE:
            position = wall - restitution * (position - wall)
            velocity = -restitution * velocity
        if upper:
            hits_high += hits
        else:
            hits_low += hits
        if kind == REMOVE:
            break
    return position, velocity, 0.0, held, hits_low, hits_high


@outlined
def meet_sides(
    walls: Floats,
    bounds: Floats,
    before: Floats,
    state: Floats,
    events: Floats,
    used: int,
    step: int,
    craft: int,
    x: float,
    y: float,
    vx: float,
    vy: float,
) -> tuple[float, float, float, float, int]:
    """Bring a craft that left its bounds to where its sides put it, and write that down.

    Parameters
    ----------
    walls, bounds
        What the sides do, and where they are in this step, shape (C, 4).
    before
        Shape (C, 2): where the craft began the step; a wrap moves that too.
    state
        The craft's as the step began; its laps, what it touches, and whether it is alive
        change here.
    x, y, vx, vy
        After the step's motion rules.

    Returns
    -------
    x, y, vx, vy
        After the walls; see `meet_walls`.
    used
        How many events there are now.
    """
    aloft, steps = state[craft, at.ALOFT], float(step)
    held_x = state[craft, at.TOUCH_X] if abs(state[craft, at.TOUCH_X]) == steps else 0.0
    held_y = state[craft, at.TOUCH_Y] if abs(state[craft, at.TOUCH_Y]) == steps else 0.0
    x1, y1, vx1, vy1 = x, y, vx, vy
    x, vx, laps_x, touch_x, hits_left, hits_right = meet_walls(
        x,
        vx,
        held_x,
        bounds[craft, at.X_LOW],
        bounds[craft, at.X_HIGH],
        aloft,
        walls[craft, at.X_LOW, at.WALL_KIND],
        walls[craft, at.X_HIGH, at.WALL_KIND],
        walls[craft, at.X_LOW, at.WALL_RESTITUTION],
        walls[craft, at.X_HIGH, at.WALL_RESTITUTION],
    )
    y, vy, laps_y, touch_y, hits_low, hits_high = meet_walls(
        y,
        vy,
        held_y,
        bounds[craft, at.Y_LOW],
        bounds[craft, at.Y_HIGH],
        aloft,
        walls[craft, at.Y_LOW, at.WALL_KIND],
        walls[craft, at.Y_HIGH, at.WALL_KIND],
        walls[craft, at.Y_LOW, at.WALL_RESTITUTION],
        walls[craft, at.Y_HIGH, at.WALL_RESTITUTION],
    )
    state[craft, at.LAPS_X] += laps_x
    state[craft, at.LAPS_Y] += laps_y
    if laps_x != 0.0:
        before[craft, 0] -= laps_x * (bounds[craft, at.X_HIGH] - bounds[craft, at.X_LOW])
    if laps_y != 0.0:
        before[craft, 1] -= laps_y * (bounds[craft, at.Y_HIGH] - bounds[craft, at.Y_LOW])
    x0, y0 = state[craft, at.X], state[craft, at.Y]
    for side, hits in (
        (at.X_LOW, hits_left),
        (at.X_HIGH, hits_right),
        (at.Y_LOW, hits_low),
        (at.Y_HIGH, hits_high),
    ):
        if hits > 0.0:
            wall = bounds[craft, side]
            used = note_side(events, used, step, craft, side, hits, wall, x0, y0, x1, y1, vx1, vy1)
            if walls[craft, side, at.WALL_KIND] == REMOVE:
                state[craft, at.ALIVE] = 0.0
    state[craft, at.TOUCH_X] = touch_x * (steps + 1.0)
    state[craft, at.TOUCH_Y] = touch_y * (steps + 1.0)
    return x, y, vx, vy, used


@outlined
def carry(bounds: Floats, walls: Floats, carrier: NDArray[np.int64], state: Floats) -> None:
    """Put the bounds that are counted from another craft's place to where it is now."""
    for craft in range(carrier.size):
        if carrier[craft] >= 0:
            for side in range(4):
                place = state[carrier[craft], at.X if side <= at.X_HIGH else at.Y]
                bounds[craft, side] = walls[craft, side, at.WALL_AT] + place
