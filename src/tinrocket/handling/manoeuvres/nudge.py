"""The nudge: what the shortest taps do."""

from itertools import pairwise

import numpy as np

from tinrocket.handling.answers import NEVER, Answer, Answers
from tinrocket.handling.controls import Hold
from tinrocket.handling.course import SECONDS, Course, Flown, Held
from tinrocket.handling.manoeuvres.straight import MOVES, straight_run
from tinrocket.handling.metric import Manoeuvre, Metric
from tinrocket.handling.places import Point

PRESSES = {"50 ms": 0.05, "100 ms": 0.1}
PHASES = 8
"""Moments within a frame at which a press of so many ms begins; the mean of all is told."""
STANDS = 0.02
"""The share of its top speed below which a craft stands still."""


def _fly(course: Course) -> Answers:
    run = straight_run(course)
    if run is None or not run.hold:
        return {}
    tap = course.tap(run.hold)
    distance, top = _told(tap, run.direction, [0.0])
    answers = {"one-frame tap": distance, "speed of a tap": top}
    for name, length in PRESSES.items():
        answers[f"{name} press"], answers[f"speed of {name}"] = _presses(
            course, run.hold, run.direction, length
        )
    return answers


def _presses(course: Course, hold: Hold, direction: Point, length: float) -> tuple[Answer, Answer]:
    """Press once in each phase of a frame, each time from rest: one flight after the other."""
    begins = [n * SECONDS + (n + 0.5) / PHASES * course.frame for n in range(PHASES)]
    script = [Held(hold, begin, begin + length) for begin in begins]
    flown = course.fly(*script, seconds=PHASES * SECONDS)
    return _told(flown, direction, [n * SECONDS for n in range(PHASES)])


def _told(flown: Flown, direction: Point, begins: list[float]) -> tuple[Answer, Answer]:
    """Return the mean distance and top speed of what begins at rest at each of some moments."""
    _t, place, _vt, velocity = flown.along(direction)
    cuts = [*np.searchsorted(flown.t, np.array(begins) - 1e-9).tolist(), flown.t.size - 1]
    pieces = [velocity[a : b + 1] for a, b in pairwise(cuts)]
    tops = [float(piece.max()) for piece in pieces]
    way = float(place[-1] - place[0]) / len(begins)
    rests = all(abs(piece[-1]) <= max(STANDS * piece.max(), MOVES) for piece in pieces)
    return Answer(way) if rests else NEVER, Answer(tops[0] if not rests else sum(tops) / len(tops))


NUDGE = Manoeuvre(
    "nudge",
    (
        Metric("one-frame tap", "px", "How far a press of one frame, from rest, takes it in all."),
        Metric("speed of a tap", "px/s", "The highest speed after a press of one frame."),
        Metric(
            "50 ms press",
            "px",
            "How far a press of 50 ms takes it, on average over when in a frame it begins; "
            "never if it does not stop again.",
        ),
        Metric("speed of 50 ms", "px/s", "The highest speed after a press of 50 ms, on average."),
        Metric("100 ms press", "px", "How far a press of 100 ms takes it, on average."),
        Metric("speed of 100 ms", "px/s", "The highest speed after a press of 100 ms, on average."),
    ),
    _fly,
)
