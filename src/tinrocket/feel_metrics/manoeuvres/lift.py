"""The lift that is held against a fall."""

from tinrocket.feel_metrics.answers import NEVER, NOT_YET, UNBOUNDED, Answer, Answers, found
from tinrocket.feel_metrics.controls import Hold, press_of
from tinrocket.feel_metrics.course import Course, Held
from tinrocket.feel_metrics.manoeuvres.flap import leap, rise_curve, terminal_fall
from tinrocket.feel_metrics.manoeuvres.straight import MOVES
from tinrocket.feel_metrics.metric import Curve, Manoeuvre, Metric
from tinrocket.feel_metrics.response import crossing, settled
from tinrocket.scenario.rules import Lift

PRESS = 0.5
"""Length of the press [s]."""
BEATS, WATCHED, HALVINGS = 5.0, 10.0, 10
"""Presses per second, length of the flight [s], and bisections of the range of shares."""


def _fly(course: Course) -> Answers:
    rule = next(
        (each_rule for each_rule in course.craft.rules if isinstance(each_rule, Lift)), None
    )
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
    # fall first, then hold for as long, until it rises
    caught = course.fly(Held(hold, 1.0)).since(1.0)
    falls = caught.vy[0] < -MOVES
    answers["recovery from a 1 s fall"] = (
        found(crossing(caught.vt, caught.vy, 0.0), NOT_YET) if falls else Answer(0.0)
    )
    return answers | {"hover duty cycle": _share(course, hold)}


def _share(course: Course, hold: Hold) -> Answer:
    """Hold it for a share of each beat, and find the share at which it neither climbs nor sinks."""

    def climbs(share: float) -> bool:
        beats = [n / BEATS for n in range(int(WATCHED * BEATS))]
        script = [Held(hold, t, t + share / BEATS) for t in beats]
        flown = course.fly(*script, seconds=WATCHED)
        late = flown.t >= WATCHED / 2
        t, y = flown.t[late], flown.y[late]
        return float(y[-1] - y[0]) / float(t[-1] - t[0]) >= 0.0

    few, most = 0.0, 1.0
    if not climbs(most) or climbs(few):
        return NEVER
    for _ in range(HALVINGS):
        middle = 0.5 * (few + most)
        few, most = (few, middle) if climbs(middle) else (middle, most)
    return Answer(100.0 * most)


def _curve(course: Course) -> Curve | None:
    rule = next(
        (each_rule for each_rule in course.craft.rules if isinstance(each_rule, Lift)), None
    )
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
        Metric(
            "hover duty cycle",
            "%",
            "The share of each fifth of a second for which it is held at which its speed neither "
            "grows upward nor downward: gravity over lift.",
        ),
        Metric("top rise", "px/s", "The speed to which it settles while it is held for 20 s."),
        Metric("top fall", "px/s", "The speed to which its fall settles within 20 s."),
        Metric(
            "recovery from a 1 s fall", "s", "From the press, after 1 s of fall, to speed zero."
        ),
    ),
    _fly,
    _curve,
)
