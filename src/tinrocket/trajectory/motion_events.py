"""Events found in recorded motion: wraps, as rows and as columns."""

from collections.abc import Mapping, Sequence

import numpy as np
import pandas as pd

from tinrocket.trajectory.check import events_of
from tinrocket.trajectory.columns import EVENT_COLUMNS
from tinrocket.trajectory.frames import Track
from tinrocket.trajectory.wraps import Seams

SIDES = {"x": ("left", "right"), "y": ("top", "bottom")}


def wrap_events(tracks: Mapping[str, Track], seams: Mapping[str, Seams]) -> list[dict[str, object]]:
    """Return the wraps, each at the moment between two frames at which the path meets it."""
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
                row = new_event("wrap", craft, t_met, int(frame))
                row |= {name: float(track[name][frame]) for name in ("x", "y", "speed")}
                rows.append(row | {"edge": SIDES[axis][int(up)]})
    return rows


def new_event(kind: str, craft: str, t: float, frame: int) -> dict[str, object]:
    """Return an event with the columns of a table of events, most of them empty."""
    event: dict[str, object] = dict.fromkeys(EVENT_COLUMNS, np.nan)
    event |= dict.fromkeys(("edge", "rule", "other", "action"), "")
    return event | {"kind": kind, "craft": craft, "t": t, "count": 1, "frame": frame}


def event_arrays(happened: Sequence[Mapping[str, object]]) -> dict[str, np.ndarray]:
    """Return events as columns, sorted by time."""
    table = pd.DataFrame(list(happened), columns=EVENT_COLUMNS).sort_values("t", kind="stable")
    return events_of(table, "the log")
