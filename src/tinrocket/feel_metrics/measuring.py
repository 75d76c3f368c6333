"""Measuring feel: every craft, variant and pacing, each beside the tuned one."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from tinrocket.comparison.comparison import AS_WRITTEN
from tinrocket.errors import OptionError, UnknownNameError, expect, nearest
from tinrocket.feel_metrics.answers import NO_CONTACT, NOT_THIS, Answer, Answers, without_rounding
from tinrocket.feel_metrics.course import Course
from tinrocket.feel_metrics.manoeuvres import BUILT_IN
from tinrocket.feel_metrics.metric import REGISTERED, Manoeuvre, Metric, Perceptible
from tinrocket.feel_metrics.sheet import FeelRow, FeelSheet
from tinrocket.feel_metrics.uneven import Uneven
from tinrocket.flight.record import Progress
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.vary import Vary, combinations, label
from tinrocket.trajectory.clocks import at_paces, paces, resolved_clock
from tinrocket.trajectory.trajectory import Trajectory

SLOWEST, FASTEST = 1.0, 2000.0
"""Range of frame rates at which feel is measured [frames/s]."""


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
        The scenario.
    rates
        Frames per second; the scenario's clock is kept otherwise.  With no rates and no
        clocks: 30, 60 and 144.
    clocks
        Further ways to pace the frames.
    vary
        Values for dotted paths, as for `compare`.
    craft
        Name of the craft (default: every craft with rules that make a manoeuvre possible).
    perceptible
        Smallest difference at which two numbers count as different.
    uneven
        Flies with uneven frames, over many seeds, and reports medians and spans.
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

    Examples
    --------
    >>> sheet = tr.feel(tr.read_demo("rocket"), rates=[30])
    >>> round(sheet.number("top speed").value, 1)
    330.0
    >>> round(sheet.number("top speed", "30 fps").value, 1)
    165.0
    """
    expect(scenario, Scenario, "feel()", "read one with read_scenario('file.toml')")
    judged = Perceptible() if perceptible is None else perceptible
    expect(judged, Perceptible, "feel(perceptible=...)", "make one with Perceptible(share=0.05)")
    if uneven is not None:
        expect(uneven, Uneven, "feel(uneven=...)", "make one with Uneven(jitter=0.002)")
    rates, clocks = paces("feel()", rates, clocks)
    variants = list(combinations(scenario, vary))
    chosen = _chosen(scenario, craft)
    for rate in (scenario.tuned_at, *rates, *(clock.rate for clock in clocks if clock.rate)):
        if not SLOWEST <= rate <= FASTEST:
            raise OptionError(
                f"feel is measured from {SLOWEST:g} to {FASTEST:,.0f} fps, not at {rate:g}"
            )
    count = len(variants) * len(chosen) * (len(rates) + len(clocks))
    counter = _Counter(progress, count * (uneven.seeds if uneven else 1))
    written: dict[tuple[str, str, Metric], Answer] = {}
    if vary:
        games = dict[Clock, Trajectory | None]()
        for member in (scenario.craft[index] for index in chosen):
            course = Course(scenario, member, Clock(rate=scenario.tuned_at), games)
            written |= {(member.name, *key): now for key, now in _measured(course).items()}
    rows: list[FeelRow] = []
    courses: dict[tuple[str, str], Course] = {}
    differs: dict[tuple[str, str], float] = {}
    for changed, variant in variants:
        name, games = label(changed) or AS_WRITTEN, dict[Clock, Trajectory | None]()
        paced = [resolved_clock(variant, clock) for clock in at_paces(variant.clock, rates, clocks)]
        for index in chosen:
            member = variant.craft[index]
            course = Course(variant, member, Clock(rate=variant.tuned_at), games)
            courses[name, member.name] = course
            tuned = _measured(course)
            for clock in paced:
                rows += _rows(name, course, clock, tuned, judged, uneven, counter)
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


@dataclass(slots=True)
class _Counter:
    """Reports how many courses are done."""

    progress: Progress | None
    count: int
    done: int = 0

    def after(self, measured: "Measured") -> "Measured":
        """Count a course that is done; return its answers."""
        self.done += 1
        if self.progress is not None:
            self.progress(self.done, self.count)
        return measured


def _chosen(scenario: Scenario, craft: str | None) -> list[int]:
    """Return the indices of the craft to measure."""
    names = [member.name for member in scenario.craft]
    if craft is not None and craft not in names:
        raise UnknownNameError(f"there is no craft '{craft}'{nearest(craft, names)}")
    return [n for n, name in enumerate(names) if craft in (None, name)]


Measured = dict[tuple[str, Metric], Answer]


def _measured(course: Course) -> Measured:
    """Return the answers of each manoeuvre that is possible."""
    measured: Measured = {}
    for manoeuvre in (*BUILT_IN, *REGISTERED.manoeuvres.values()):
        answers = manoeuvre.answers(course)
        for metric, answer in _named(manoeuvre, answers):
            if answer is not NOT_THIS:
                measured[manoeuvre.name, metric] = without_rounding(answer)
    return measured


def _named(manoeuvre: Manoeuvre, answers: Answers) -> list[tuple[Metric, Answer]]:
    """Return answers with their metrics; one of several, such as of each edge, has its name too."""
    return [
        (metric if name == metric.name else replace(metric, name=name), answer)
        for metric in manoeuvre.metrics
        for name, answer in answers.items()
        if metric.is_answered_by(name)
    ]


def _rows(
    variant: str,
    course: Course,
    clock: Clock,
    tuned: Measured,
    judged: Perceptible,
    uneven: Uneven | None,
    counter: "_Counter",
) -> list[FeelRow]:
    pacing = clock.describe()
    rate = clock.average_rate(course.whole.tuned_at)
    spans: dict[tuple[str, Metric], tuple[float, float]] = {}
    if uneven is None:
        answers = counter.after(_measured(course.at(clock)))
    else:
        pacing = f"{pacing}, {uneven.describe()}"
        several = [
            counter.after(_measured(course.at(uneven_clock)))
            for uneven_clock in uneven.clocks(clock)
        ]
        answers = {}
        for key in dict.fromkeys(key for answer in several for key in answer):
            answers[key], spans[key] = median([answer.get(key, NOT_THIS) for answer in several])
    missing = (math.nan, math.nan)
    at = course.whole.tuned_at
    return [
        FeelRow(
            *(variant, course.craft.name, *key, pacing, rate),
            answer=(now := answers.get(key, _nothing(key[1]))),
            tuned=(then := tuned.get(key, _nothing(key[1]))),
            differs=judged.differ(key[1], now, then, at),
            low=spans.get(key, missing)[0],
            high=spans.get(key, missing)[1],
        )
        for key in dict.fromkeys((*tuned, *answers))
    ]


def _nothing(metric: Metric) -> Answer:
    """Return the note of a missing number: nothing was met, or only by other craft."""
    return NO_CONTACT if metric.several else NOT_THIS


def median(answers: Sequence[Answer]) -> tuple[Answer, tuple[float, float]]:
    """Return the median of the answers of several seeds, and their span of 5 to 95 %.

    If most have no number, the answer has none.
    """
    numbers = [answer.value for answer in answers if not answer.note]
    if 2 * len(numbers) <= len(answers):
        words = [answer for answer in answers if answer.note]
        return max(words, key=words.count), (math.nan, math.nan)
    low, middle, high = np.quantile(numbers, [0.05, 0.5, 0.95]).tolist()
    return Answer(middle), (low, high)
