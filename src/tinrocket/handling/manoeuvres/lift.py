"""The lift that is held against a fall."""

from tinrocket.handling.answers import NOT_YET, UNBOUNDED, Answer, Answers, found
from tinrocket.handling.controls import press_of
from tinrocket.handling.course import Course, Held
from tinrocket.handling.manoeuvres.flap import leap, rise_curve, terminal_fall
from tinrocket.handling.manoeuvres.straight import MOVES
from tinrocket.handling.metric import Curve, Manoeuvre, Metric
from tinrocket.handling.response import crossing, settled
from tinrocket.scenario.rules import Lift

PRESS = 0.5
"""How long it is held [s]."""


def _fly(course: Course) -> Answers:
    rule = next((one for one in course.craft.rules if isinstance(one, Lift)), None)
    if rule is None:
        return {}
    hold = press_of(course.place, rule)
    pressed = course.fly(Held(hold, 0.0, PRESS))
    apex, top, back = leap(pressed, pressed.y)
    fall = terminal_fall(course)
    answers = {"lift apex": apex, "time to lift apex": top, "time back down": back}
    rising = course.fly(Held(hold))
    rate = settled(rising.vt, rising.vy)
    answers["top rise"] = UNBOUNDED if rate is None else Answer(rate)
    answers["top fall"] = fall
    # falling first for as long as it then is held, until it rises
    caught = course.fly(Held(hold, 1.0)).since(1.0)
    falls = caught.vy[0] < -MOVES
    answers["catch of a 1 s fall"] = (
        found(crossing(caught.vt, caught.vy, 0.0), NOT_YET) if falls else Answer(0.0)
    )
    return answers


def _curve(course: Course) -> Curve | None:
    rule = next((one for one in course.craft.rules if isinstance(one, Lift)), None)
    if rule is None:
        return None
    flown = course.fly(Held(press_of(course.place, rule), 0.0, PRESS))
    return rise_curve(flown, flown.y)


LIFT = Manoeuvre(
    "lift",
    (
        Metric("lift apex", "px", "How high it gets by a press of 0.5 s, from no speed."),
        Metric("time to lift apex", "s", "From the press to the highest point."),
        Metric("time back down", "s", "From the press until it is as low again as it was."),
        Metric("top rise", "px/s", "The speed to which it settles while it is held for 20 s."),
        Metric("top fall", "px/s", "The speed to which its fall settles within 20 s."),
        Metric("catch of a 1 s fall", "s", "From the press, after 1 s of fall, to speed zero."),
    ),
    _fly,
    _curve,
)
