"""What a contact makes of a velocity."""

import math

from tinrocket.core.jit import outlined


@outlined
def bounce(
    vx: float,
    vy: float,
    nx: float,
    ny: float,
    restitution: float,
    always: bool,
) -> tuple[float, float]:
    """Velocity thrown back along the normal, which points at the one that bounces.

    v' = v - (1 + e) (v n) n if it moves in; `always` turns it round whichever way it moves,
    as games do that only ask whether two overlap.
    """
    inward = vx * nx + vy * ny
    if inward >= 0.0 and not always:
        return vx, vy
    thrown = (1.0 + restitution) * inward
    return vx - thrown * nx, vy - thrown * ny


@outlined
def by_place(
    speed: float, nx: float, ny: float, place: float, largest: float
) -> tuple[float, float]:
    """Velocity whose angle to the normal is a share of the largest one.

    `place` runs from -1 to 1 along the bat, counted to the left of the normal.
    """
    angle = min(max(place, -1.0), 1.0) * largest
    cos_a, sin_a = math.cos(angle), math.sin(angle)
    return speed * (nx * cos_a - ny * sin_a), speed * (nx * sin_a + ny * cos_a)


@outlined
def finish(vx: float, vy: float, faster: float, top: float, turn: float) -> tuple[float, float]:
    """Velocity made faster, held at a top speed, and turned by an angle [rad]."""
    speed = math.sqrt(vx * vx + vy * vy)
    if speed == 0.0:
        return vx, vy
    share = min(speed * faster, max(top, 0.0)) / speed
    vx, vy = share * vx, share * vy
    if turn == 0.0:
        return vx, vy
    cos_a, sin_a = math.cos(turn), math.sin(turn)
    return vx * cos_a - vy * sin_a, vx * sin_a + vy * cos_a


@outlined
def block(vx: float, vy: float, nx: float, ny: float) -> tuple[float, float]:
    """Velocity without what points into the other body."""
    inward = min(vx * nx + vy * ny, 0.0)
    return vx - inward * nx, vy - inward * ny
