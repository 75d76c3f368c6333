"""The feel metrics, their definitions, and the perceptible difference."""

from collections.abc import Callable, Collection
from dataclasses import dataclass, field

import numpy as np

from tinrocket.errors import FlightError, OptionError, nearest
from tinrocket.feel_metrics.answers import BLEW_UP, NO_CONTACT, NOT_THIS, Answer, Answers, found
from tinrocket.feel_metrics.course import Course, Floats
from tinrocket.feel_metrics.test_scenarios import NoPlaceError
from tinrocket.scenario.old_names import METRICS

STEP_RESPONSE = "step-response terms of control engineering: Franklin, Powell, Emami-Naeini, 3.4"
"""Feedback Control of Dynamic Systems, 7th edition, section 3.4, time-domain specifications."""


def now_called(name: str, known: Collection[str]) -> str:
    """Return the end of a message about an unknown metric: its new name, or the nearest known."""
    now = METRICS.get(name)
    return f"; renamed to '{now}'" if now in known else nearest(name, known)


@dataclass(frozen=True, slots=True)
class Metric:
    """A feel metric.

    Attributes
    ----------
    name
        The metric's name; printed with its manoeuvre where it is ambiguous.
    unit
        "s", "ms", "px", "px/s", "deg", "deg/s", "%", "/s", or empty for a plain ratio or count.
    definition
        A sentence that suffices to measure it by hand.
    source
        Source of the definition, if any.
    several
        Whether there is a number for each edge or body, such as ``speed kept: left``.
    """

    name: str
    unit: str
    definition: str
    source: str = ""
    several: bool = False

    def is_answered_by(self, name: str) -> bool:
        """Return whether an answer of this name belongs to the metric."""
        return name == self.name or (self.several and name.startswith(f"{self.name}: "))


@dataclass(frozen=True, slots=True)
class Curve:
    """The curve of a manoeuvre, for its picture.

    Attributes
    ----------
    x, y
        Of the line.
    xlabel, ylabel
        Labels of the axes, with units.
    marks
        Places on it (or levels it reaches) that the numbers come from: x, y, name.
    path
        Whether it is a path in the plane, to be drawn to scale.
    """

    x: Floats
    y: Floats
    xlabel: str
    ylabel: str
    marks: tuple[tuple[float, float, str], ...] = ()
    path: bool = False


def until(t: Floats, values: Floats, end: float) -> tuple[Floats, Floats]:
    """Return the curve up to a moment [s], and one frame more."""
    n = int(np.searchsorted(t, end)) + 1
    return t[:n], values[:n]


@dataclass(frozen=True, slots=True)
class Manoeuvre:
    """A standard way to fly, and the numbers it yields.

    Attributes
    ----------
    name
        Name in tables.
    metrics
        Metrics that it measures.
    fly
        Function that flies it and returns an answer for each metric, or an empty dict if the
        craft's rules do not make it possible. A metric with several numbers, such as one per edge,
        adds a name to each: ``"speed kept: left"``.
    curve
        Function that returns the curve; None if it would show no more than the numbers.
    """

    name: str
    metrics: tuple[Metric, ...]
    fly: Callable[[Course], Answers]
    curve: Callable[[Course], Curve | None] | None = None

    def answers(self, course: Course) -> Answers:
        """Fly the manoeuvre; if numbers blow up, the answers report that."""
        try:
            answers = self.fly(course)
            undeclared = [
                name
                for name in answers
                if not any(metric.is_answered_by(name) for metric in self.metrics)
            ]
            if undeclared:
                raise ValueError(f"'{self.name}' answers what it does not declare: {undeclared}")
            return answers
        except NoPlaceError:
            return {}
        except FlightError:
            return dict.fromkeys((metric.name for metric in self.metrics), BLEW_UP)


@dataclass(frozen=True, slots=True)
class Perceptible:
    """Smallest difference of two feel metrics that counts.

    A difference counts if it is more than a share of the tuned number, and more than an
    absolute one: some frames of the tuned rate for times, some pixels for lengths.

    Attributes
    ----------
    share
        Of the tuned number.  For speeds of moving dots on a screen, about 5 % is the least
        that observers discriminate (McKee 1981, Vision Research 21, 491-500); for others 5 % is a
        plain default.
    frames
        Tuned frames, for times.
    pixels
        For lengths.
    degrees
        For angles.
    percent
        Points of a percentage.
    """

    share: float = 0.05
    frames: float = 1.0
    pixels: float = 2.0
    degrees: float = 2.0
    percent: float = 2.0

    def __post_init__(self) -> None:
        """Refuse invalid differences."""
        for name in ("share", "frames", "pixels", "degrees", "percent"):
            if not getattr(self, name) >= 0.0:
                raise OptionError(f"a perceptible difference of {name} is at least 0")

    def least(self, unit: str, tuned: float, tuned_at: float) -> float:
        """Return the smallest difference from a tuned number that counts, in its unit."""
        absolute = {
            "s": self.frames / tuned_at,
            "ms": 1000.0 * self.frames / tuned_at,
            "px": self.pixels,
            "deg": self.degrees,
            "%": self.percent,
        }.get(unit, 0.0)
        return max(abs(tuned) * self.share, absolute)

    def differ(self, metric: Metric, answer: Answer, tuned: Answer, tuned_at: float) -> bool:
        """Return whether two answers differ perceptibly; a number and a missing one do."""
        if answer.note or tuned.note:
            return answer.note != tuned.note and NO_CONTACT not in (answer, tuned)
        least = self.least(metric.unit, tuned.value, tuned_at)
        return abs(answer.value - tuned.value) > least * (1.0 + 1e-9) + 1e-9


@dataclass(slots=True)
class _Registered:
    """Metrics registered in the running program, each with a manoeuvre of its own."""

    manoeuvres: dict[str, Manoeuvre] = field(default_factory=dict)


REGISTERED = _Registered()
"""The only mutable global: functions cannot come from a file."""

Measure = Callable[[Course], float]


def feel_metric(name: str, unit: str = "", definition: str = "") -> Callable[[Measure], Measure]:
    """Register a feel metric of your own.

    The function takes a `Course`, flies scripts with ``course.fly``, and returns the number; NaN
    means that the craft has no such metric.


    Parameters
    ----------
    name
        Name in the sheet.
    unit
        Unit; differences of "s", "px", "deg" and "%" are judged by frames, pixels,
        degrees and points, others by a share.
    definition
        A sentence (default: the function's docstring).

    Raises
    ------
    OptionError
        If a metric of that name exists already.
    """

    def register(measure: Measure) -> Measure:
        from tinrocket.feel_metrics.manoeuvres import BUILT_IN

        known = {metric.name for manoeuvre in BUILT_IN for metric in manoeuvre.metrics}
        if name in known:
            raise OptionError(f"'{name}' is a metric of Tin Rocket's; call this one something else")
        before = REGISTERED.manoeuvres.get(name)
        metric = Metric(name, unit, definition or (measure.__doc__ or "").strip())
        if before is not None and before.metrics[0] != metric:
            raise OptionError(f"'{name}' is registered already; call this one something else")

        def fly(course: Course) -> Answers:
            return {name: found(measure(course), NOT_THIS)}

        REGISTERED.manoeuvres[name] = Manoeuvre("own", (metric,), fly)
        return measure

    return register
