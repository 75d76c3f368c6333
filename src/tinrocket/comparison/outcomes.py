"""Matching the events of two flights: same, late, early, missing or extra."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from tinrocket.comparison.alignment import align, reach_of
from tinrocket.trajectory.columns import EventColumns
from tinrocket.trajectory.trajectory import Trajectory
from tinrocket.trajectory.unique_rows import kinds_of

Floats = NDArray[np.float64]
Indices = NDArray[np.int64]

KEY = ["kind", "craft", "edge", "rule", "other", "action"]

ROUNDING = 1e-6
"""Difference of two moments that differ by rounding alone [ms]."""

CHANGED = ("missing", "extra")
"""Statuses that make the outcome of a flight different."""


def match_events(
    flight: Trajectory, reference: Trajectory, tolerance: float, until: float
) -> EventColumns:
    """Match the events of two flights by kind and participants; see `align`.

    The members of a pool count as one craft; those of a grid do not.


    Parameters
    ----------
    tolerance
        Largest difference in time of an event that counts as the same [s].
    until
        Events after this moment [s] are left out: frames do not all end there.

    Returns
    -------
    dict of numpy.ndarray
        For each event of either, in order of time: kind, craft, edge, rule, other, action,
        nth (from 1, in the reference; of an extra one in the flight), status (same, late, early,
        missing, extra), late_ms (negative if early), and when it was in the reference and in the
        flight [s].
    """
    return match_seen(seen_events(reference, until), seen_events(flight, until), tolerance)


def match_seen(
    reference: dict[str, NDArray[Any]], flight: dict[str, NDArray[Any]], tolerance: float
) -> EventColumns:
    """Match events as `seen_events` returns them; see `match_events`."""
    sides = [reference, flight]
    labels = {name: np.concatenate([side[name] for side in sides]) for name in KEY}
    t, first = np.concatenate([side["t"] for side in sides]), sides[0]["t"].size
    parts = [_pairs(t, rows, first, 3.0 * tolerance) for rows in _alike(labels)]
    expected, came, nth = (
        np.concatenate([part[column] for part in parts]) if parts else np.empty(0, np.int64)
        for column in range(3)
    )
    due, when = (np.where(rows >= 0, t[rows] if t.size else t, np.nan) for rows in (expected, came))
    late = (when - due) * 1000.0
    # exactly one tuned frame must not count as late by rounding
    least = tolerance * 1000.0 + ROUNDING
    status = np.select(
        [came < 0, expected < 0, late > least, late < -least],
        [*CHANGED, "late", "early"],
        "same",
    )
    order = np.argsort(np.where(expected >= 0, due, when), kind="stable")
    named = np.where(expected >= 0, expected, came)
    columns = {name: values[named] for name, values in labels.items()}
    columns |= {"nth": nth, "status": status, "late_ms": late, "t_reference": due, "t": when}
    return {name: column[order] for name, column in columns.items()}


def _alike(labels: EventColumns) -> list[Indices]:
    """Return the rows of each kind and set of participants, sorted by time."""
    _firsts, kinds = kinds_of(labels.values())
    order = np.argsort(kinds, kind="stable")
    return np.split(order, np.flatnonzero(np.diff(kinds[order])) + 1) if kinds.size else []


def seen_events(flight: Trajectory, until: float) -> dict[str, NDArray[Any]]:
    """Return the events up to a moment; members of a pool have the name of the pool."""
    in_time = flight.happened["t"] <= until
    seen = {name: flight.happened[name][in_time] for name in ("t", *KEY)}
    for column in ("craft", "other"):
        names, of_names = np.unique(seen[column], return_inverse=True)
        pools = np.array([flight.pooled(str(name)) for name in names], dtype=np.str_)
        seen[column] = pools[of_names] if names.size else seen[column]
    return seen


def _pairs(t: Floats, rows: Indices, first: int, least: float) -> tuple[Indices, Indices, Indices]:
    """Return paired rows of the reference and the flight (-1: none), and the count of each event.

    Rows below `first` are those of the reference.
    """
    mine, others = rows[rows < first], rows[rows >= first]
    one, other = align(t[mine], t[others], reach_of(t[mine], least))
    partner = np.full(mine.size, -1)
    partner[one] = others[other]
    free = np.ones(others.size, dtype=bool)
    free[other] = False
    extra = np.flatnonzero(free)
    return (
        np.concatenate([mine, np.full(extra.size, -1)]),
        np.concatenate([partner, others[extra]]),
        np.concatenate([np.arange(mine.size), extra]) + 1,
    )
