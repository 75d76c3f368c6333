"""The view: its lag behind the craft that it follows."""

import numpy as np

from tinrocket.feel_metrics.answers import NOT_YET, UNBOUNDED, Answer, Answers, found
from tinrocket.feel_metrics.course import SECONDS, Course, Floats, Flown, Held
from tinrocket.feel_metrics.manoeuvres.straight import MOVES, straight_run
from tinrocket.feel_metrics.metric import Manoeuvre, Metric
from tinrocket.feel_metrics.response import crossing, settled

AWAY = 100.0
"""Distance from the craft at which the view begins to catch up [px]."""


def _fly(course: Course) -> Answers:
    view = course.whole.view
    if view is None or view.follow != course.craft.name:
        return {}
    axis = "y" if view.axis == "y" else "x"
    answers: dict[str, Answer] = {}
    run = straight_run(course)
    if run is not None:
        flown = course.viewed(Held(run.hold), seconds=SECONDS)
        behind = _behind(flown, "x") * run.direction[0] + _behind(flown, "y") * run.direction[1]
        lag, speed = settled(flown.t, behind), float(flown.speed[-1])
        if abs(behind[-1]) <= MOVES:
            lag = 0.0
        answers["view lag"] = UNBOUNDED if lag is None else Answer(lag)
        if speed > MOVES:
            answers["view delay"] = UNBOUNDED if lag is None else Answer(lag / speed)
    away = course.viewed(away=AWAY)
    left = np.abs(_behind(away, axis))
    answers["time to catch up"] = found(crossing(away.t, left, 0.1 * AWAY), NOT_YET)
    return answers


def _behind(flown: Flown, axis: str) -> Floats:
    """Return the distance of the craft ahead of the middle of the view [px], y up."""
    track = flown.flight.track(flown.craft)
    view = flown.flight.view or (0.0, 0.0)
    middle = track[f"view_{axis}"] + view[axis == "y"] / 2
    up = flown.y[0] / track["y_unwrapped"][0] if axis == "y" else 1.0
    ahead: Floats = (track[axis] - middle) * up
    return ahead


VIEW = Manoeuvre(
    "view",
    (
        Metric(
            "view lag",
            "px",
            "How far the craft is ahead of the middle of the view after 20 s at top speed; "
            "below zero the view leads.",
        ),
        Metric("view delay", "s", "The same as time: lag over speed."),
        Metric(
            "time to catch up",
            "s",
            "From a view that begins 100 px beside a craft at rest until 10 px are left.",
        ),
    ),
    _fly,
)
