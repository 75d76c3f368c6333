"""Results of a fit: numbers with intervals, and what the logs leave open."""

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from tinrocket.scenario.scenario import Scenario
from tinrocket.texts import safe_output, some_of
from tinrocket.tuning.free_numbers import FreeNumber

if TYPE_CHECKING:
    import pandas as pd

LEAST = 1e-6
"""Smallest standard deviation of residuals: that of unrounded places [px]."""
FAILS = 6.0
"""Standard deviations beyond which lasting residuals mean that the model fails."""
WINDOW = 9
"""Number of consecutive rows whose median decides whether residuals stay beyond that."""
AS_GOOD = 0.02
"""Share by which a timing may leave more than the best one and still fit as well."""
MAX_NAMED = 6
"""Most timings that are named of those that fit equally well."""
DIGITS = 2
"""Digits of an interval's width that a rounded number keeps."""


@dataclass(frozen=True, slots=True)
class FittedNumber:
    """A number that was fitted.

    Attributes
    ----------
    free
        The free number, with its range.
    value
        Where the model fits best.
    low, high
        Its interval of 95 %.
    bounded
        Whether the interval ends inside of the range on both sides; else the log leaves the number
        open.
    """

    free: FreeNumber
    value: float
    low: float
    high: float
    bounded: bool

    @property
    def rounded(self) -> float:
        """The number, rounded to the digits that its interval allows."""
        width = self.high - self.low
        if not width > 0.0:
            return self.value
        places = DIGITS - 1 - math.floor(math.log10(width))
        near = round(self.value, places)
        return min(max(near, self.free.low), self.free.high)


@dataclass(frozen=True, slots=True)
class TimingChoice:
    """How another timing explains the held-out part of the logs.

    Attributes
    ----------
    name
        Which.
    rms, written
        Root mean square of the residuals there [px], with it and as the scenario is written.
    better, worse
        Whether that is surely better, or surely worse; neither if the logs do not decide.
    """

    name: str
    rms: float
    written: float
    better: bool
    worse: bool


@dataclass(frozen=True, eq=False, repr=False)
class Fit:
    """Result of a fit to logs of a game.

    Attributes
    ----------
    scenario
        With the rounded numbers.
    numbers
        Each free number with its interval.
    offsets
        The time offset of each log with its interval [s], if it was free.
    alike
        Pairs of correlated numbers: one can make up for the other.
    residuals
        A row for each craft, axis and moment: by how much the model is off [px].
    spread
        Standard deviation of residuals without those of bad rows [px].
    timings
        Other timings, orders and inputs, if they were asked for.
    unit
        Unit of lengths.
    before
        Root mean square of the residuals with the scenario's own numbers [px].
    """

    scenario: Scenario
    numbers: tuple[FittedNumber, ...]
    offsets: tuple[FittedNumber, ...]
    alike: tuple[tuple[str, str], ...]
    residuals: "pd.DataFrame"
    spread: float
    timings: tuple[TimingChoice, ...]
    unit: str
    before: float

    @property
    def better_timings(self) -> list[TimingChoice]:
        """The timings that surely explain the logs better than the written one, and best of all.

        Several, where the logs cannot distinguish these: a push that counts frames moves a craft as
        a move that counts frames does.
        """
        better = sorted(
            (timing for timing in self.timings if timing.better), key=lambda timing: timing.rms
        )
        return [timing for timing in better if timing.rms <= (1.0 + AS_GOOD) * better[0].rms]

    @property
    def failures(self) -> list[tuple[str, float, float]]:
        """Spans in which the model fails: craft, begin and end [s]."""
        lines = []
        for (craft, _axis), rows in self.residuals.groupby(["craft", "axis"], sort=False):
            late = rows["off"].abs().rolling(WINDOW, center=True).median() > FAILS * self.spread
            times = rows["t"][late]
            if len(times):
                lines.append((str(craft), float(times.iloc[0]), float(times.iloc[-1])))
        return lines

    def __repr__(self) -> str:
        """Return the number of numbers and the spread."""
        return f"<Fit of {len(self.numbers)} numbers: {self.spread:.3g} {self.unit} are left>"

    def __str__(self) -> str:
        """Return the numbers with their intervals, and what the logs leave open."""
        return safe_output("\n".join(self.lines))

    @property
    def lines(self) -> list[str]:
        """Numbers with intervals, residuals, and timings that the logs cannot distinguish."""
        width = max(len(each.free.path) for each in (*self.numbers, *self.offsets))
        least = "less than " if self.spread <= LEAST else ""
        left = f"{least}{self.spread:.3g} {self.unit} are left, {self.before:.3g} before"
        lines = [f"Fitted to {len(self.residuals) // 2:,} places; {left}."]
        for each in self.numbers:
            interval = f"95 %: {each.low:.6g} to {each.high:.6g}; was {each.free.now:.7g}"
            lines.append(f"  {each.free.path:<{width}} = {each.rounded:.7g}  ({interval})")
        for each in self.offsets:
            interval = f"95 %: {1e3 * each.low:.4g} to {1e3 * each.high:.4g} ms"
            lines.append(f"  {each.free.path:<{width}} = {1e3 * each.rounded:.5g} ms  ({interval})")
        lines += [
            f"The log does not say what {each.free.path} is: its interval ends with its range."
            for each in (*self.numbers, *self.offsets)
            if not each.bounded
        ]
        lines += [f"{a} and {b} go together: one can make up for the other." for a, b in self.alike]
        lines += [
            f"The model fails for {craft} from {begin:.2f} to {end:.2f} s."
            for craft, begin, end in self.failures
        ]
        return [*lines, *self._timing_lines()]

    def _timing_lines(self) -> list[str]:
        if not self.timings:
            return []
        best = self.better_timings
        if best:
            names = ", or ".join(f"'{timing.name}'" for timing in best)
            left = f"{best[0].rms:.3g} {self.unit} are left there, {best[0].written:.3g} as written"
            return [f"{names} explains the last part better: {left}."]
        unclear = [timing.name for timing in self.timings if not timing.worse]
        if not unclear:
            return ["The timing as written explains the last part best."]
        names = some_of(unclear, MAX_NAMED)
        return [f"The log cannot tell the timing as written from: {names}."]
