"""The reversal: from top speed one way to top speed the other."""

from tinrocket.feel_metrics.answers import NOT_YET, UNBOUNDED, Answer, Answers, found
from tinrocket.feel_metrics.controls import OPPOSITE
from tinrocket.feel_metrics.course import SECONDS, Course, Held, Line
from tinrocket.feel_metrics.manoeuvres.straight import MOVES, straight_run
from tinrocket.feel_metrics.metric import Curve, Manoeuvre, Metric, until
from tinrocket.feel_metrics.response import crossing, peak, settled


def _reversed(course: Course) -> Line | None:
    """Return the flight along the old direction, from the frame that sees the new one."""
    way, run = course.controls.straight, straight_run(course)
    other = OPPOSITE.get(way) if way else None
    if other is None or other not in course.controls.ways:
        return None
    if run is None or not run.top or run.top <= MOVES:
        return None
    back = course.controls.hold(other)
    script = (Held(run.hold, 0.0, SECONDS), Held(back, SECONDS))
    flown = course.fly(*script, seconds=2 * SECONDS)
    turned = flown.since(min(flown.seen(next(iter(back)), SECONDS - course.frame / 2), SECONDS))
    return turned.along(run.direction)


def _fly(course: Course) -> Answers:
    turned = _reversed(course)
    if turned is None:
        return {}
    t, place, vt, velocity = turned
    _moment, farthest = peak(t, place)
    end = settled(vt, velocity)
    there = None if end is None else crossing(vt, velocity, 0.9 * end)
    return {
        "time to zero": found(crossing(vt, velocity, 0.0), NOT_YET),
        "time to 90 % back": UNBOUNDED if end is None else found(there, NOT_YET),
        "slide before it turns": Answer(farthest - float(place[0])),
    }


def _curve(course: Course) -> Curve | None:
    turned = _reversed(course)
    if turned is None:
        return None
    _t, _place, vt, velocity = turned
    zero = crossing(vt, velocity, 0.0)
    end = settled(vt, velocity)
    there = None if end is None else crossing(vt, velocity, 0.9 * end)
    marks = [] if zero is None else [(zero, 0.0, "zero")]
    if there is not None and end is not None:
        marks.append((there, 0.9 * end, "90%"))
    last = 1.4 * max((at for at, *_rest in marks), default=SECONDS)
    vt, velocity = until(vt, velocity, max(last, 4.0 * course.frame))
    return Curve(
        vt, velocity, "time since the press [s]", "speed, the old way [px/s]", tuple(marks)
    )


REVERSAL = Manoeuvre(
    "reversal",
    (
        Metric("time to zero", "s", "From the frame that sees the other way held to speed zero."),
        Metric("time to 90 % back", "s", "From there to 90 % of its top speed the other way."),
        Metric("slide before it turns", "px", "How far it still goes the old way meanwhile."),
    ),
    _fly,
    _curve,
)
