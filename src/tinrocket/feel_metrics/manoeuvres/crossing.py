"""The crossing: how long it takes across the arena, and to turn round and come back."""

from tinrocket.feel_metrics.answers import NOT_THIS, NOT_YET, Answer, Answers, found
from tinrocket.feel_metrics.course import SECONDS, Course, Held
from tinrocket.feel_metrics.manoeuvres.straight import MOVES, straight_run
from tinrocket.feel_metrics.metric import Manoeuvre, Metric
from tinrocket.feel_metrics.response import crossing


def _fly(course: Course) -> Answers:
    run = straight_run(course)
    if run is None:
        return {}
    arena = course.whole.arena
    across = abs(run.direction[0]) >= abs(run.direction[1])
    size = arena.width if across else arena.height
    held = run.held
    there = crossing(held.t, held.place - held.place[0], size)
    return {"time across the arena": found(there, NOT_YET), "time to fly back": _back(course)}


def _back(course: Course) -> Answer:
    """Turn round at top speed, driven all along, and wait until it is back where it began to."""
    way, run = course.controls.first("turn right", "turn left"), straight_run(course)
    if way is None or run is None or course.controls.straight != "ahead":
        return NOT_THIS
    if not run.top or run.top <= MOVES:
        return NOT_THIS
    turn = course.controls.hold(way)
    spun = course.fly(Held(turn))
    half = crossing(spun.t, abs(spun.heading - spun.heading[0]), 180.0)
    if half is None:
        return NOT_YET
    script = (Held(run.hold), Held(turn, SECONDS, SECONDS + half))
    flown = course.fly(*script, seconds=2 * SECONDS).since(SECONDS)
    t, place, _vt, _velocity = flown.along(run.direction)
    return found(crossing(t, place, float(place[0]), after=0.5 * half), NOT_YET)


CROSSING = Manoeuvre(
    "crossing",
    (
        Metric("time across the arena", "s", "From rest, over the width of the arena, straight."),
        Metric(
            "time to fly back",
            "s",
            "From the press of a turn at top speed, held until it points back, driven all the "
            "time, until it is back where the turn began, along the old direction.",
        ),
    ),
    _fly,
)
