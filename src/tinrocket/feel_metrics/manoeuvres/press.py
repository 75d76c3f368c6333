"""The press: how long until it is seen, and whether it is seen at all."""

import numpy as np

from tinrocket.feel_metrics.answers import NEVER, Answer, Answers
from tinrocket.feel_metrics.controls import Hold, press_of
from tinrocket.feel_metrics.course import Course, Flown, Held
from tinrocket.feel_metrics.looks import Looks
from tinrocket.feel_metrics.metric import Manoeuvre, Metric

WATCHED = 1.0
"""Time after a press within which its first changed picture is searched [s]."""
LENGTHS = {"10 ms": 0.01, "20 ms": 0.02, "50 ms": 0.05}
PICTURED = ("x", "y", "heading", "height", "alive")
"""Columns that a picture shows."""


def _fly(course: Course) -> Answers:
    hold = _action(course)
    if hold is None:
        return {}
    looks = Looks.of(course)
    answers = _latency(course, hold, looks)
    for metric, length in LENGTHS.items():
        answers[f"{metric} taps lost"] = Answer(100.0 * looks.unseen(length))
    return answers


def _action(course: Course) -> Hold | None:
    """Return the action to press: an impulse if there is one, else one that drives or turns."""
    presses = [
        press_of(course.place, rule)
        for rule in course.craft.rules
        if len(rule.own_actions) == 1 or hasattr(rule, "action")
    ]
    presses += [*course.controls.ways.values(), *course.controls.own]
    sticks = {name for stick in course.place.sticks.values() for name in stick.actions}
    presses.sort(key=lambda hold: not sticks.isdisjoint(hold))  # prefer keys to sticks
    return next((hold for hold in presses if hold), None)


def _latency(course: Course, hold: Hold, looks: Looks) -> dict[str, Answer]:
    """Return how long a press stays invisible: the wait for a look, and the time after it."""
    chosen, shares = looks.some()
    after = [_response(course, hold, looks, number) for number in chosen]
    delays = [delay for delay in after if delay is not None]
    if len(delays) < len(after):
        return dict.fromkeys(("latency", "worst latency", "latency in frames"), NEVER)
    mean = looks.mean_wait() + float(shares @ np.array(delays))
    spans = looks.t[chosen] - looks.t[np.array(chosen) - 1]
    worst = float((spans + np.array(delays)).max())
    if not looks.period:
        worst = max(worst, float(looks.spans.max()) + max(delays))
    return {
        "latency": Answer(1000.0 * mean),
        "worst latency": Answer(1000.0 * worst),
        "latency in frames": Answer(mean / course.frame),
    }


def _response(course: Course, hold: Hold, looks: Looks, number: int) -> float | None:
    """Return the delay from a look to the frame that shows its effect [s]."""
    look = float(looks.t[number])
    begin = 0.5 * (float(looks.t[number - 1]) + look)
    idle = course.fly(seconds=look + WATCHED)
    pressed = course.fly(Held(hold, begin), seconds=look + WATCHED)
    changed = np.flatnonzero((_picture(idle) != _picture(pressed)).any(axis=0))
    if not changed.size:
        return None
    return max(float(pressed.t[changed[0] - 1]) - look, 0.0)


def _picture(flown: Flown) -> np.ndarray:
    tracks = [flown.flight.track(name) for name in flown.flight.craft]
    shown = np.array([track[name] for track in tracks for name in PICTURED if name in track])
    shown[np.isnan(shown)] = 0.0  # craft of an update function may have no heading
    return shown


PRESS = Manoeuvre(
    "press",
    (
        Metric(
            "latency",
            "ms",
            "From a press to the beginning of the frame that first shows it, on average "
            "over when in a frame it is pressed; drawing and the screen come on top. "
            "Half a frame where each frame looks and moves.",
        ),
        Metric("worst latency", "ms", "The longest of these."),
        Metric(
            "latency in frames", "frames", "The mean in frames, as long as they are on average."
        ),
        Metric("10 ms taps lost", "%", "Share of taps of 10 ms that no frame sees."),
        Metric("20 ms taps lost", "%", "Share of taps of 20 ms that no frame sees."),
        Metric("50 ms taps lost", "%", "Share of taps of 50 ms that no frame sees."),
    ),
    _fly,
)
