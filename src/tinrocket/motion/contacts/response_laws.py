"""Response laws of velocities."""

from tinrocket.language.intrinsics import sqrt
from tinrocket.language.maths import sincos
from tinrocket.language.subset import kernel


@kernel
def bounced(
    vx: float, vy: float, nx: float, ny: float, restitution: float, always: bool
) -> tuple[float, float]:
    """Return the velocity thrown back along the normal, which points at the one that bounces.

    v' = v - (1 + e) (v n) n if it moves in; with `always` it is reversed in any case, as in games
    that only test for overlap.
    """
    inward = vx * nx + vy * ny
    if inward >= 0.0 and not always:
        return vx, vy
    thrown = (1.0 + restitution) * inward
    return vx - thrown * nx, vy - thrown * ny


@kernel
def shared_impulse(
    vx: float, vy: float, nx: float, ny: float, restitution: float, inverse_mass: float
) -> float:
    """Return the impulse between two bodies with a relative velocity.

    j = -(1 + e) (v n) / (1 / m1 + 1 / m2), 0 if they separate.  `inverse_mass` is the sum below.
    The first
    gets j / m1 along the normal, the other as much momentum against it.
    """
    inward = min(vx * nx + vy * ny, 0.0)
    return -(1.0 + restitution) * inward / inverse_mass


@kernel
def bounced_by_offset(
    speed: float, nx: float, ny: float, offset: float, largest: float
) -> tuple[float, float]:
    """Return a velocity at a share of the largest angle to the normal.

    `offset` runs from -1 to 1 along the bat, counted to the left of the normal.
    """
    cos_a, sin_a = sincos(min(max(offset, -1.0), 1.0) * largest)
    return speed * (nx * cos_a - ny * sin_a), speed * (nx * sin_a + ny * cos_a)


@kernel
def changed(vx: float, vy: float, factor: float, top: float, turn: float) -> tuple[float, float]:
    """Return a velocity made faster, held at a top speed, and turned by an angle [rad]."""
    speed = sqrt(vx * vx + vy * vy)
    if speed == 0.0:
        return vx, vy
    share = min(speed * factor, max(top, 0.0)) / speed
    vx, vy = share * vx, share * vy
    if turn == 0.0:
        return vx, vy
    cos_a, sin_a = sincos(turn)
    return vx * cos_a - vy * sin_a, vx * sin_a + vy * cos_a


@kernel
def rubbed(vx: float, vy: float, nx: float, ny: float, most: float) -> tuple[float, float]:
    """Return a velocity whose part along the surface is slowed by at most an amount (Coulomb)."""
    along = vy * nx - vx * ny
    kept = max(abs(along) - max(most, 0.0), 0.0)
    lost = along - kept if along >= 0.0 else along + kept
    return vx + lost * ny, vy - lost * nx


@kernel
def blocked(vx: float, vy: float, nx: float, ny: float) -> tuple[float, float]:
    """Return a velocity without its part into the other body."""
    inward = min(vx * nx + vy * ny, 0.0)
    return vx - inward * nx, vy - inward * ny
