"""The nudge: what the shortest taps do."""

from tinrocket.feel_metrics.answers import NEVER, Answer, Answers
from tinrocket.feel_metrics.controls import Hold
from tinrocket.feel_metrics.course import SECONDS, Course, Flown, Held
from tinrocket.feel_metrics.looks import Looks
from tinrocket.feel_metrics.manoeuvres.straight import MOVES, straight_run
from tinrocket.feel_metrics.metric import Manoeuvre, Metric
from tinrocket.feel_metrics.test_scenarios import Point

PRESSES = {"50 ms": 0.05, "100 ms": 0.1}
STANDS = 0.02
"""The share of its top speed below which a craft counts as stopped."""


def _fly(course: Course) -> Answers:
    run = straight_run(course)
    if run is None or not run.hold:
        return {}
    way, top, rests = _told(course.tap(run.hold), run.direction)
    answers = {
        "one-frame tap: distance": Answer(way) if rests else NEVER,
        "one-frame tap: peak speed": Answer(top),
    }
    looks = Looks.of(course)
    for name, length in PRESSES.items():
        distance, peak = _presses(course, run.hold, run.direction, looks, length)
        answers |= {f"{name} press: distance": distance, f"{name} press: peak speed": peak}
    return answers


def _presses(
    course: Course, hold: Hold, direction: Point, looks: Looks, length: float
) -> tuple[Answer, Answer]:
    """Press once from rest, for each way in which frames can see it; return the means."""
    mean_way, mean_top, all_rest = 0.0, 0.0, True
    for begin, share in looks.presses(length):
        flown = course.fly(Held(hold, begin, begin + length), seconds=SECONDS + begin)
        way, top, rests = _told(flown, direction)
        mean_way, mean_top = mean_way + share * way, mean_top + share * top
        all_rest = all_rest and rests
    return Answer(mean_way) if all_rest else NEVER, Answer(mean_top)


def _told(flown: Flown, direction: Point) -> tuple[float, float, bool]:
    """Return distance and top speed of a motion from rest, and whether it rests again."""
    _t, place, _vt, velocity = flown.along(direction)
    top = float(velocity.max())
    rests = abs(float(velocity[-1])) <= max(STANDS * top, MOVES)
    return float(place[-1] - place[0]), top, rests


NUDGE = Manoeuvre(
    "nudge",
    (
        Metric(
            "one-frame tap: distance",
            "px",
            "How far a press of one frame, from rest, takes it in all.",
        ),
        Metric(
            "one-frame tap: peak speed", "px/s", "The highest speed after a press of one frame."
        ),
        Metric(
            "50 ms press: distance",
            "px",
            "How far a press of 50 ms takes it, on average over when in a frame it begins; "
            "never if it does not stop again.",
        ),
        Metric(
            "50 ms press: peak speed",
            "px/s",
            "The highest speed after a press of 50 ms, on average.",
        ),
        Metric("100 ms press: distance", "px", "How far a press of 100 ms takes it, on average."),
        Metric(
            "100 ms press: peak speed",
            "px/s",
            "The highest speed after a press of 100 ms, on average.",
        ),
    ),
    _fly,
)
