"""Signs, and the test for finite numbers."""

from tinrocket.language.intrinsics import copysign
from tinrocket.language.subset import kernel

__all__ = ["copysign", "is_finite", "sign"]


@kernel
def is_finite(x: float) -> bool:
    """Return whether x is finite: only then is x - x zero."""
    return x - x == 0.0


@kernel
def sign(x: float) -> float:
    """Return -1, 0 or 1."""
    return float(x > 0.0) - float(x < 0.0)
