"""Free numbers: each within a range, on a scale of equal effect."""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from tinrocket.errors import OptionError, ScenarioError
from tinrocket.scenario.numbers import frames_in
from tinrocket.scenario.ranges import sensible_range
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.vary import number_path, value_at, with_value

Floats = NDArray[np.float64]
Scale = Literal["plain", "log", "loss"]
WIDE = 8.0
"""Ratio of the ends of a range from which it is searched on a logarithmic scale."""
DIGITS = (2, 3, 4, 5, 6)


@dataclass(frozen=True, slots=True)
class FreeNumber:
    """A number that may change.

    Attributes
    ----------
    path
        As `vary` takes it.
    low, high
        Its range.
    now
        Value in the scenario as written.
    scale
        Scale of the search: linear, logarithmic, or logarithmic in the loss (of a share kept, near
        1).
    """

    path: str
    low: float
    high: float
    now: float
    scale: Scale

    def value(self, share: float) -> float:
        """Return the number at a share of its range, from 0 to 1; the present value is exact."""
        if share == self.share(self.now):
            return self.now
        low, high = self._to(self.low), self._to(self.high)
        number = self._from(low + (high - low) * min(max(share, 0.0), 1.0))
        return min(max(number, self.low), self.high)

    def share(self, value: float) -> float:
        """Return the share of the range at a number, from 0 to 1."""
        low, high = self._to(self.low), self._to(self.high)
        clipped = min(max(value, self.low), self.high)
        return min(max((self._to(clipped) - low) / (high - low), 0.0), 1.0)

    def rounded(self, value: float, digits: int) -> float:
        """Return a number rounded to significant digits, as a person would type it."""
        size = 1.0 - value if self.scale == "loss" else abs(value)
        if size == 0.0:
            return value
        places = digits - 1 - math.floor(math.log10(size))
        return min(max(round(value, places), self.low), self.high)

    def scaled(self, value: float, step: float) -> float:
        """Return a number whose logarithm, or that of the rate of a share kept, is larger.

        A number without a logarithm stays; the step is at most one of e^3.
        """
        factor = math.exp(min(max(step, -3.0), 3.0))
        if self.scale == "loss" and 0.0 < value < 1.0:
            return float(value**factor)
        return value * factor

    def log_ratio(self, value: float, other: float) -> float:
        """Return by how much the logarithm that `scaled` changes is larger; 0 if there is none."""
        if self.scale == "loss" and 0.0 < value < 1.0 and 0.0 < other < 1.0:
            return math.log(math.log(value) / math.log(other))
        return math.log(value / other) if other != 0.0 and value / other > 0.0 else 0.0

    def _to(self, value: float) -> float:
        if self.scale == "log":
            return math.log(value)
        return -math.log(1.0 - value) if self.scale == "loss" else value

    def _from(self, place: float) -> float:
        if self.scale == "log":
            return math.exp(place)
        return 1.0 - math.exp(-place) if self.scale == "loss" else place


def free_numbers(
    scenario: Scenario, free: Sequence[str] | Mapping[str, tuple[float, float] | None]
) -> tuple[FreeNumber, ...]:
    """Return the numbers that may change.

    Parameters
    ----------
    free
        Paths, each with its range or with None for a sensible one; or texts such as
        ``rocket.thrust.accel=100:2000`` and ``rocket.drag.half_life``.

    Raises
    ------
    OptionError
        If a range is not valid, or a path does not lead to a number.
    UnknownNameError, ScenarioError
        If a path leads nowhere, or an end of its range does not fit.
    """
    ranges = free if isinstance(free, Mapping) else dict(map(_parsed, free))
    if not ranges:
        raise OptionError("no number is free: name at least one, such as rocket.thrust.accel")
    return tuple(_free(scenario, path, within) for path, within in ranges.items())


def read_range(text: str, name: str) -> tuple[float, float]:
    """Return the ends of a range that is written as FROM:TO.

    Raises
    ------
    OptionError
        If it is not written so; `name` says whose range it is.
    """
    try:
        low, high = (float(part) for part in text.split(":"))
    except ValueError:
        raise OptionError(
            f"{name}: a range is written FROM:TO, such as 100:2000, not '{text}'"
        ) from None
    return low, high


def _parsed(text: str) -> tuple[str, tuple[float, float] | None]:
    path, equals, span = text.partition("=")
    return path, read_range(span, path) if equals else None


def _free(scenario: Scenario, path: str, within: tuple[float, float] | None) -> FreeNumber:
    typed = value_at(scenario, path)
    if frames_in(typed) is not None:
        raise OptionError(f"{path}: counts whole frames, which no search can turn bit by bit")
    if isinstance(typed, bool) or not isinstance(typed, int | float):
        raise OptionError(f"{path}: is {typed!r}, which is no number to search")
    now = float(typed)
    if within is None:
        place = number_path(scenario, path)
        if place is None:
            raise OptionError(f"{path}: needs a range, such as {path}={now / 2:g}:{2 * now:g}")
        chosen = sensible_range(place.owner(scenario), place.key, now)
        low, high = chosen.low, chosen.high
    else:
        low, high = within
    if not low < high or not all(map(math.isfinite, (low, high))):
        raise OptionError(f"{path}: a range goes from less to more, not from {low:g} to {high:g}")
    for end in (low, high):
        try:
            with_value(scenario, path, end)
        except ScenarioError:
            if within is not None:
                raise
            raise OptionError(
                f"{path}: needs a range, such as {path}={now / 2:g}:{2 * now:g}"
            ) from None
    return FreeNumber(path, low, high, now, _scale(low, high))


def _scale(low: float, high: float) -> Scale:
    if low >= 0.5 and high < 1.0:
        return "loss"
    return "log" if low > 0.0 and high / low >= WIDE else "plain"
