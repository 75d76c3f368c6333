"""What happened in a game's log: its wraps, and what it says itself."""

from collections.abc import Mapping, Sequence

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from tinrocket.analysis.columns import EVENT_COLUMNS
from tinrocket.analysis.trajectory_check import events_of
from tinrocket.logs.wraps import Seams
from tinrocket.scenario.arena import AXES

Floats = NDArray[np.float64]

SIDES = {"x": ("left", "right"), "y": ("top", "bottom")}


def wrap_events(
    tracks: Mapping[str, Mapping[str, Floats]], seams: Seams
) -> list[dict[str, object]]:
    """Return the wraps, each at the moment between two frames at which a straight way meets it."""
    rows = []
    for craft, track in tracks.items() if seams else ():
        t = track["t"]
        for axis, (low, high) in seams.items():
            path, laps = track[f"{axis}_unwrapped"], track[f"wraps_{axis}"]
            for frame in np.flatnonzero(np.diff(laps)) + 1:
                up = laps[frame] > laps[frame - 1]
                met = low + max(laps[frame], laps[frame - 1]) * (high - low)
                share = (met - path[frame - 1]) / (path[frame] - path[frame - 1])
                row = _event("wrap", craft, track, int(frame))
                row["t"] = float(t[frame - 1] + share * (t[frame] - t[frame - 1]))
                rows.append(row | {"edge": SIDES[axis][int(up)]})
    return rows


def _event(kind: str, craft: str, track: Mapping[str, Floats], frame: int) -> dict[str, object]:
    texts = dict.fromkeys(("edge", "rule", "other", "action"), "")
    places = {name: float(track[name][frame]) for name in ("t", "x", "y", "speed")}
    nothing = {"gap": np.nan, "normal": np.nan, "count": 1}
    return {"kind": kind, "craft": craft, "frame": frame, **texts, **places, **nothing}


def told_events(
    told: np.ndarray, whose: np.ndarray, t: Floats, numbers: Mapping[str, Floats]
) -> list[dict[str, object]]:
    """Return what the log itself says to have happened."""
    rows: list[dict[str, object]] = []
    seen: dict[str, int] = {}
    for row, (what, craft) in enumerate(zip(told, whose, strict=True)):
        if t[row] < 0.0:
            continue
        frame = seen.get(craft, 0)
        seen[craft] = frame + 1
        if what and what.lower() not in ("nan", "none", "0", "-"):
            rows.append(
                dict.fromkeys(EVENT_COLUMNS, np.nan)
                | dict.fromkeys(("edge", "rule", "other", "action"), "")
                | {"kind": what, "craft": craft, "t": float(t[row]), "count": 1, "frame": frame}
                | {axis: float(numbers[axis][row]) for axis in AXES}
            )
    return rows


def event_arrays(happened: Sequence[Mapping[str, object]]) -> dict[str, np.ndarray]:
    """Return events as columns, in order of time."""
    table = pd.DataFrame(list(happened), columns=EVENT_COLUMNS).sort_values("t", kind="stable")
    return events_of(table, "the log")
