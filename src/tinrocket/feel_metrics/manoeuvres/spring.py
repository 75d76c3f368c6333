"""The spring: let go at a distance from where it rests, without any input."""

import numpy as np

from tinrocket.feel_metrics.answers import NOT_YET, Answer, Answers
from tinrocket.feel_metrics.course import SECONDS, Course
from tinrocket.feel_metrics.metric import Manoeuvre, Metric
from tinrocket.feel_metrics.response import peak
from tinrocket.scenario.rules import Spring

AWAY = 1.0
"""Smallest distance from the place of rest that is measured [px]."""
MEANT = 0.002
"""Share of the first distance below which a swing is rounding."""


def _fly(course: Course) -> Answers:
    if not any(isinstance(rule, Spring) for rule in course.craft.rules):
        return {}
    flown = course.fly(seconds=2 * SECONDS)
    late = flown.t > 1.8 * SECONDS
    end = float(flown.x[late].mean()), float(flown.y[late].mean())
    away = end[0] - float(flown.x[0]), end[1] - float(flown.y[0])
    distance = float(np.hypot(*away))
    if distance < AWAY:
        return {"spring frequency": NOT_YET, "spring overshoot": NOT_YET}
    along = (flown.x - flown.x[0]) * away[0] + (flown.y - flown.y[0]) * away[1]
    off = along / distance - distance  # negative on the near side of the place of rest
    passes = np.flatnonzero((off[:-1] < 0.0) != (off[1:] < 0.0))
    swings = [n for n in passes if np.abs(off[n + 1 :]).max() > MEANT * distance]
    _moment, top = peak(flown.t, off)
    answers: Answers = {"spring overshoot": Answer(100.0 * max(top, 0.0) / distance)}
    if len(swings) < 2:
        return answers | {"spring frequency": NOT_YET}
    first, last = (
        float(flown.t[n] - off[n] * (flown.t[n + 1] - flown.t[n]) / (off[n + 1] - off[n]))
        for n in (swings[0], swings[-1])
    )
    return answers | {"spring frequency": Answer((len(swings) - 1) / (2.0 * (last - first)))}


SPRING = Manoeuvre(
    "spring",
    (
        Metric(
            "spring frequency",
            "/s",
            "How often it swings to and fro in a second, from the first pass of where it comes to "
            "rest to the last that is more than rounding, without any input.",
        ),
        Metric(
            "spring overshoot",
            "%",
            "How far it goes beyond that place at first, as a share of how far off it began.",
        ),
    ),
    _fly,
)
