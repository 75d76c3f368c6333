"""Spans in which a condition holds in a flight, and extremes of the motion."""

from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from tinrocket.trajectory.frames import Track
from tinrocket.trajectory.query import answer

if TYPE_CHECKING:
    import pandas as pd


def spans_when(track: "pd.DataFrame", condition: str) -> "pd.DataFrame":
    """Return a row for each uninterrupted span in which a condition holds for a craft."""
    import pandas as pd

    columns = {
        str(name): track[name].to_numpy(np.float64) for name in track.columns if name != "craft"
    }
    so = answer(condition, columns, len(track))
    edges = np.flatnonzero(np.diff(np.concatenate([[False], so, [False]]).astype(np.int8)))
    first, past = edges[::2], edges[1::2]
    t = track["t"].to_numpy()
    return pd.DataFrame(
        {
            "since": t[first],
            "until": t[past - 1],
            "x": track["x"].to_numpy()[first],
            "y": track["y"].to_numpy()[first],
            "frame": track.index.to_numpy()[first],
            "frames": past - first,
        }
    )


class Extreme(NamedTuple):
    """An extreme of a craft: value [px or px/s], t [s], x, y [px], frame."""

    value: float
    t: float
    x: float
    y: float
    frame: int


def extremes_of(track: Track, index: NDArray[np.int64], up: float) -> dict[str, Extreme]:
    """Return the extremes of a craft; `up` is 1 where y grows upward, else -1."""
    there = np.arange(index.size)
    if "alive" in track and (track["alive"] != 0).any():
        there = np.flatnonzero(track["alive"] != 0)
    wanted = {
        "highest": ("y", up),
        "lowest": ("y", -up),
        "leftmost": ("x", -1.0),
        "rightmost": ("x", 1.0),
        "fastest": ("speed", 1.0),
        "slowest": ("speed", -1.0),
    }
    rows = {}
    for name, (of, sign) in wanted.items():
        row = there[int((sign * track[of][there]).argmax())]
        t, x, y = (float(track[column][row]) for column in ("t", "x", "y"))
        rows[name] = Extreme(float(track[of][row]), t, x, y, int(index[row]))
    return rows
