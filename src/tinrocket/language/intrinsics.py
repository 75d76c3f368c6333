"""Intrinsics: operations that are one machine instruction, in plain Python.

Each returns the bits of the instruction, also where plain Python would raise.
"""

import math

from tinrocket.language.records import Pointer

INFINITE = math.inf
NOT_A_NUMBER = math.nan

WHOLE = 2.0**52
"""From this value on, every float is a whole number."""


def sqrt(x: float) -> float:
    """Return the square root, rounded correctly; not a number below zero."""
    return math.sqrt(x) if x >= 0.0 else math.nan


def floor(x: float) -> float:
    """Return the largest whole number that is not above x, as a float."""
    if x == 0.0 or not -WHOLE < x < WHOLE:
        return x
    return float(math.floor(x))


def exponent(x: float) -> int:
    """Return e for a positive normal number x = m 2^e with 1 <= m < 2."""
    return math.frexp(x)[1] - 1


def power_of_two(k: int) -> float:
    """Return 2^k for -1022 <= k <= 1023."""
    return math.ldexp(1.0, k)


def copysign(x: float, y: float) -> float:
    """Return x with the sign of y."""
    return math.copysign(x, y)


def copy_cells(target: Pointer, source: Pointer, count: int) -> None:
    """Copy a number of cells from one place to another."""
    floats, at = target._cells.floats, target._at  # within one memory
    begin = source._at
    floats[at : at + count] = floats[begin : begin + count]


INTRINSICS = (sqrt, floor, exponent, power_of_two, copysign, copy_cells)
"""Printed as instructions, never as calls; see `wat`."""
