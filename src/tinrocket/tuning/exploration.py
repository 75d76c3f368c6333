"""Results of an exploration over whole ranges of numbers."""

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from tinrocket.texts import safe_line, safe_output
from tinrocket.tuning.free_numbers import FreeNumber

if TYPE_CHECKING:
    import pandas as pd

Floats = NDArray[np.float64]
LITTLE = 0.01
"""Smallest share that is printed."""


@dataclass(frozen=True, slots=True)
class Sensitivity:
    """Share of a metric's variance that is due to a number, as Sobol' indices.

    Attributes
    ----------
    metric, path
        Which.
    alone, whole
        The share of the number by itself (first order), and with all others (total order).
    alone_low, alone_high, whole_low, whole_high
        Their intervals of 95 %, by bootstrap.
    missing
        The share of places at which the metric has no number; its median stands for them.
    """

    metric: str
    path: str
    alone: float
    alone_low: float
    alone_high: float
    whole: float
    whole_low: float
    whole_high: float
    missing: float


@dataclass(frozen=True, eq=False, repr=False)
class Exploration:
    """Feel metrics over whole ranges of numbers.

    Attributes
    ----------
    title
        Title of the scenario.
    free
        The numbers that were looked over.
    metrics, units, crafts
        What was measured, of which craft.
    rate
        Frames per second.
    numbers, values
        A row for each place: the numbers there, shape (P, numbers), and the metrics, shape
        (P, metrics), NaN where there is none.
    now
        The metrics as the scenario is written.
    holds
        Shape (P,): whether all wants hold there.
    wants
        These, as they were written.
    sensitivity
        The share of each number, where more than two were looked over.
    flights
        How many manoeuvres were flown this time.
    """

    title: str
    free: tuple[FreeNumber, ...]
    metrics: tuple[str, ...]
    units: tuple[str, ...]
    crafts: tuple[str, ...]
    rate: float
    numbers: Floats
    values: Floats
    now: tuple[float, ...]
    holds: NDArray[np.bool_]
    wants: tuple[str, ...]
    sensitivity: tuple[Sensitivity, ...]
    flights: int

    @property
    def table(self) -> "pd.DataFrame":
        """A row for each place: a column for each number and metric, and whether all wants hold."""
        import pandas as pd

        columns: dict[str, NDArray[Any]] = {
            number.path: self.numbers[:, n] for n, number in enumerate(self.free)
        }
        for n, (craft, metric) in enumerate(zip(self.crafts, self.metrics, strict=True)):
            columns[f"{craft} {metric}"] = self.values[:, n]
        if self.wants:
            columns["holds"] = self.holds
        return pd.DataFrame(columns)

    def __repr__(self) -> str:
        """Return the numbers and metrics."""
        over = ", ".join(number.path for number in self.free)
        return safe_line(f"<Exploration of {len(self.numbers)} places over {over}>")

    def __str__(self) -> str:
        """Return the results as text."""
        return safe_output("\n".join(self.lines))

    @property
    def lines(self) -> list[str]:
        """Results in sentences: ranges of the metrics, shares, and where all wants hold."""
        over = ", ".join(
            f"{number.path} from {number.low:g} to {number.high:g}" for number in self.free
        )
        lines = [f"{len(self.numbers):,} places over {over}, at {self.rate:g} fps"]
        for n, metric in enumerate(self.metrics):
            lines.append(self._range_line(n, metric))
            shares = [share for share in self.sensitivity if share.metric.endswith(metric)]
            if shares:
                lines.append(f"  {_share_line(shares)}")
        if self.wants:
            lines.append(self._holding_line())
        return lines

    def _range_line(self, n: int, metric: str) -> str:
        column, unit = self.values[:, n], f" {self.units[n]}" if self.units[n] else ""
        if np.isnan(column).all():
            return f"{self.crafts[n]} {metric}: no number anywhere"
        least, most = float(np.nanmin(column)), float(np.nanmax(column))
        now = "none" if math.isnan(self.now[n]) else f"{self.now[n]:.4g}"
        none = int(np.isnan(column).sum())
        gaps = f"; no number at {none:,} places" if none else ""
        return f"{self.crafts[n]} {metric}: {least:.4g} to {most:.4g}{unit}, {now} as written{gaps}"

    def _holding_line(self) -> str:
        share = float(self.holds.mean())
        if share == 0.0:
            return "All wants hold nowhere in these ranges."
        inside = self.numbers[self.holds]
        spans = ", ".join(
            f"{number.path} {inside[:, n].min():.4g} to {inside[:, n].max():.4g}"
            for n, number in enumerate(self.free)
        )
        return f"All wants hold at {share:.1%} of the places: {spans}."


def _share_line(shares: list[Sensitivity]) -> str:
    """Return the share of each number, the largest first."""
    ranked = sorted(shares, key=lambda share: -share.whole)
    shown = [
        f"{_percent(share.whole)} {share.path} "
        f"({_percent(share.whole_low)} to {_percent(share.whole_high)})"
        for share in ranked
        if share.whole > LITTLE
    ]
    none = [share.path for share in ranked if share.whole <= LITTLE]
    text = f"varies with {', '.join(shown)}" if shown else "varies with none of them"
    return f"{text}; not with {', '.join(none)}" if none and shown else text


def _percent(share: float) -> str:
    """Return a share as text: an estimate may lie slightly below 0 or above 1."""
    return f"{100.0 * min(max(share, 0.0), 1.0):.0f} %"
