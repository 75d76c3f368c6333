"""The dash: how far, how fast, how long, and what it costs."""

import numpy as np

from tinrocket.feel_metrics.answers import NEVER, NOT_THIS, NOT_YET, Answer, Answers, found
from tinrocket.feel_metrics.controls import Hold, press_of
from tinrocket.feel_metrics.course import Course, Flown, Held
from tinrocket.feel_metrics.manoeuvres.straight import MOVES
from tinrocket.feel_metrics.metric import Curve, Manoeuvre, Metric, until
from tinrocket.feel_metrics.response import crossing, value_at
from tinrocket.scenario.numbers import frames_in
from tinrocket.scenario.rules import Dash

WATCHED = 5.0
"""Length of the tapping that measures the interval of dashes [s]."""


def _fly(course: Course) -> Answers:
    rule = next(
        (each_rule for each_rule in course.craft.rules if isinstance(each_rule, Dash)), None
    )
    if rule is None:
        return {}
    press, led = press_of(course.place, rule), _led(course, rule)
    flown = _dashed(course, rule)
    fastest = int(np.argmax(flown.speed))
    most = float(flown.speed[fastest])
    if most <= MOVES:
        return dict.fromkeys((metric.name for metric in DASH.metrics), NEVER)
    slow = crossing(flown.vt, flown.speed, most / 2, after=float(flown.vt[fastest]))
    way_x, way_y = flown.x - flown.x[0], flown.y - flown.y[0]
    gone = np.hypot(way_x, way_y)
    frames = frames_in(rule.duration)
    lasts = float(rule.duration) if frames is None else frames / course.rate
    return {
        "dash distance": NEVER if slow is None else Answer(value_at(flown.t, gone, slow)),
        "peak speed": Answer(most),
        "dash time": found(slow, NEVER),
        "speed after": Answer(value_at(flown.vt, flown.speed, lasts + 2.0 * course.frame)),
        "dash interval": _next(course, press | led),
        "control lost": _lost(course, rule),
    }


def _next(course: Course, press: Hold) -> Answer:
    """Tap every other frame, and measure the time between dashes."""
    count = int(WATCHED * course.rate / 2)
    script = [Held(press, f"{2 * n} frames", f"{2 * n + 1} frames") for n in range(count)]
    begins = course.fly(*script, seconds=WATCHED).times("dash")
    return Answer(float(np.diff(begins).mean())) if begins.size > 1 else NOT_YET


def _led(course: Course, rule: Dash) -> Hold:
    """Return the controls that lead a dash which does not follow the heading."""
    way = course.controls.straight
    return {} if rule.along == "heading" or way is None else course.controls.hold(way)


def _dashed(course: Course, rule: Dash, *also: Held) -> Flown:
    """Dash once, from rest, by a press of one frame."""
    led = _led(course, rule)
    leads = [Held(led, "0 frames", "1 frames")] if led else []
    return course.tap(press_of(course.place, rule), also=[*leads, *also])


def _lost(course: Course, rule: Dash) -> Answer:
    """Steer from the press on, and measure when that first makes a difference."""
    way = course.controls.first("turn left", "turn right", "down", "left")
    if way is None:
        return NOT_THIS
    alone = _dashed(course, rule)
    steered = _dashed(course, rule, Held(course.controls.hold(way), "1 frames", "999999 frames"))
    apart = (
        np.abs(alone.heading - steered.heading)
        + np.abs(alone.vx - steered.vx)
        + np.abs(alone.vy - steered.vy)
    )
    differ = np.flatnonzero(apart > MOVES)
    # a key held from the second frame on can show after that frame at the earliest
    return Answer(float(alone.t[differ[0]]) - 2.0 * course.frame) if differ.size else NEVER


def _curve(course: Course) -> Curve | None:
    rule = next(
        (each_rule for each_rule in course.craft.rules if isinstance(each_rule, Dash)), None
    )
    if rule is None:
        return None
    flown = _dashed(course, rule)
    fastest = int(np.argmax(flown.speed))
    most = float(flown.speed[fastest])
    slow = crossing(flown.vt, flown.speed, most / 2, after=float(flown.vt[fastest]))
    t, speed = until(flown.vt, flown.speed, 2.0 * (slow or 1.0))
    marks = () if slow is None else ((slow, most / 2, "half of its peak"),)
    return Curve(t, speed, "time since the press [s]", "speed [px/s]", marks)


DASH = Manoeuvre(
    "dash",
    (
        Metric("dash distance", "px", "From the press until half of its peak speed is left."),
        Metric("peak speed", "px/s", "The highest speed."),
        Metric("dash time", "s", "From the press until half of the peak speed is left."),
        Metric("speed after", "px/s", "Two frames after its duration is over."),
        Metric("dash interval", "s", "Between two dashes, tapped every other frame."),
        Metric(
            "control lost",
            "s",
            "From the frame after the press, in which steering begins, until that has an effect.",
        ),
    ),
    _fly,
    _curve,
)
