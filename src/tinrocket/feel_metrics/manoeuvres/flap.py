"""The flap: how high, how long, and how often it takes to stay up."""

from collections.abc import Iterator

import numpy as np

from tinrocket.feel_metrics.answers import (
    NEVER,
    NOT_THIS,
    NOT_YET,
    UNBOUNDED,
    Answer,
    Answers,
    found,
)
from tinrocket.feel_metrics.controls import Hold, press_of
from tinrocket.feel_metrics.course import Course, Floats, Flown, Held
from tinrocket.feel_metrics.looks import Looks
from tinrocket.feel_metrics.manoeuvres.straight import MOVES
from tinrocket.feel_metrics.metric import Curve, Manoeuvre, Metric, until
from tinrocket.feel_metrics.response import crossing, peak, settled
from tinrocket.scenario.outlines import outlines, reach_of
from tinrocket.scenario.rules import Fall, Flap

LONGEST = 3.0
"""Between two taps [s]."""
WATCHED = 10.0
"""Time over which a rhythm must hold the height [s]."""
HALVINGS = 14
"""Bisections of the range of rhythms: down to a third of a millisecond."""


def leap(flown: Flown, height: Floats) -> tuple[Answer, Answer, Answer]:
    """Return apex [px], time to it and time back to where it began [s]."""
    top, apex = peak(flown.t, height)
    if apex <= height[0] + MOVES:
        return Answer(0.0), NEVER, NEVER
    if int(np.argmax(height)) == height.size - 1:
        return UNBOUNDED, NEVER, NEVER
    back = crossing(flown.t, height, float(height[0]), after=top + 0.5 * float(flown.t[1]))
    return Answer(apex - float(height[0])), Answer(top), found(back, NOT_YET)


def terminal_fall(course: Course) -> Answer:
    """Return the settled speed of fall [px/s]."""
    idle = course.fly()
    if abs(idle.vy).max() <= MOVES:
        return NOT_THIS
    end = settled(idle.vt, -idle.vy)
    return UNBOUNDED if end is None else Answer(end)


def _fly(course: Course) -> Answers:
    rule = next(
        (each_rule for each_rule in course.craft.rules if isinstance(each_rule, Flap)), None
    )
    if rule is None:
        return {}
    hold = press_of(course.place, rule)
    flown = course.tap(hold)
    apex, top, back = leap(flown, flown.y)
    answers = {"apex": apex, "time to apex": top, "time back": back}
    answers["terminal fall"] = terminal_fall(course)
    answers["glide sink"], answers["glide ratio"] = _glide(course)
    period = None if apex.note or back.note else _rhythm(course, hold)
    if period is None:
        return answers | dict.fromkeys(
            ("taps to hold height", "height band", "passable gap"), NEVER
        )
    steady = _tapped(course, hold, period).since(WATCHED - 2.0 * period)
    band = float(steady.y.max() - steady.y.min())
    gap = _gap(course, steady)
    return answers | {
        "taps to hold height": Answer(1.0 / period),
        "height band": Answer(band),
        "passable gap": NOT_THIS if gap is None else Answer(gap),
    }


def _glide(course: Course) -> tuple[Answer, Answer]:
    """Return the speed of sinking while it glides, and the glide ratio."""
    falls = [
        rule for rule in course.craft.rules if isinstance(rule, Fall) and rule.glide is not None
    ]
    if not falls:
        return NOT_THIS, NOT_THIS
    flown = course.fly(Held({falls[0].glide_action: 1.0}))
    sink = settled(flown.vt, -flown.vy)
    if sink is None:
        return UNBOUNDED, NOT_THIS
    whole = course.whole.per_second()
    scrolls = next(craft.start.vx for craft in whole.craft if craft.name == course.craft.name)
    along = abs(float(flown.vx[-1])) or abs(scrolls)
    return Answer(sink), Answer(along / sink) if sink > MOVES and along > MOVES else NOT_THIS


def rise_curve(flown: Flown, height: Floats) -> Curve:
    """Return the curve of height over time until it is back, with apex and return marked."""
    apex, top, back = leap(flown, height)
    above = height - height[0]
    marks = []
    if not top.note:
        marks.append((top.value, apex.value, "apex"))
    if not back.note:
        marks.append((back.value, 0.0, "back"))
    t, above = until(flown.t, above, 1.15 * max((at for at, *_rest in marks), default=2.0))
    return Curve(t, above, "time since the tap [s]", "height [px]", tuple(marks))


