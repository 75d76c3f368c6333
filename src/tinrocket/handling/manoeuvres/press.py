"""The press: how long until it is seen, and whether it is seen at all."""

import numpy as np

from tinrocket.handling.answers import NEVER, Answer, Answers
from tinrocket.handling.controls import Hold, press_of
from tinrocket.handling.course import Course, Flown, Held
from tinrocket.handling.metric import Manoeuvre, Metric

PHASES = 32
"""Moments within a frame at which presses begin."""
APART = 10
"""Frames between two of them."""
AIMED = 0.2
"""When the one press begins whose first changed picture is looked for [s]."""
LENGTHS = {"10 ms": 0.01, "20 ms": 0.02, "50 ms": 0.05}
PICTURED = ("x", "y", "heading", "height", "alive")
"""Columns that a picture shows."""


def _fly(course: Course) -> Answers:
    action = _action(course)
    if action is None:
        return {}
    hold, name = action
    waits = _waits(course, hold, name)
    response = _response(course, hold, name)
    answers: dict[str, Answer]
    if response is None:
        answers = dict.fromkeys(("latency", "worst latency"), NEVER)
    else:
        answers = {
            "latency": Answer(1000.0 * (float(waits.mean()) + response)),
            "worst latency": Answer(1000.0 * (float(waits.max()) + response)),
        }
    for told, length in LENGTHS.items():
        begins = _begins(course)
        taps = course.fly(*(Held(hold, t, t + length) for t in begins), seconds=begins[-1] + 0.2)
        lost = np.count_nonzero(taps.flight.happened["kind"] == "lost_tap")
        answers[f"{told} taps lost"] = Answer(100.0 * lost / len(begins) / len(hold))
    return answers


def _action(course: Course) -> tuple[Hold, str] | None:
    """Return what is pressed: an impulse if there is one, else what drives or turns the craft."""
    sticks = {name for stick in course.place.sticks.values() for name in stick.actions}
    presses = [
        press_of(course.place, rule)
        for rule in course.craft.rules
        if len(rule.own_actions) == 1 or hasattr(rule, "action")
    ]
    presses += [*course.controls.ways.values(), *course.controls.own]
    for hold in presses:
        if hold and sticks.isdisjoint(hold):
            return hold, next(iter(hold))
    return None


def _begins(course: Course) -> list[float]:
    """Return when presses begin: evenly over the phases of a frame."""
    return [(APART * (n + 1) + (n + 0.5) / PHASES) * course.frame for n in range(PHASES)]


def _waits(course: Course, hold: Hold, name: str) -> np.ndarray:
    """Return how long each press waits for the frame that sees it [s]."""
    begins = _begins(course)
    held = 4.0 * course.frame
    flown = course.fly(*(Held(hold, t, t + held) for t in begins), seconds=begins[-1] + 0.2)
    return np.array([flown.seen(name, after=t) - t for t in begins])


def _response(course: Course, hold: Hold, name: str) -> float | None:
    """Return how long after the frame that sees it begins one whose picture is another [s]."""
    seconds = AIMED + 1.0
    idle, pressed = course.fly(seconds=seconds), course.fly(Held(hold, AIMED), seconds=seconds)
    changed = _picture(idle) != _picture(pressed)
    rows = np.flatnonzero(changed.any(axis=0))
    if not rows.size:
        return None
    return max(float(pressed.t[rows[0] - 1]) - pressed.seen(name, AIMED), 0.0)


def _picture(flown: Flown) -> np.ndarray:
    tracks = [flown.flight.track(name) for name in flown.flight.craft]
    return np.array([track[name] for track in tracks for name in PICTURED if name in track])


PRESS = Manoeuvre(
    "press",
    (
        Metric(
            "latency",
            "ms",
            "From a press to the beginning of the frame whose picture first shows it, on average "
            "over when in a frame it is pressed; drawing and the screen come on top. "
            "Half a frame where each frame looks and moves.",
        ),
        Metric("worst latency", "ms", "The longest of these."),
        Metric("10 ms taps lost", "%", "Share of taps of 10 ms that no frame sees."),
        Metric("20 ms taps lost", "%", "Share of taps of 20 ms that no frame sees."),
        Metric("50 ms taps lost", "%", "Share of taps of 50 ms that no frame sees."),
    ),
    _fly,
)
