"""Which events of two flights are the same, late, early, missing or extra."""

import numpy as np
import pandas as pd

from tinrocket.analysis.alignment import align, reach_of
from tinrocket.analysis.trajectory import Trajectory

KEY = ["kind", "craft", "edge", "rule", "other", "action"]
OUTCOME_COLUMNS = [*KEY, "nth", "status", "late_ms", "t_reference", "t"]

CHANGED = ("missing", "extra")
"""What makes another outcome of a flight."""


def match_events(
    flight: Trajectory, reference: Trajectory, tolerance: float, until: float
) -> pd.DataFrame:
    """Match the events of two flights, per kind and what took part; see `align`.

    The craft of a pool are one, and a grid's are not.

    Parameters
    ----------
    tolerance
        How much later or earlier an event may be and still count as the same [s].
    until
        Events after this moment [s] are left out: frames do not all end there.

    Returns
    -------
    pandas.DataFrame
        A row for each event of either, in order of time: kind, craft, edge, rule, other, action,
        nth (from 1, in the reference; of an extra one in the flight), status (same, late, early,
        missing, extra), late_ms (negative if early), and when it was in the reference and in the
        flight [s].
    """
    sides = [_seen(one, until) for one in (reference, flight)]
    both = pd.concat(sides, ignore_index=True)
    t, first = both["t"].to_numpy(), len(sides[0])
    parts = [
        _pairs(t, rows, first, 3.0 * tolerance)
        for rows in map(np.asarray, both.groupby(KEY).indices.values())
    ]
    expected, came, nth = (
        np.concatenate([part[column] for part in parts]) if parts else np.empty(0, np.int64)
        for column in range(3)
    )
    named = np.where(expected >= 0, expected, came)
    when = [np.where(rows >= 0, t[rows], np.nan) if t.size else t for rows in (expected, came)]
    late = (when[1] - when[0]) * 1000.0
    status = np.select(
        [came < 0, expected < 0, late > tolerance * 1000.0, late < -tolerance * 1000.0],
        [*CHANGED, "late", "early"],
        "same",
    )
    table = both.loc[named, KEY].assign(
        nth=nth, status=status, late_ms=late, t_reference=when[0], t=when[1]
    )
    order = np.argsort(np.where(expected >= 0, when[0], when[1]), kind="stable")
    return table.iloc[order].reset_index(drop=True)


def _seen(flight: Trajectory, until: float) -> pd.DataFrame:
    """Return the events up to a moment; a pool's craft are all one."""
    events = flight.events
    seen = events.loc[events["t"] <= until, ["t", *KEY]].copy()
    for column in ("craft", "other"):
        seen[column] = seen[column].map(flight.pooled)
    return seen


def _pairs(
    t: np.ndarray, rows: np.ndarray, first: int, least: float
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Return the rows of alike events in the reference and in the flight, -1 for none, and nth.

    Rows below `first` are the reference's.
    """
    mine, others = rows[rows < first], rows[rows >= first]
    one, other = align(t[mine], t[others], reach_of(t[mine], least))
    partner = np.full(mine.size, -1)
    partner[one] = others[other]
    extra = np.setdiff1d(np.arange(others.size), other)
    return (
        np.concatenate([mine, np.full(extra.size, -1)]),
        np.concatenate([partner, others[extra]]),
        np.concatenate([np.arange(mine.size), extra]) + 1,
    )
