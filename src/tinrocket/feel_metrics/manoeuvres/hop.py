"""The hop above the ground."""

from tinrocket.feel_metrics.answers import Answers
from tinrocket.feel_metrics.controls import press_of
from tinrocket.feel_metrics.course import Course
from tinrocket.feel_metrics.manoeuvres.flap import leap, rise_curve
from tinrocket.feel_metrics.metric import Curve, Manoeuvre, Metric
from tinrocket.scenario.rules import Hop


def _fly(course: Course) -> Answers:
    rule = next((each_rule for each_rule in course.craft.rules if isinstance(each_rule, Hop)), None)
    if rule is None:
        return {}
    flown = course.tap(press_of(course.place, rule))
    height = flown.flight.track(flown.craft)["height"]
    return dict(
        zip(
            ("hop apex", "time to hop apex", "time to the ground"), leap(flown, height), strict=True
        )
    )


def _curve(course: Course) -> Curve | None:
    rule = next((each_rule for each_rule in course.craft.rules if isinstance(each_rule, Hop)), None)
    if rule is None:
        return None
    flown = course.tap(press_of(course.place, rule))
    return rise_curve(flown, flown.flight.track(flown.craft)["height"])


HOP = Manoeuvre(
    "hop",
    (
        Metric("hop apex", "px", "How high one hop goes."),
        Metric("time to hop apex", "s", "From the frame that sees the tap to the highest point."),
        Metric("time to the ground", "s", "From that frame until it is on the ground again."),
    ),
    _fly,
    _curve,
)
