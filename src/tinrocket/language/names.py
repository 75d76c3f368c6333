"""Functions that kernels may call by their Python names."""

import math
from collections.abc import Callable
from typing import Any

from tinrocket.language import intrinsics, maths

SUBSTITUTES: dict[Callable[..., Any], Callable[..., Any]] = {
    math.sqrt: intrinsics.sqrt,
    math.floor: intrinsics.floor,
    math.fabs: abs,
    math.sin: maths.sin,
    math.cos: maths.cos,
    math.atan2: maths.atan2,
    math.exp: maths.exp,
    math.expm1: maths.expm1,
    math.log: maths.log,
    math.log1p: maths.log1p,
    math.pow: maths.pow,
    math.hypot: maths.hypot,
    math.radians: maths.radians,
    math.degrees: maths.degrees,
    math.copysign: maths.copysign,
}
"""A user's rule that calls `math` gets the functions that are the same on every machine."""
