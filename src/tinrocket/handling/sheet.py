"""The feel sheet: each number at each frame rate, beside the one it was tuned to."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property
from importlib import import_module

import numpy as np
import pandas as pd

from tinrocket.analysis.clocks import resolved_clock
from tinrocket.analysis.trajectory import Trajectory
from tinrocket.errors import OptionError, UnknownNameError, expect, nearest
from tinrocket.flight.batch import Progress
from tinrocket.handling.answers import NO_CONTACT, NOT_THIS, Answer, Answers
from tinrocket.handling.course import Course
from tinrocket.handling.manoeuvres import BUILT_IN
from tinrocket.handling.metric import REGISTERED, Manoeuvre, Metric, Perceptible
from tinrocket.handling.uneven import Uneven
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.vary import Vary, combinations, label

AS_WRITTEN = "as written"
SLOWEST, FASTEST = 1.0, 2000.0
"""Between these frame rates there is a feel to speak of [frames/s]."""
RATES = (30.0, 60.0, 144.0)


@dataclass(frozen=True, slots=True)
class FeelRow:
    """One number of one craft at one pacing.

    Attributes
    ----------
    variant, craft, manoeuvre, metric
        Of what.
    clock, rate
        How frames are paced, in words and in frames per second.
    answer
        The number; over seeds, their median.
    tuned
        What it is at the rate it was tuned at.
    differs
        Whether the two are told apart.
    low, high
        Over seeds: between these are 5 to 95 % of them; else NaN.
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
        """By how much it differs from the tuned number, in its unit."""
        return self.answer.value - self.tuned.value

    @property
    def percent(self) -> float:
        """The same as a percentage of the tuned number; NaN where that is none or 0."""
        if not self.tuned.value:
            return 0.0 if self.change == 0.0 else math.nan
        return 100.0 * self.change / abs(self.tuned.value)

    @property
    def weight(self) -> float:
        """By which the worst change comes first: what is no longer a number before all others."""
        if self.answer.said != self.tuned.said:
            return math.inf if NO_CONTACT not in (self.answer, self.tuned) else 0.0
        if self.metric.unit == "%":
            return abs(float(np.nan_to_num(self.change)))
        percent = self.percent
        return 1e9 if math.isnan(percent) and self.change else abs(np.nan_to_num(percent))


