"""Numbers that follow a value: linear between points, or a power."""

from tinrocket.language.maths import pow  # noqa: A004  # what it is called
from tinrocket.language.subset import kernel


@kernel
def between(value: float, low: float, first: float, high: float, last: float) -> float:
    """Return first + (last - first) (value - low) / (high - low), clamped to both ends."""
    share = min(max((value - low) / (high - low), 0.0), 1.0)
    return first + (last - first) * share


@kernel
def powered(number: float, value: float, at: float, exponent: float) -> float:
    """Return number (|value| / at) ^ exponent."""
    share = abs(value) / at
    if exponent == 1.0:
        return number * share
    if exponent == 2.0:
        return number * (share * share)
    return number * pow(share, exponent)


@kernel
def bounded(number: float, least: float, most: float) -> float:
    """Return a number clamped to bounds."""
    return min(max(number, least), most)
