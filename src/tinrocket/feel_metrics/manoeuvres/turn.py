"""The turn: rate of turn, and the width of the circle at top speed."""

import math

import numpy as np

from tinrocket.feel_metrics.answers import (
    NEVER,
    NOT_THIS,
    NOT_YET,
    UNBOUNDED,
    Answer,
    Answers,
    found,
)
from tinrocket.feel_metrics.course import SECONDS, Course, Flown, Held
from tinrocket.feel_metrics.manoeuvres.straight import MOVES, straight_run
from tinrocket.feel_metrics.metric import Curve, Manoeuvre, Metric
from tinrocket.feel_metrics.response import course_rate, crossing, folded, settled

LATE = 5.0
"""The last seconds of a turn, when it is steady."""
SHOWN_BEFORE, SHOWN_AFTER = 0.3, 5.0
"""Time that is drawn before and after the press [s]."""


def _fly(course: Course) -> Answers:
    way = course.controls.first("turn right", "turn left")
    if way is None:
        return {}
    hold = course.controls.hold(way)
    flown = course.fly(Held(hold))
    turned = np.abs(flown.heading - flown.heading[0])
    rates = np.concatenate([[0.0], np.diff(turned) / np.diff(flown.t)])
    if rates.max() <= MOVES:
        return {metric.name: NEVER for metric in TURN.metrics[:3]} | {"turn rate": Answer(0.0)}
    # rate in a frame: the change of the heading in it
    rate = settled(flown.vt, rates)
    swing = UNBOUNDED if rate is None else found(crossing(flown.vt, rates, 0.9 * rate), NOT_YET)
    answers = {
        "turn rate": UNBOUNDED if rate is None else Answer(rate),
        "half turn": found(crossing(flown.t, turned, 180.0), NOT_YET),
        "time to 90 % of the rate": swing,
    }
    return answers | _circle(course)


def _turning(course: Course) -> Flown | None:
    """Turn at top speed; None if it does not fly where it points."""
    way = course.controls.first("turn right", "turn left")
    run = straight_run(course)
    if way is None or run is None or course.controls.straight not in (None, "ahead"):
        return None
    script = (Held(run.hold), Held(course.controls.hold(way), SECONDS))
    return course.fly(*script, seconds=2 * SECONDS)


def _circle(course: Course) -> Answers:
    """Measure the circle that is flown while turning at top speed."""
    flown = _turning(course)
    if flown is None:
        return {"turn radius": NOT_THIS, "drift angle": NOT_THIS}
    late = flown.since(2 * SECONDS - LATE)
    rate = math.radians(course_rate(late.vt[1:], late.vx[1:], late.vy[1:]))
    speed = float(late.speed[1:].mean())
    if abs(rate) < 1e-3 or speed <= MOVES:
        return {"turn radius": NEVER, "drift angle": NEVER}
    way = np.degrees(np.arctan2(late.vy, late.vx))
    apart = folded(float(0.5 * (late.heading[-1] + late.heading[-2]) - way[-1])) * (
        1.0 if rate > 0.0 else -1.0
    )
    return {"turn radius": Answer(speed / abs(rate)), "drift angle": Answer(apart)}


def _curve(course: Course) -> Curve | None:
    flown = _turning(course)
    if flown is None:
        return None
    begun = flown.since(SECONDS - SHOWN_BEFORE)
    n = int(np.searchsorted(begun.t, SHOWN_BEFORE + SHOWN_AFTER)) + 1
    at = int(np.searchsorted(begun.t, SHOWN_BEFORE - course.frame / 2))
    x, y = begun.x - begun.x[at], begun.y - begun.y[at]
    return Curve(x[:n], y[:n], "x [px]", "y, up [px]", ((0.0, 0.0, "the press"),), path=True)


TURN = Manoeuvre(
    "turn",
    (
        Metric("turn rate", "deg/s", "How fast the heading turns while the turn is held."),
        Metric("half turn", "s", "From the press, at rest, until it points the other way."),
        Metric(
            "time to 90 % of the rate",
            "s",
            "From the press until it turns at 90 % of that rate.",
        ),
        Metric(
            "turn radius",
            "px",
            "Of the circle it flies, driven and turning for 20 s from top speed on: "
            "speed over the rate at which its way turns, v / w.",
        ),
        Metric("drift angle", "deg", "By how much it points into the turn, from where it goes."),
    ),
    _fly,
    _curve,
)
