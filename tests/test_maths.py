"""The elementary functions against fifty digits, and compiled against plain Python."""

import math
import random

import mpmath
import pytest

from tinrocket.language import maths

from .kernels import compiled

mpmath.mp.dps = 50
RANDOM = random.Random(7)


def spread(low, high):
    """Return a number whose exponent is anywhere between two, of either sign."""
    return RANDOM.choice([-1.0, 1.0]) * 10.0 ** RANDOM.uniform(low, high)


ANGLES = [RANDOM.uniform(-size, size) for size in (1, 10, 2e4, 1e6, 7.9e8) for _ in range(300)]
ANGLES += [k * math.pi / 2 for k in range(-40, 41)]  # next to where a digit is lost
ANGLES += [RANDOM.randrange(500_000_000) * math.pi / 2 for _ in range(300)]
ANGLES += [spread(-300, 0) for _ in range(100)]
PLACES = [(spread(-5, 5), spread(-5, 5)) for _ in range(600)]
PLACES += [(spread(-300, 300), spread(-300, 300)) for _ in range(300)]
PLACES += [(1.0, edge * (1 + spread(-16, -8))) for edge in (0.25, 0.75, 1.0) for _ in range(50)]
SMALL = [spread(-20, 0) for _ in range(400)]
EXPONENTS = [RANDOM.uniform(-700, 700) for _ in range(400)] + SMALL
POSITIVE = [abs(spread(-300, 300)) for _ in range(300)] + [1.0 + value / 2 for value in SMALL]
POWERS = [(RANDOM.uniform(0.0, 1.0), RANDOM.uniform(0.0, 5.0)) for _ in range(400)]
POWERS += [(abs(spread(-5, 5)), RANDOM.uniform(-50.0, 50.0)) for _ in range(400)]
POWERS += [(1.0 + RANDOM.uniform(-0.1, 0.1), RANDOM.uniform(-5e3, 5e3)) for _ in range(400)]

CASES = {
    "sin": (maths.sin, mpmath.sin, [(value,) for value in ANGLES]),
    "cos": (maths.cos, mpmath.cos, [(value,) for value in ANGLES]),
    "atan2": (maths.atan2, mpmath.atan2, PLACES),
    "hypot": (maths.hypot, mpmath.hypot, PLACES),
    "exp": (maths.exp, mpmath.exp, [(value,) for value in EXPONENTS]),
    "expm1": (maths.expm1, mpmath.expm1, [(value,) for value in EXPONENTS]),
    "log": (maths.log, mpmath.log, [(value,) for value in POSITIVE]),
    "log1p": (maths.log1p, mpmath.log1p, [(value * 0.999,) for value in SMALL] + [(1e5,)]),
    "pow": (maths.pow, mpmath.power, POWERS),
}


@pytest.mark.parametrize("name", CASES)
def test_at_most_one_unit_in_the_last_place_and_the_same_bits_compiled(name):
    ours, exact, arguments = CASES[name]
    machine = compiled(ours)
    for given in arguments:
        got, want = ours(*given), exact(*map(mpmath.mpf, given))
        if not 0.0 < abs(got) < math.inf:  # the range of floats ends here
            assert got == float(want)
            continue
        assert abs(mpmath.mpf(got) - want) <= math.ulp(float(want)), (given, got)
        assert machine(*given) == got


@pytest.mark.parametrize(
    ("got", "want"),
    [
        (maths.atan2(0.0, -1.0), math.pi),
        (maths.atan2(-0.0, -1.0), -math.pi),
        (maths.atan2(math.inf, -math.inf), 3 * math.pi / 4),
        (maths.pow(-2.0, 3.0), -8.0),
        (maths.pow(-2.0, 0.5), math.nan),
        (maths.pow(0.0, -1.0), math.inf),
        (maths.exp(1e3), math.inf),
        (maths.exp(-1e3), 0.0),
        (maths.log(0.0), -math.inf),
        (maths.log(-1.0), math.nan),
        (maths.sin(math.inf), math.nan),
        (maths.hypot(math.inf, 1.0), math.inf),
    ],
)
def test_values_for_which_plain_python_raises(got, want):
    assert got == want or (math.isnan(got) and math.isnan(want))


def test_a_huge_angle_is_reduced_exactly():
    """What lies past 8e8 rad is the angle modulo the float nearest to a full turn."""
    for _ in range(200):
        angle = spread(9, 300)
        assert maths.sin(angle) == maths.sin(math.fmod(angle, 2 * math.pi))
