"""Sums and products with their rounding errors, as two floats."""

from tinrocket.language.subset import kernel

SPLITTER = 134217729.0  # 2^27 + 1


@kernel
def two_sum(a: float, b: float) -> tuple[float, float]:
    """Return a + b and its rounding error (D. E. Knuth)."""
    total = a + b
    back = total - a
    return total, (a - (total - back)) + (b - back)


@kernel
def two_product(a: float, b: float) -> tuple[float, float]:
    """Return a b and its rounding error (T. J. Dekker), for factors below 2^996."""
    product = a * b
    wide = SPLITTER * a
    a_high = wide - (wide - a)
    a_low = a - a_high
    wide = SPLITTER * b
    b_high = wide - (wide - b)
    b_low = b - b_high
    error = ((a_high * b_high - product) + a_high * b_low + a_low * b_high) + a_low * b_low
    return product, error


@kernel
def two_quotient(a: float, b: float, b_low: float) -> tuple[float, float]:
    """Return a / (b + b_low) and its rounding error."""
    quotient = a / b
    product, error = two_product(quotient, b)
    return quotient, (((a - product) - error) - quotient * b_low) / b
