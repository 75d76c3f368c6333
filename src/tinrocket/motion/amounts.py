"""Functions of amounts: the same bits on every machine, for a number, a column, or a traced one.

Exp and log of NumPy and the C library differ between processors in the last bit. Compiled flights
use the project's own functions too, so a number bound here and one bound inside a compiled module
give the same flight.
"""

from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tinrocket.language import maths
from tinrocket.motion.ramped import Traced

Amount = float | NDArray[np.float64]
"""A number, or one for each variant."""


def exp(amount: Any) -> Any:
    """Return e to the power of an amount."""
    return _applied(np.exp, maths.exp, amount)


def expm1(amount: Any) -> Any:
    """Return exp(amount) - 1, exact near 0 too."""
    return _applied(np.expm1, maths.expm1, amount)


def log(amount: Any) -> Any:
    """Return the natural logarithm; minus infinity of 0, NaN below it."""
    return _applied(np.log, maths.log, amount)


def log1p(amount: Any) -> Any:
    """Return log(1 + amount), exact near 0 too."""
    return _applied(np.log1p, maths.log1p, amount)


def power(base: Any, exponent: float) -> Any:
    """Return a base that is not negative to a power."""
    if isinstance(base, Traced):
        return base**exponent
    return _applied(np.power, lambda number: maths.pow(number, exponent), base)


def _applied(ufunc: Any, function: Callable[[float], float], amount: Any) -> Any:
    if isinstance(amount, Traced):
        return ufunc(amount)
    if not isinstance(amount, np.ndarray):
        return function(float(amount))
    values, place = np.unique(amount, return_inverse=True)  # a sweep repeats few distinct values
    worked = np.array([function(value) for value in values.tolist()])
    return worked[place].reshape(amount.shape)
