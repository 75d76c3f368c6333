"""Exponentials, logarithms, powers and lengths."""

from tinrocket.language.intrinsics import (
    INFINITE,
    NOT_A_NUMBER,
    exponent,
    floor,
    power_of_two,
    sqrt,
)
from tinrocket.language.maths.pairs import two_product, two_quotient, two_sum
from tinrocket.language.subset import kernel

ONE_OVER_LN2 = 1.4426950408889634
LN2_32, LN2_32_LOW = 0.6931471803691238, 1.9082149292705877e-10
LN2_40, LN2_40_LOW = 0.6931471805592082, 7.371002565161996e-13
SQRT_2 = 1.4142135623730951
TWO_THIRDS, TWO_THIRDS_LOW = 0.6666666666666666, 3.700743415417188e-17

# (exp r - 1 - r) / r^2, for |r| <= ln 2 / 2
E0, E1, E2, E3 = 0.5, 0.1666666666666667, 0.04166666666666667, 0.008333333333325544
E4, E5, E6 = 0.0013888888888883327, 0.00019841269876864356, 2.4801587327007187e-05
E7, E8, E9 = 2.755725283351691e-06, 2.75572718102198e-07, 2.5106274733573296e-08
E10 = 2.0915442297780116e-09

# ((log((1 + s) / (1 - s)) / s - 2) / z - 2 / 3) / z with z = s^2, for s <= 0.1716
L0, L1, L2, L3 = 0.4, 0.28571428571429364, 0.22222222221655943, 0.18181818335379513
L4, L5, L6, L7 = 0.153845949639382, 0.1333480461663011, 0.11706238407260777, 0.11723157001190189


@kernel
def reduced(x: float, low: float) -> tuple[int, float, float]:
    """Return k, e and e_low with exp(x + low) = 2^k (1 + e + e_low)."""
    k = floor(x * ONE_OVER_LN2 + 0.5)
    r, error = two_sum(x - k * LN2_32, -(k * LN2_32_LOW))
    error += low
    series = E4 + r * (E5 + r * (E6 + r * (E7 + r * (E8 + r * (E9 + r * E10)))))
    series = E0 + r * (E1 + r * (E2 + r * (E3 + r * series)))
    e, e_low = two_sum(r, r * r * series)
    return int(k), e, e_low + error * (1.0 + e)


@kernel
def exp_of(x: float, low: float) -> float:
    """Return exp(x + low)."""
    if x > 709.8:
        return INFINITE
    if x < -745.2:
        return 0.0
    k, e, e_low = reduced(x, low)
    whole, rest = two_sum(1.0, e)
    half = k >> 1
    return (whole + (rest + e_low)) * power_of_two(half) * power_of_two(k - half)


@kernel
def exp(x: float) -> float:
    """Return e^x."""
    if x != x:  # noqa: PLR0124  # not a number
        return x
    return exp_of(x, 0.0)


@kernel
def expm1(x: float) -> float:
    """Return e^x - 1, as precise near 0 as anywhere."""
    if not -40.0 < x < 40.0:
        return exp(x) - 1.0
    k, e, e_low = reduced(x, 0.0)
    if k == 0:
        return e + e_low
    scale = power_of_two(k)
    whole, rest = two_sum(scale - 1.0, scale * e)
    return whole + (rest + scale * e_low)


@kernel
def log_pair(x: float) -> tuple[float, float]:
    """Return log x of a positive number, and its rounding error.

    With x = 2^e m and s = (m - 1) / (m + 1): log m = 2 s + 2/3 s^3 + ...
    """
    e = 0.0
    if x < 2.3e-308:
        x = x * 18014398509481984.0
        e = -54.0
    k = exponent(x)
    m = x * power_of_two(-k) if k < 1023 else 0.5 * x * power_of_two(-1022)
    e += float(k)
    if m > SQRT_2:
        m = 0.5 * m
        e += 1.0
    below, below_low = two_sum(2.0, m - 1.0)
    s, s_low = two_quotient(m - 1.0, below, below_low)
    z, z_low = two_product(s, s)
    z_low += 2.0 * s * s_low
    cube, cube_low = two_product(s, z)
    cube_low += s * z_low + s_low * z
    third, third_low = two_product(TWO_THIRDS, cube)
    third_low += TWO_THIRDS * cube_low + TWO_THIRDS_LOW * cube
    series = L0 + z * (L1 + z * (L2 + z * (L3 + z * (L4 + z * (L5 + z * (L6 + z * L7))))))
    third_low += cube * z * series
    high, low = two_sum(2.0 * s, third)
    low += 2.0 * s_low + third_low
    total, rest = two_sum(e * LN2_40, high)
    rest += low + e * LN2_40_LOW
    whole = total + rest
    return whole, (total - whole) + rest


@kernel
def log(x: float) -> float:
    """Return the natural logarithm; minus infinity at 0, not a number below it."""
    if not 0.0 < x < INFINITE:
        if x == 0.0:
            return -INFINITE
        return x if x == INFINITE else NOT_A_NUMBER
    whole, _rest = log_pair(x)
    return whole


@kernel
def log1p(x: float) -> float:
    """Return log(1 + x), as precise near 0 as anywhere."""
    if not -1.0 < x < INFINITE:
        return log(1.0 + x)
    total, rest = two_sum(1.0, x)
    if total == 1.0:
        return x
    whole, low = log_pair(total)
    return whole + (low + rest / total)


@kernel
def pow(x: float, y: float) -> float:  # noqa: A001  # what it is called
    """Return x^y; not a number where x is negative and y no whole number."""
    if y == 0.0 or x == 1.0:
        return 1.0
    if x != x or y != y:  # noqa: PLR0124  # not a number
        return NOT_A_NUMBER
    size = abs(x)
    odd = floor(0.5 * y) * 2.0 != y
    if x < 0.0 and floor(y) != y:
        return NOT_A_NUMBER
    turned = -1.0 if x < 0.0 and odd else 1.0
    if size == 0.0 or size == INFINITE or abs(y) == INFINITE:  # kernels have no sets
        if size == 1.0:
            return 1.0
        grows = (size > 1.0) == (y > 0.0)
        return turned * (INFINITE if grows else 0.0)
    high, low = log_pair(size)
    if abs(y) > 1e20:
        return turned * exp_of(max(min(y * high, 800.0), -800.0), 0.0)
    product, rest = two_product(y, high)
    return turned * exp_of(product, rest + y * low)


@kernel
def hypot(x: float, y: float) -> float:
    """Return sqrt(x^2 + y^2), without overflow on the way."""
    wide, narrow = max(abs(x), abs(y)), min(abs(x), abs(y))
    if not wide < INFINITE or narrow == 0.0:
        return wide if wide == INFINITE or narrow == 0.0 else x + y
    scale = 1.0
    if wide > 1e150 or wide < 1e-140:
        if wide < 1e-300:
            scale = power_of_two(-700)
        else:
            scale = power_of_two(exponent(wide))
        wide, narrow = wide / scale, narrow / scale
    length = sqrt(wide * wide + narrow * narrow)
    # one Newton step with the exact remainder corrects the last digit
    a, a_low = two_product(wide, wide)
    b, b_low = two_product(narrow, narrow)
    c, c_low = two_product(length, length)
    return (length + ((a - c) + b + ((a_low + b_low) - c_low)) / (2.0 * length)) * scale
