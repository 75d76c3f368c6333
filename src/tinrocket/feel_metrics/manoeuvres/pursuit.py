"""The pursuit: whether a pursuer catches the one it chases, and how soon a pointer is reached."""

import math

from tinrocket.feel_metrics.answers import (
    NEVER,
    NOT_THIS,
    NOT_YET,
    UNBOUNDED,
    Answer,
    Answers,
    found,
)
from tinrocket.feel_metrics.course import Course
from tinrocket.feel_metrics.manoeuvres.straight import MOVES, straight_run
from tinrocket.feel_metrics.manoeuvres.turn import TURN
from tinrocket.feel_metrics.metric import Manoeuvre, Metric
from tinrocket.feel_metrics.response import course_rate, crossing, settled
from tinrocket.scenario.rules import Chase, Ease, Follow

JUMP = 200.0
"""Length of the pointer's jump [px]."""


def _fly(course: Course) -> Answers:
    led = [rule for rule in course.craft.rules if isinstance(rule, Follow | Ease)]
    chase = next((rule for rule in course.craft.rules if isinstance(rule, Chase)), None)
    answers: dict[str, Answer] = {}
    if led and led[0].target in course.whole.tape.pointers:
        answers["pointer step response (90 %)"] = _jump(course, led[0].axis)
    if chase is not None:
        answers |= _chase(course, chase)
    return answers


def _jump(course: Course, axis: str) -> Answer:
    """Let the pointer jump, at once."""
    x, y = (0.0, JUMP) if axis == "y" else (JUMP, 0.0)
    flown = course.fly(pointer=[(-1.0, 0.0, 0.0), (-1e-6, 0.0, 0.0), (0.0, x, y)])
    way = flown.y - flown.y[0] if axis == "y" else flown.x - flown.x[0]
    return found(crossing(flown.t, way, 0.9 * JUMP), NOT_YET)


def _chase(course: Course, chase: Chase) -> Answers:
    names = [metric.name for metric in PURSUIT.metrics[1:]]
    target = chase.target
    if not isinstance(target, str):
        return dict.fromkeys(names, NOT_THIS)
    others = [craft for craft in course.whole.craft if craft.goes_by(target)]
    if not others or others[0].name == course.craft.name:
        return dict.fromkeys(names, NOT_THIS)
    other = others[0]
    flown = course.chasing(target)
    top = settled(flown.vt, flown.speed)
    if top is None:
        return dict.fromkeys(names, UNBOUNDED)
    pursued = Course(course.whole, other, course.clock)
    run = straight_run(pursued)
    fled = (run.top if run else 0.0) or 0.0
    closing = top - fled
    apart = math.hypot(other.start.x - course.craft.start.x, other.start.y - course.craft.start.y)
    circle = TURN.answers(pursued).get("turn radius", NOT_THIS)
    early = (flown.vt > 0.0) & (flown.vt <= 0.25)
    rate = math.radians(course_rate(flown.vt[early], flown.vx[early], flown.vy[early]))
    return {
        "closing speed": Answer(closing),
        "time to catch": Answer(apart / closing) if closing > MOVES else NEVER,
        "pursuer's turn radius": Answer(top / abs(rate)) if abs(rate) > 1e-3 else Answer(0.0),
        "target's turn radius": circle,
    }


PURSUIT = Manoeuvre(
    "pursuit",
    (
        Metric(
            "pointer step response (90 %)",
            "s",
            "From the frame in which the pointer jumps by 200 px until the craft is 90 % there.",
        ),
        Metric("closing speed", "px/s", "Its top speed less that of the one it chases."),
        Metric(
            "time to catch",
            "s",
            "From their starts, if the other flees straight at its top speed; never if it is "
            "no slower.",
        ),
        Metric("pursuer's turn radius", "px", "Radius of its way as it turns at its top speed."),
        Metric("target's turn radius", "px", "Radius of the other's way, turning at top speed."),
    ),
    _fly,
)
