"""Sensible ranges of numbers, from their bounds and present values."""

import math
from dataclasses import dataclass
from typing import Any, get_args

from tinrocket.scenario.numbers import LARGEST, Model, quantity

AROUND_ZERO = {"px": 200.0, "px/s": 400.0, "px/s^2": 800.0, "deg": 180.0, "deg/s": 360.0, "s": 1.0}
"""Upper end for a number that is 0, by its unit (default: 1)."""
TIMES = 3.0
"""Upper end as a multiple of the present value."""
STEPS = 500
"""Approximate number of steps of a range."""


@dataclass(frozen=True, slots=True)
class Range:
    """Range and step of a number; both ends are allowed values."""

    low: float
    high: float
    step: float


def sensible_range(model: Model, key: str, value: float) -> Range:
    """Return a sensible range of a number.

    Parameters
    ----------
    model
        Model with the number.
    key
        Field of the number.
    value
        Present value, in the units of the scenario.
    """
    field = type(model).model_fields.get(key)
    least, most, unit = -LARGEST, LARGEST, ""
    if field is not None:
        least, most = _bounds(field.annotation, *field.metadata)
        mark = quantity(field.annotation, *field.metadata)
        unit = mark.unit if mark else ""
    reach = _round_up(TIMES * abs(value)) if value else AROUND_ZERO.get(unit, 1.0)
    share = not unit and 0.0 < value <= 1.0  # such as a share of a speed that is kept
    high = most if most <= 1.0 else min(1.0 if share else reach, most)
    low = max(-reach if value <= 0.0 and least < 0.0 else 0.0, least)
    return Range(low, high, _step(high - low))


def _bounds(annotation: object, *metadata: Any) -> tuple[float, float]:
    """Return the smallest and the largest value that a field takes."""
    least, most = -LARGEST, LARGEST
    for bound in metadata:
        for constraint in getattr(bound, "metadata", [bound]):
            for name in ("ge", "gt"):
                least = max(least, getattr(constraint, name, least))
            most = min(most, getattr(constraint, "le", most))
            if getattr(constraint, "gt", None) == 0:
                least = max(least, SMALL)
    for part in get_args(annotation):
        low, high = _bounds(part, *getattr(part, "__metadata__", ()))
        least, most = max(least, low), min(most, high)
    return least, most


SMALL = 1e-3
"""Smallest value of a number that must be above 0."""


def _round_up(value: float) -> float:
    """Return the next number with one digit, or half of one."""
    power = 10.0 ** math.floor(math.log10(value))
    factors = (1, 1.5, 2, 3, 4, 5, 6, 8, 10)
    return next(power * factor for factor in factors if value <= power * factor)


def _step(span: float) -> float:
    """Return a round step that divides a span into about a number of steps."""
    power = 10.0 ** math.floor(math.log10(span / STEPS))
    return next(power * factor for factor in (1, 2, 5, 10) if span / STEPS <= power * factor)
