"""The feel sheet: each metric at each frame rate, beside the tuned one."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from tinrocket.errors import UnknownNameError, nearest
from tinrocket.feel_metrics.answers import NO_CONTACT, ROUNDING, Answer
from tinrocket.feel_metrics.course import Course
from tinrocket.feel_metrics.metric import Metric, Perceptible, now_called
from tinrocket.feel_metrics.uneven import Uneven
from tinrocket.rendering import html_of
from tinrocket.texts import safe_line, safe_output

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, slots=True)
class FeelRow:
    """A metric of a craft at one pacing.

    Attributes
    ----------
    variant, craft, manoeuvre, metric
        Of what.
    clock, rate
        How frames are paced, in words and in frames per second.
    answer
        The number; over seeds, their median.
    tuned
        The answer at the tuned rate.
    differs
        Whether the two differ perceptibly.
    low, high
        Over seeds: their 5th and 95th percentile; else NaN.
    """

    variant: str
    craft: str
    manoeuvre: str
    metric: Metric
    clock: str
    rate: float
    answer: Answer
    tuned: Answer
    differs: bool
    low: float = math.nan
    high: float = math.nan

    @property
    def change(self) -> float:
        """Difference from the tuned number, in its unit."""
        return self.answer.value - self.tuned.value

    @property
    def percent(self) -> float:
        """The change in percent of the tuned number; NaN if that is missing or 0."""
        if abs(self.change) <= ROUNDING * abs(self.tuned.value):
            return 0.0
        if self.tuned.value == 0.0:
            return math.nan
        return 100.0 * self.change / abs(self.tuned.value)

    @property
    def weight(self) -> float:
        """Sort key of the change, larger is worse; a number that went missing is inf."""
        if self.answer.note != self.tuned.note:
            return math.inf if NO_CONTACT not in (self.answer, self.tuned) else 0.0
        if self.metric.unit == "%":
            return abs(float(np.nan_to_num(self.change)))
        percent = self.percent
        return 1e9 if math.isnan(percent) and self.change else abs(np.nan_to_num(percent))


@dataclass(frozen=True, eq=False, repr=False)
class FeelSheet:
    """The feel metrics of a scenario.

    Attributes
    ----------
    title
        Title of the scenario.
    tuned_at
        Tuned frames per second.
    rows
        A row for each number, craft, variant and pacing.
    perceptible
        Smallest difference at which numbers count as different.
    unit
        Unit of lengths.
    uneven
        Unevenness of the frames, if any.
    tape_differs
        Over seeds, for each variant and clock: the share of seeds in which the scenario's own
        tape has another outcome than as tuned.
    courses
        For each variant and craft the course at the tuned rate.
    written
        For each craft, manoeuvre and metric the number of the scenario as written at the tuned
        rate, if anything is varied.
    """

    title: str
    tuned_at: float
    rows: tuple[FeelRow, ...]
    perceptible: Perceptible
    unit: str
    uneven: Uneven | None = None
    tape_differs: dict[tuple[str, str], float] = field(default_factory=dict)
    courses: dict[tuple[str, str], Course] = field(default_factory=dict, repr=False)
    written: dict[tuple[str, str, Metric], Answer] = field(default_factory=dict, repr=False)

    def __repr__(self) -> str:
        """Return the size of the sheet and its title."""
        count = len({(row.craft, row.metric.name) for row in self.rows})
        differ = f"{len(self.differing)} differ"
        return safe_line(f"<FeelSheet of '{self.title}': {count} numbers, {differ}>")

    def __str__(self) -> str:
        """Return the table as text."""
        shown = ["craft", "manoeuvre", "metric", "clock", "value", "note", "unit", "change_percent"]
        table = self.table[shown]
        return safe_output(table.to_string(index=False, float_format="{:.4g}".format, na_rep="-"))

    def _repr_html_(self) -> str:
        """Return the table as a notebook shows it."""
        return html_of(self)

    @cached_property
    def table(self) -> "pd.DataFrame":
        """A row for each number, craft, variant and clock.

        variant, craft, manoeuvre, metric, clock, fps, value (NaN if there is none, with the reason
        in note), unit, tuned and tuned_note, change, change_percent, differs (by more than is
        perceptible), low and high (of 5 to 95 % of seeds), definition.
        """
        import pandas as pd

        return pd.DataFrame(
            [
                {
                    "variant": row.variant,
                    "craft": row.craft,
                    "manoeuvre": row.manoeuvre,
                    "metric": row.metric.name,
                    "clock": row.clock,
                    "fps": row.rate,
                    "value": row.answer.value,
                    "note": row.answer.note,
                    "unit": shown_unit(row.metric.unit, self.unit),
                    "tuned": row.tuned.value,
                    "tuned_note": row.tuned.note,
                    "change": row.change,
                    "change_percent": row.percent,
                    "differs": row.differs,
                    "low": row.low,
                    "high": row.high,
                    "definition": row.metric.definition,
                }
                for row in self.rows
            ]
        )

    @property
    def differing(self) -> tuple[FeelRow, ...]:
        """The rows that differ perceptibly, the worst first."""
        rows = [row for row in self.rows if row.differs]
        return tuple(sorted(rows, key=lambda row: -row.weight))

    @property
    def agrees(self) -> bool:
        """Whether no number differs perceptibly."""
        return not self.differing

    @property
    def clocks(self) -> tuple[tuple[float, str], ...]:
        """Rate and description of each pacing, once each."""
        return tuple(dict.fromkeys((row.rate, row.clock) for row in self.rows))

    @property
    def variants(self) -> tuple[str, ...]:
        """The distinct variants."""
        return tuple(dict.fromkeys(row.variant for row in self.rows))

    @property
    def craft(self) -> tuple[str, ...]:
        """The distinct craft."""
        return tuple(dict.fromkeys(row.craft for row in self.rows))

    def whose(self, craft: str | None = None) -> str:
        """Return a craft of the sheet; by default the one with the most metrics.

        Raises
        ------
        UnknownNameError
            If there is no such craft.
        """

        def told(name: str) -> int:
            return sum(1 + row.differs for row in self.rows if row.craft == name)

        return _known(craft, self.craft) or max(self.craft, key=told)

    def which(self, variant: str | None = None) -> str:
        """Return a variant of the sheet, or the first; UnknownNameError if there is none."""
        return _known(variant, self.variants) or self.variants[0]

    def number(self, metric: str, clock: str | None = None, craft: str | None = None) -> Answer:
        """Return a metric at a clock, by its description (default: the tuned clock).

        Raises
        ------
        UnknownNameError
            If no metric, clock or craft has that name.
        """
        for requested, known in (
            (metric, {row.metric.name for row in self.rows}),
            (clock, {row.clock for row in self.rows}),
            (craft, set(self.craft)),
        ):
            if requested is not None and requested not in known:
                raise UnknownNameError(
                    f"the sheet has no '{requested}'{now_called(requested, sorted(known))}"
                )
        for row in self.rows:
            if row.metric.name == metric and craft in (None, row.craft):
                if clock is None:
                    return row.tuned
                if clock == row.clock:
                    return row.answer
        raise UnknownNameError(f"the sheet has no '{metric}' of '{craft}' at {clock}")


def _known(requested: str | None, known: Sequence[str]) -> str | None:
    if requested is not None and requested not in known:
        raise UnknownNameError(f"the sheet has no '{requested}'{nearest(requested, known)}")
    return requested


def shown_unit(unit: str, length: str) -> str:
    """Return a unit with the arena's name of lengths."""
    return unit.replace("px", length)
