"""Elementary functions in the subset, so that they give the same bits on every machine.

Off by at most one unit in the last place, angles up to 8e8 rad included.  Polynomials are
near-minimax fits (Chebyshev interpolation in 50 digits); sums and products that would cost the
last digit are carried as pairs (T. J. Dekker, "A Floating-Point Technique for Extending the
Available Precision", 1971).
"""

from tinrocket.language.maths.angles import atan2, cos, degrees, radians, sin, sincos
from tinrocket.language.maths.powers import exp, expm1, hypot, log, log1p, pow
from tinrocket.language.maths.signs import copysign, is_finite, sign

__all__ = [
    "atan2",
    "copysign",
    "cos",
    "degrees",
    "exp",
    "expm1",
    "hypot",
    "is_finite",
    "log",
    "log1p",
    "pow",
    "radians",
    "sign",
    "sin",
    "sincos",
]
