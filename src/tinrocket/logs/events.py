"""Events in the log of a game."""

import re
from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from tinrocket.scenario.arena import AXES
from tinrocket.trajectory.motion_events import new_event

Floats = NDArray[np.float64]

BETWEEN = re.compile(r"\s*[|;,+&]\s*")
"""Separators of several events of one frame."""
NONE = ("", "nan", "none", "null", "0", "-", "false")


def told_events(
    texts: Sequence[str],
    whose: Sequence[str],
    t: Floats,
    frame: NDArray[np.int64],
    places: Mapping[str, Floats],
) -> list[dict[str, object]]:
    """Return the events that the log records; several in a frame are separated by ``|``."""
    rows: list[dict[str, object]] = []
    for row, (text, craft) in enumerate(zip(texts, whose, strict=True)):
        if t[row] < 0.0 or text.lower() in NONE:
            continue
        for kind in BETWEEN.split(text):
            if kind.lower() not in NONE:
                event = new_event(kind, craft, float(t[row]), int(frame[row]))
                rows.append(event | {axis: float(places[axis][row]) for axis in AXES})
    return rows