def _curve(course: Course) -> Curve | None:
    rule = next(
        (each_rule for each_rule in course.craft.rules if isinstance(each_rule, Flap)), None
    )
    if rule is None:
        return None
    flown = course.tap(press_of(course.place, rule))
    return rise_curve(flown, flown.y)


def _tapped(course: Course, hold: Hold, period: float) -> Flown:
    """Tap in a rhythm; each tap is seen by one frame, the next that looks."""
    taps = Looks.of(course).taps(np.arange(0.0, WATCHED, period))
    script = [Held(hold, begin, end) for begin, end in taps]
    return course.fly(*script, seconds=WATCHED)


def _rhythm(course: Course, hold: Hold) -> float | None:
    """Return the time between taps [s] at which it neither climbs nor sinks, or None."""

    def climbs(period: float) -> bool:
        flown = _tapped(course, hold, period)
        early = flown.y[(flown.t >= period) & (flown.t <= 2.0 * period)]
        late = flown.y[flown.t >= WATCHED - period]
        return float(late.max()) >= float(early.max())

    short, long = 2.0 * course.frame, LONGEST
    if not climbs(short) or climbs(long):
        return None
    for _ in range(HALVINGS):
        middle = 0.5 * (short + long)
        short, long = (middle, long) if climbs(middle) else (short, middle)
    return short


def _gap(course: Course, steady: Flown) -> float | None:
    """Return the smallest opening that can be passed in this rhythm [px], or None without gates."""
    low, high = reach_of(course.craft, course.up)[1]
    widths = set(_gates(course))
    if not widths:
        return None
    bands = []
    for seconds in widths:
        frames = max(int(np.ceil(seconds / course.frame)), 1)
        windows = np.lib.stride_tricks.sliding_window_view(steady.y, min(frames + 1, steady.y.size))
        bands.append(float((windows.max(axis=1) - windows.min(axis=1)).min()))
    return max(bands) + low + high


def _gates(course: Course) -> Iterator[float]:
    """Yield how long the craft is beside each pool or obstacle that it meets [s]."""
    own = sum(reach_of(course.craft, course.up)[0])
    met = {name for contact in course.whole.contact for name in contact.between}
    if not course.craft.goes_by(*met):
        return
    per_second = course.whole.per_second()
    scrolls = next(craft.start.vx for craft in per_second.craft if craft.name == course.craft.name)
    for other in per_second.craft:
        apart = abs(other.start.vx - scrolls)
        if other.pool and other.goes_by(*met) and apart > MOVES:
            yield (own + sum(reach_of(other, course.up)[0])) / apart
    for still in course.whole.obstacle:
        solid = still.name not in course.whole.passed
        if solid and still.goes_by(*met) and abs(scrolls) > MOVES:
            sides = [outline.sides[0] for outline in outlines(still.shape, course.up)]
            wide = max(low for low, _high in sides) + max(high for _low, high in sides)
            yield (own + wide) / abs(scrolls)


FLAP = Manoeuvre(
    "flap",
    (
        Metric("apex", "px", "How high one flap lifts it, from no speed: v^2 / 2g in the limit."),
        Metric("time to apex", "s", "From the frame that sees the tap to the top: v / g."),
        Metric("time back", "s", "From that frame until it is as low again as it was."),
        Metric("terminal fall", "px/s", "The speed to which its fall settles within 20 s."),
        Metric("glide sink", "px/s", "The speed to which its fall settles while it glides."),
        Metric("glide ratio", "", "Distance along for each px that it sinks while it glides."),
        Metric("taps to hold height", "/s", "Taps a second at which it neither climbs nor sinks."),
        Metric("height band", "px", "Between its highest and lowest point in that rhythm."),
        Metric(
            "passable gap",
            "px",
            "The least opening of a gate that it passes in that rhythm, the tap well timed: what "
            "it rises and falls while it is beside the gate, and its own height.",
        ),
    ),
    _fly,
    _curve,
)