@dataclass(frozen=True, eq=False, repr=False)
class FeelSheet:
    """The numbers of feel of a scenario.

    Attributes
    ----------
    title
        What was flown.
    tuned_at
        Frames per second it was tuned at.
    rows
        A row for each number, craft, variant and pacing.
    perceptible
        From which difference on numbers are told apart.
    unit
        What lengths are counted in.
    uneven
        How uneven frames were, if they were.
    tape_differs
        Over seeds, for each variant and clock: the share of seeds in which the scenario's own
        tape has another outcome than as tuned.
    courses
        For each variant and craft where its manoeuvres are flown at the tuned rate.
    written
        For each craft, manoeuvre and metric the number of the scenario as written, as tuned; if
        anything is varied.
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
        """Return how many numbers there are, and of what."""
        count = len({(row.craft, row.metric.name) for row in self.rows})
        return f"<FeelSheet of '{self.title}': {count} numbers, {len(self.differing)} differ>"

    def __str__(self) -> str:
        """Return the table as text."""
        kept = ["craft", "manoeuvre", "number", "clock", "value", "said", "unit", "change_percent"]
        return self.table[kept].to_string(index=False, float_format="{:.4g}".format, na_rep="-")

    def _repr_html_(self) -> str:
        """Return the table as a notebook shows it."""
        html: str = import_module("tinrocket.show.notebook").feel_html(self)
        return html

    @cached_property
    def table(self) -> pd.DataFrame:
        """A row for each number, craft, variant and clock.

        variant, craft, manoeuvre, number, clock, fps, value (NaN if there is none) and said
        (then why), unit, tuned and tuned_said, change, change_percent, differs (by more than is
        perceptible), low and high (of 5 to 95 % of seeds), definition.
        """
        return pd.DataFrame(
            [
                {
                    "variant": row.variant,
                    "craft": row.craft,
                    "manoeuvre": row.manoeuvre,
                    "number": row.metric.name,
                    "clock": row.clock,
                    "fps": row.rate,
                    "value": row.answer.value,
                    "said": row.answer.said,
                    "unit": shown_unit(row.metric.unit, self.unit),
                    "tuned": row.tuned.value,
                    "tuned_said": row.tuned.said,
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
        """The rows that differ by more than is perceptible, the worst first."""
        rows = [row for row in self.rows if row.differs]
        return tuple(sorted(rows, key=lambda row: -row.weight))

    @property
    def agrees(self) -> bool:
        """Whether no number differs by more than is perceptible."""
        return not self.differing

    @property
    def clocks(self) -> tuple[tuple[float, str], ...]:
        """Rate and description of each pacing, once each."""
        return tuple(dict.fromkeys((row.rate, row.clock) for row in self.rows))

    @property
    def variants(self) -> tuple[str, ...]:
        """What was changed, once each."""
        return tuple(dict.fromkeys(row.variant for row in self.rows))

    @property
    def craft(self) -> tuple[str, ...]:
        """Whose numbers these are, once each."""
        return tuple(dict.fromkeys(row.craft for row in self.rows))

    def number(self, metric: str, clock: str | None = None, craft: str | None = None) -> Answer:
        """Return one number: at a clock by its description, else as tuned.

        Raises
        ------
        UnknownNameError
            If there is none of that name, clock or craft.
        """
        for asked, known in (
            (metric, {row.metric.name for row in self.rows}),
            (clock, {row.clock for row in self.rows}),
            (craft, set(self.craft)),
        ):
            if asked is not None and asked not in known:
                raise UnknownNameError(f"the sheet has no '{asked}'{nearest(asked, sorted(known))}")
        for row in self.rows:
            if row.metric.name == metric and craft in (None, row.craft):
                if clock is None:
                    return row.tuned
                if clock == row.clock:
                    return row.answer
        raise UnknownNameError(f"the sheet has no '{metric}' of '{craft}' at {clock}")


def shown_unit(unit: str, length: str) -> str:
    """Return a unit with lengths as the arena calls them."""
    return unit.replace("px", length)


def feel(
    scenario: Scenario,
    rates: Sequence[float] = (),
    clocks: Sequence[Clock] = (),
    vary: Vary | None = None,
    craft: str | None = None,
    perceptible: Perceptible | None = None,
    uneven: Uneven | None = None,
    progress: Progress | None = None,
) -> FeelSheet:
    """Fly standard manoeuvres with each craft and measure them at several frame rates.

    Parameters
    ----------
    scenario
        What to fly.
    rates
        Frames per second; the scenario's clock is kept otherwise.  With no rates and no
        clocks: 30, 60 and 144.
    clocks
        Further ways to pace the frames.
    vary
        Values for dotted paths, as for `compare`.
    craft
        Whose feel; that of every craft whose rules make any manoeuvre possible, if not given.
    perceptible
        From which difference on two numbers are told apart.
    uneven
        Flies with uneven frames, over many seeds, and tells medians and spans.
    progress
        Called with how many courses are done, and of how many.

    Returns
    -------
    FeelSheet
        Each number beside the one at the rate the scenario was tuned at, on steady frames.

    Raises
    ------
    UnknownNameError
        If there is no such craft.
    OptionError
        If no craft has a number to measure.
    """
    expect(scenario, Scenario, "feel()", "read one with read_scenario('file.toml')")
    judged = perceptible or Perceptible()
    if len(rates) == 0 and len(clocks) == 0:
        rates = RATES
    variants = list(combinations(scenario, vary))
    chosen = _chosen(scenario, craft)
    for rate in (scenario.tuned_at, *rates, *(clock.rate for clock in clocks if clock.rate)):
        if not SLOWEST <= rate <= FASTEST:
            raise OptionError(
                f"feel is measured from {SLOWEST:g} to {FASTEST:,.0f} fps, not at {rate:g}"
            )
    count = len(variants) * len(chosen) * (len(rates) + len(clocks))
    written: dict[tuple[str, str, Metric], Answer] = {}
    if vary:
        games = dict[Clock, Trajectory | None]()
        for one in (scenario.craft[index] for index in chosen):
            course = Course(scenario, one, Clock(rate=scenario.tuned_at), games)
            written |= {(one.name, *key): now for key, now in _measured(course).items()}
    rows: list[FeelRow] = []
    courses: dict[tuple[str, str], Course] = {}
    differs: dict[tuple[str, str], float] = {}
    for changed, variant in variants:
        name, games = label(changed) or AS_WRITTEN, dict[Clock, Trajectory | None]()
        paced = [
            resolved_clock(variant, clock)
            for clock in (*(variant.clock.at_rate(float(rate)) for rate in rates), *clocks)
        ]
        for index in chosen:
            one = variant.craft[index]
            course = Course(variant, one, Clock(rate=variant.tuned_at), games)
            courses[name, one.name] = course
            tuned = _measured(course)
            for clock in paced:
                rows += _rows(name, course, clock, tuned, judged, uneven)
                if progress is not None:
                    count_done = len({(row.variant, row.craft, row.clock) for row in rows})
                    progress(min(count_done, count), count)
        if uneven is not None:
            differs |= {
                (name, clock.describe()): uneven.outcome_differs(variant, clock) for clock in paced
            }
    if not rows:
        raise OptionError(
            "no craft has a number to measure: nothing can be pressed, falls, bounces or chases"
        )
    return FeelSheet(
        title=scenario.title,
        tuned_at=scenario.tuned_at,
        rows=tuple(rows),
        perceptible=judged,
        unit=scenario.arena.unit,
        uneven=uneven,
        tape_differs=differs,
        courses=courses,
        written=written,
    )


def _chosen(scenario: Scenario, craft: str | None) -> list[int]:
    """Return the places of the craft whose feel is asked for."""
    names = [one.name for one in scenario.craft]
    if craft is not None and craft not in names:
        raise UnknownNameError(f"there is no craft '{craft}'{nearest(craft, names)}")
    return [n for n, name in enumerate(names) if craft in (None, name)]


Measured = dict[tuple[str, Metric], Answer]


def _measured(course: Course) -> Measured:
    """Return what each manoeuvre that is possible answers."""
    found: Measured = {}
    for manoeuvre in (*BUILT_IN, *REGISTERED.manoeuvres.values()):
        answers = manoeuvre.answers(course)
        for metric, answer in _named(manoeuvre, answers):
            if answer is not NOT_THIS:
                found[manoeuvre.name, metric] = answer
    return found


def _named(manoeuvre: Manoeuvre, answers: Answers) -> list[tuple[Metric, Answer]]:
    return [(one, answers[one.name]) for one in manoeuvre.metrics if one.name in answers]


def _rows(
    variant: str,
    course: Course,
    clock: Clock,
    tuned: Measured,
    judged: Perceptible,
    uneven: Uneven | None,
) -> list[FeelRow]:
    told = clock.describe()
    rate = clock.rate or course.whole.tuned_at
    spans: dict[tuple[str, Metric], tuple[float, float]] = {}
    if uneven is None:
        answers = _measured(course.at(clock))
    else:
        told = f"{told}, {uneven.describe()}"
        several = [_measured(course.at(one)) for one in uneven.clocks(clock)]
        answers = {}
        for key in dict.fromkeys(key for one in several for key in one):
            answers[key], spans[key] = median([one.get(key, NOT_THIS) for one in several])
    missing = (math.nan, math.nan)
    at = course.whole.tuned_at
    return [
        FeelRow(
            *(variant, course.craft.name, *key, told, rate),
            answer=(now := answers.get(key, NOT_THIS)),
            tuned=(then := tuned.get(key, NOT_THIS)),
            differs=judged.differ(key[1], now, then, at),
            low=spans.get(key, missing)[0],
            high=spans.get(key, missing)[1],
        )
        for key in dict.fromkeys((*tuned, *answers))
    ]


def median(answers: Sequence[Answer]) -> tuple[Answer, tuple[float, float]]:
    """Return the median of what several seeds answer, and the span of 5 to 95 % of them.

    Where most have no number, that is the answer.
    """
    numbers = [one.value for one in answers if not one.said]
    if 2 * len(numbers) <= len(answers):
        words = [one for one in answers if one.said]
        return max(words, key=words.count), (math.nan, math.nan)
    low, middle, high = np.quantile(numbers, [0.05, 0.5, 0.95]).tolist()
    return Answer(middle), (low, high)
