"""The shots: how many, how even, how fast, how far."""

import math
from collections.abc import Mapping

import numpy as np

from tinrocket.feel_metrics.answers import NEVER, NOT_THIS, Answer, Answers
from tinrocket.feel_metrics.controls import press_of
from tinrocket.feel_metrics.course import Course, Held
from tinrocket.feel_metrics.looks import Looks
from tinrocket.feel_metrics.metric import Manoeuvre, Metric
from tinrocket.scenario.rules import Fire

WATCHED = 5.0
TINY = 1e-9
TAPS = 10.0
"""Taps per second of fast tapping."""


def _fly(course: Course) -> Answers:
    rule = next(
        (each_rule for each_rule in course.craft.rules if isinstance(each_rule, Fire)), None
    )
    if rule is None:
        return {}
    press = press_of(course.place, rule)
    held = course.fly(Held(press), seconds=WATCHED)
    taps = Looks.of(course).taps(np.arange(0.0, WATCHED, 1.0 / TAPS))
    script = [Held(press, begin, end) for begin, end in taps]
    tapped = course.fly(*script, seconds=WATCHED)
    gaps = np.diff(held.times("fire"))
    answers = {
        "shots held": _per_second(held.times("fire")),
        "shots tapped fast": _per_second(tapped.times("fire")),
        "interval spread": Answer(1000.0 * float(np.ptp(gaps))) if gaps.size else NEVER,
    }
    return answers | _seen(course, rule, press)


def _per_second(moments: np.ndarray) -> Answer:
    if moments.size < 2:
        return Answer(moments.size / WATCHED)
    return Answer((moments.size - 1) / float(moments[-1] - moments[0]))


def _seen(course: Course, rule: Fire, press: dict[str, float]) -> Answers:
    """Measure the shots themselves, within the arena's own edges."""
    if rule.shots is None:
        return dict.fromkeys(("shot speed", "reach", "most shots alive"), NOT_THIS)
    flight = course.in_arena(Held(press), seconds=2 * WATCHED).flight
    tracks = [flight.track(name) for name in flight.families[rule.shots]]
    there = [track["alive"] != 0 for track in tracks]
    live = np.sum(there, axis=0)
    first = next((n for n, alive in enumerate(there) if alive.any()), None)
    if first is None:
        return dict.fromkeys(("shot speed", "reach", "most shots alive"), NEVER)
    begin = int(np.argmax(there[first]))
    happened, name = flight.happened, flight.families[rule.shots][first]
    gone = np.isin(happened["kind"], ["remove", "expire"]) & (happened["craft"] == name)
    place = np.array([happened["x"][gone], happened["y"][gone]], dtype=np.float64)
    start = course.craft.start
    reach = [math.hypot(x - start.x, y - start.y) for x, y in place.T]
    return {
        "shot speed": Answer(_speed(tracks[first], begin)),
        "reach": Answer(reach[0]) if reach else NEVER,
        "most shots alive": Answer(float(live.max())),
    }


def _speed(track: Mapping[str, np.ndarray], begin: int) -> float:
    """Return the speed of a shot in the step after it is first seen [px/s].

    Several pictures may show the same step, and lag behind it.
    """
    shown = track["t"] - track.get("lag", 0.0)
    later = np.flatnonzero(shown[begin + 1 :] > shown[begin] + TINY)
    if not later.size:
        return 0.0
    end = begin + 1 + int(later[0])
    way = (track[name][end] - track[name][begin] for name in ("x_unwrapped", "y_unwrapped"))
    return math.hypot(*way) / float(shown[end] - shown[begin])


SHOTS = Manoeuvre(
    "shots",
    (
        Metric("shots held", "/s", "Shots a second while it is held for 5 s."),
        Metric("shots tapped fast", "/s", "Shots a second, tapped ten times a second."),
        Metric("interval spread", "ms", "The longest time between two shots, less the shortest."),
        Metric("shot speed", "px/s", "In the first step after it is first seen."),
        Metric(
            "reach",
            "px",
            "Distance from the craft at which a shot disappears, fired from its start; never "
            "if it stays.",
        ),
        Metric("most shots alive", "", "Shots that are there at the same time, at most."),
    ),
    _fly,
)
