"""Sine, cosine and the angle of a direction."""

from tinrocket.language.intrinsics import (
    INFINITE,
    NOT_A_NUMBER,
    copysign,
    exponent,
    floor,
    power_of_two,
)
from tinrocket.language.maths.pairs import two_quotient, two_sum
from tinrocket.language.subset import kernel

TWO_OVER_PI = 0.6366197723675814
# pi / 2 in parts of 33 bits, so that their products with a whole number below 2^20 are exact
HALF_1, HALF_2, HALF_3 = 1.5707963267341256, 6.077100506303966e-11, 2.0222662487959506e-21
# and in parts of 24 bits, for whole numbers below 2^29
PART_1, PART_2, PART_3 = 1.570796251296997, 7.549789415861596e-08, 5.390302529957765e-15
PART_4 = 3.2820035428735005e-22
TWO_PI = 6.283185307179586
PI, PI_LOW = 3.141592653589793, 1.2246467991473532e-16
NEAR, FAR = 2.0e4, 8.0e8

# (sin r / r - 1) / z and (cos r - 1 + z / 2) / z^2 with z = r^2, for |r| <= pi / 4
S0, S1, S2 = -0.16666666666666666, 0.008333333333330827, -0.0001984126983657571
S3, S4, S5 = 2.755731600817155e-06, -2.5051112272573243e-08, 1.5916726193889336e-10
C0, C1, C2 = 0.041666666666666664, -0.0013888888888887322, 2.4801587298651292e-05
C3, C4, C5 = -2.755731721268659e-07, 2.0876134024090145e-09, -1.1381754653662937e-11

# (atan t / t - 1) / z with z = t^2, for |t| <= 1 / 4
A0, A1, A2 = -0.3333333333333333, 0.19999999999998933, -0.1428571428525851
A3, A4, A5 = 0.11111111035986847, -0.09090902874969416, 0.07692017877237385
A6, A7, A8 = -0.06658687414697743, 0.057529943904780285, -0.041034266985419496
ATAN_HALF, ATAN_HALF_LOW = 0.4636476090008061, 2.2698777452961687e-17
ATAN_ONE, ATAN_ONE_LOW = 0.7853981633974483, 3.061616997868383e-17


@kernel
def radians(degrees: float) -> float:
    """Return an angle in rad."""
    return degrees * 0.017453292519943295


@kernel
def degrees(radians: float) -> float:
    """Return an angle in degrees."""
    return radians * 57.29577951308232


@kernel
def folded(x: float) -> float:
    """Return a huge angle reduced exactly by whole turns of the float nearest to 2 pi."""
    size = abs(x)
    if size < FAR:
        return x
    for _ in range(1100):
        if size < TWO_PI:
            break
        turns = TWO_PI * power_of_two(min(exponent(size) - 2, 1021))
        if turns > size:
            turns = 0.5 * turns
        size -= turns
    return copysign(size, x)


@kernel
def near_quadrant(x: float) -> tuple[int, float, float]:
    """Return k mod 4, r and r_low with x = k pi / 2 + r + r_low and |r| <= pi / 4.

    Subtracts k pi / 2 in parts with exact products by k (W. J. Cody and W. Waite,
    "Software Manual for the Elementary Functions", 1980).
    """
    k = floor(x * TWO_OVER_PI + 0.5)
    first, second = x - k * HALF_1, k * HALF_2
    r = first - second
    return int(k) & 3, r, ((first - r) - second) - k * HALF_3


@kernel
def far_quadrant(x: float) -> tuple[int, float, float]:
    """Return the same for angles of more turns."""
    if not abs(x) < INFINITE:
        return 0, NOT_A_NUMBER, 0.0
    x = folded(x)
    k = floor(x * TWO_OVER_PI + 0.5)
    rest, low = two_sum((x - k * PART_1) - k * PART_2, -(k * PART_3))
    low = low - k * PART_4
    r = rest + low
    return int(k) & 3, r, (rest - r) + low


@kernel
def sincos(x: float) -> tuple[float, float]:
    """Return the cosine and the sine of an angle [rad]: where a heading points."""
    if abs(x) < NEAR:
        q, r, low = near_quadrant(x)
    else:
        q, r, low = far_quadrant(x)
    z = r * r
    zz = z * z
    # in independent pairs of terms (G. Estrin, 1960)
    series = (S0 + z * S1) + zz * ((S2 + z * S3) + zz * (S4 + z * S5))
    half = 0.5 * z
    s = r + (r * z * series + low * (1.0 - half))
    near = 1.0 - half
    series = (C0 + z * C1) + zz * ((C2 + z * C3) + zz * (C4 + z * C5))
    c = near + (((1.0 - near) - half) + (zz * series - r * low))
    turned = (q & 1) != 0
    along = s if turned else c
    across = c if turned else s
    left = q == 1 or q == 2
    return -along if left else along, -across if q > 1 else across


@kernel
def sin(x: float) -> float:
    """Return the sine of an angle [rad]."""
    _c, s = sincos(x)
    return s


@kernel
def cos(x: float) -> float:
    """Return the cosine of an angle [rad]."""
    c, _s = sincos(x)
    return c


@kernel
def atan2(y: float, x: float) -> float:
    """Return the angle [rad] of the direction (x, y), from -pi to pi.

    The smaller over the larger, less 0, 1/2 or 1 by the addition theorem, as a series.
    """
    wide, high = abs(x), abs(y)
    if not (wide < INFINITE and high < INFINITE):
        if wide == INFINITE and high == INFINITE:
            return copysign(ATAN_ONE if x > 0.0 else 3.0 * ATAN_ONE, y)
        if wide != wide or high != high:  # noqa: PLR0124  # not a number
            return NOT_A_NUMBER
        if high == INFINITE:
            return copysign(0.5 * PI, y)
        return copysign(0.0 if x > 0.0 else PI, y)
    small, large = min(wide, high), max(wide, high)
    if small == 0.0:
        if high > wide:
            return copysign(0.5 * PI, y)
        return copysign(0.0 if copysign(1.0, x) > 0.0 else PI, y)
    if large > 1e150 or large < 1e-150:
        if large < 1e-300:
            small, large = small * 1e200, large * 1e200
        scale = power_of_two(-exponent(large))
        small, large = small * scale, large * scale
    base, base_low = 0.0, 0.0
    if small < 0.25 * large:
        t, low = two_quotient(small, large, 0.0)
    elif small < 0.75 * large:
        base, base_low = ATAN_HALF, ATAN_HALF_LOW
        below, below_low = two_sum(large, 0.5 * small)
        t, low = two_quotient(small - 0.5 * large, below, below_low)
    else:
        base, base_low = ATAN_ONE, ATAN_ONE_LOW
        below, below_low = two_sum(large, small)
        t, low = two_quotient(small - large, below, below_low)
    z = t * t
    series = A0 + z * (
        A1 + z * (A2 + z * (A3 + z * (A4 + z * (A5 + z * (A6 + z * (A7 + z * A8))))))
    )
    angle, rest = two_sum(base, t)
    rest += (low + base_low) + t * z * series
    if high > wide:
        angle, other = two_sum(0.5 * PI, -angle)
        rest = other + (0.5 * PI_LOW - rest)
    if x < 0.0:
        angle, other = two_sum(PI, -angle)
        rest = other + (PI_LOW - rest)
    return copysign(angle + rest, y)
