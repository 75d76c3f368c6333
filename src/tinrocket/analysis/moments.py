"""When something was so in a flight, and where it was highest, farthest and fastest."""

import numpy as np
import pandas as pd

from tinrocket.errors import OptionError


def spans_when(track: pd.DataFrame, asked: str) -> pd.DataFrame:
    """Return a row for each time without a gap in which frames of a craft were so."""
    try:
        so = np.asarray(track.eval(asked, engine="python"))
    except Exception as error:  # whatever pandas makes of a text that somebody typed
        raise OptionError(
            f"'{asked}' is no comparison of columns ({error}); "
            f"there are {', '.join(map(str, track.columns))}"
        ) from None
    if so.shape != (len(track),) or so.dtype != np.bool_:
        raise OptionError(f"'{asked}' is no comparison, such as speed > 300")
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


def extremes_of(track: pd.DataFrame, up: float) -> pd.DataFrame:
    """Return where a craft was highest and so on; `up` is 1 where y grows upward, else -1."""
    if "alive" in track and (track["alive"] != 0).any():
        track = track[track["alive"] != 0]
    wanted = {
        "highest": ("y", up),
        "lowest": ("y", -up),
        "leftmost": ("x", -1.0),
        "rightmost": ("x", 1.0),
        "fastest": ("speed", 1.0),
        "slowest": ("speed", -1.0),
    }
    rows = [int((sign * track[of].to_numpy()).argmax()) for of, sign in wanted.values()]
    picked = track.iloc[rows]
    values = [track[of].iloc[row] for (of, _sign), row in zip(wanted.values(), rows, strict=True)]
    return pd.DataFrame(
        {
            "value": values,
            **{name: picked[name].to_numpy() for name in ("t", "x", "y")},
            "frame": picked.index.to_numpy(),
        },
        index=pd.Index(list(wanted), name="extreme"),
    )
