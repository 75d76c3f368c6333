"""The stick: the speed at half tilt, and the smallest tilt that moves the craft."""

from tinrocket.feel_metrics.answers import NEVER, UNBOUNDED, Answer, Answers
from tinrocket.feel_metrics.controls import WAYS, Hold
from tinrocket.feel_metrics.course import Course, Held
from tinrocket.feel_metrics.manoeuvres.straight import MOVES
from tinrocket.feel_metrics.metric import Manoeuvre, Metric
from tinrocket.feel_metrics.response import settled

HALVINGS = 12
"""Bisections of the range of tilts: to a quarter of a thousandth."""
WATCHED = 2.0
"""Time within which a tilt must move the craft [s]."""


def _fly(course: Course) -> Answers:
    sticks = {name for stick in course.place.sticks.values() for name in stick.actions}
    steered = [way for way in WAYS if way in course.controls.ways]
    way = next((way for way in steered if sticks & set(course.controls.hold(way))), None)
    if way is None:
        return {}
    hold = course.controls.hold(way)

    def tilted(share: float) -> Hold:
        return {name: share * value if name in sticks else value for name, value in hold.items()}

    half = course.fly(Held(tilted(0.5))).along(WAYS[way])
    speed = settled(half.vt, half.velocity)

    def moves(share: float) -> bool:
        return float(course.fly(Held(tilted(share)), seconds=WATCHED).speed.max()) > MOVES

    few, most = 0.0, 1.0
    if not moves(most):
        return dict.fromkeys((metric.name for metric in STICK.metrics), NEVER)
    for _ in range(HALVINGS):
        middle = 0.5 * (few + most)
        few, most = (few, middle) if moves(middle) else (middle, most)
    return {
        "speed at half tilt": UNBOUNDED if speed is None else Answer(speed),
        "dead zone": Answer(100.0 * few),
    }


STICK = Manoeuvre(
    "stick",
    (
        Metric("speed at half tilt", "px/s", "The speed to which it settles at half a tilt."),
        Metric("dead zone", "%", "The largest tilt that does not move it within 2 s."),
    ),
    _fly,
)
