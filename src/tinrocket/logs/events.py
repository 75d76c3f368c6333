"""Events of a game's log: wraps, recorded events, and craft that appear and disappear."""

import re
from collections.abc import Mapping, Sequence

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from tinrocket.logs.wraps import Seams
from tinrocket.scenario.arena import AXES
from tinrocket.trajectory.check import events_of
from tinrocket.trajectory.columns import EVENT_COLUMNS
from tinrocket.trajectory.frames import Track

Floats = NDArray[np.float64]

SIDES = {"x": ("left", "right"), "y": ("top", "bottom")}
BETWEEN = re.compile(r"\s*[|;,+&]\s*")
"""Separators of several events of one frame."""
NONE = ("", "nan", "none", "null", "0", "-", "false")


def wrap_events(tracks: Mapping[str, Track], seams: Mapping[str, Seams]) -> list[dict[str, object]]:
    """Return the wraps, each at the moment between two frames at which a straight way meets it."""
    rows = []
    for craft, own in seams.items():
        track = tracks[craft]
        t = track["t"]
        for axis, (low, high) in own.items():
            path, laps = track[f"{axis}_unwrapped"], track[f"wraps_{axis}"]
            for frame in np.flatnonzero(np.diff(laps)) + 1:
                up = laps[frame] > laps[frame - 1]
                met = low + max(laps[frame], laps[frame - 1]) * (high - low)
                share = (met - path[frame - 1]) / (path[frame] - path[frame - 1])
                t_met = float(t[frame - 1] + share * (t[frame] - t[frame - 1]))
                row = _event("wrap", craft, t_met, int(frame))
                row |= {name: float(track[name][frame]) for name in ("x", "y", "speed")}
                rows.append(row | {"edge": SIDES[axis][int(up)]})
    return rows


def _event(kind: str, craft: str, t: float, frame: int) -> dict[str, object]:
    event: dict[str, object] = dict.fromkeys(EVENT_COLUMNS, np.nan)
    event |= dict.fromkeys(("edge", "rule", "other", "action"), "")
    return event | {"kind": kind, "craft": craft, "t": t, "count": 1, "frame": frame}


def told_events(
    told: Sequence[str],
    whose: Sequence[str],
    t: Floats,
    frame: NDArray[np.int64],
    places: Mapping[str, Floats],
) -> list[dict[str, object]]:
    """Return the events that the log records; several in a frame are separated by ``|``."""
    rows: list[dict[str, object]] = []
    for row, (text, craft) in enumerate(zip(told, whose, strict=True)):
        if t[row] < 0.0 or text.lower() in NONE:
            continue
        for kind in BETWEEN.split(text):
            if kind.lower() not in NONE:
                event = _event(kind, craft, float(t[row]), int(frame[row]))
                rows.append(event | {axis: float(places[axis][row]) for axis in AXES})
    return rows


def event_arrays(happened: Sequence[Mapping[str, object]]) -> dict[str, np.ndarray]:
    """Return events as columns, in order of time."""
    table = pd.DataFrame(list(happened), columns=EVENT_COLUMNS).sort_values("t", kind="stable")
    return events_of(table, "the log")
