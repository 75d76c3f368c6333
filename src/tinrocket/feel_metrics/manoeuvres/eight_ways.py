"""Eight directions: whether a diagonal is faster, and how fast one axis follows the other."""

import math

from tinrocket.feel_metrics.answers import NOT_YET, UNBOUNDED, Answer, Answers, found
from tinrocket.feel_metrics.controls import WAYS
from tinrocket.feel_metrics.course import SECONDS, Course, Held
from tinrocket.feel_metrics.manoeuvres.straight import MOVES
from tinrocket.feel_metrics.metric import Manoeuvre, Metric
from tinrocket.feel_metrics.response import crossing, settled


def _fly(course: Course) -> Answers:
    across = course.controls.first("right", "left")
    along = course.controls.first("up", "down")
    if across is None or along is None:
        return {}
    one, other = course.controls.hold(across), course.controls.hold(along)
    tops = [settled(flown.vt, flown.speed) for flown in map(course.fly, map(Held, (one, other)))]
    top = max((speed for speed in tops if speed is not None), default=0.0)
    if None in tops or top <= MOVES:
        return {}
    both = course.fly(Held(one | other))
    diagonal = settled(both.vt, both.speed)
    flown = course.fly(Held(one, 0.0, SECONDS), Held(other, SECONDS), seconds=2 * SECONDS)
    turned = flown.since(min(flown.seen(next(iter(other)), SECONDS - course.frame / 2), SECONDS))
    gained = crossing(turned.vt, turned.along(WAYS[along]).velocity, 0.9 * top)
    lost = crossing(turned.vt, turned.along(WAYS[across]).velocity, 0.1 * top)
    snap = None if gained is None or lost is None else max(gained, lost)
    degrees = math.degrees(math.atan2(abs(float(both.vy[-1])), abs(float(both.vx[-1]))))
    return {
        "diagonal speed ratio": UNBOUNDED if diagonal is None else Answer(diagonal / top),
        "diagonal direction": Answer(degrees),
        "snap to the other axis": found(snap, NOT_YET),
    }


EIGHT_WAYS = Manoeuvre(
    "eight ways",
    (
        Metric(
            "diagonal speed ratio",
            "",
            "Top speed along a diagonal over the faster one along an axis, by the same keys.",
        ),
        Metric("diagonal direction", "deg", "Direction of motion with both held, from horizontal."),
        Metric(
            "snap to the other axis",
            "s",
            "From the frame that sees one axis let go and the other held, at top speed, until "
            "90 % of it goes the new way and no more than 10 % the old one.",
        ),
    ),
    _fly,
)
