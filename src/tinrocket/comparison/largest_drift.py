"""The largest drift of many craft: all paths without a corner at once."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from tinrocket.comparison.drift import Drift, measure_drift, pictures_of_both, without_lag
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.event_kinds import BENDING
from tinrocket.trajectory.trajectory import Trajectory

Floats = NDArray[np.float64]

AT_ONCE = 1 << 20
"""Number of distances in a block, so that a block stays in the cache."""
ROUNDING = 1e-9
"""Relative and absolute difference [px] below which two distances count as equal."""


def farthest_drift(
    flight: Trajectory, reference: Trajectory, craft: Sequence[str], until: float | None = None
) -> Drift:
    """Return the drift of the craft that drifts farthest; the first if several do.

    Paths without corners share the moments of their frames and are compared as one array. Paths
    with a corner or an end of their own are compared one by one by `measure_drift`.
    """
    drifts: dict[str, Drift] = {}
    plain = _all_frames(flight, craft) & _all_frames(reference, craft)
    largest = np.empty(len(craft))
    if plain.any():
        largest[plain] = _largest(flight, reference, np.array(craft)[plain].tolist(), until)
    for number in np.flatnonzero(~plain).tolist():
        drifts[craft[number]] = measure_drift(flight, reference, craft[number], until)
        largest[number] = drifts[craft[number]].largest
    most = float(largest.max())
    first = craft[int((largest >= most - ROUNDING * (1.0 + most)).argmax())]
    return drifts[first] if first in drifts else measure_drift(flight, reference, first, until)


def _all_frames(flight: Trajectory, craft: Sequence[str]) -> NDArray[np.bool_]:
    """Return which paths have no corner and no end of their own."""
    recorded, none = flight.recorded, np.zeros(len(craft), dtype=bool)
    if len(craft) < 2 or len(set(recorded.counts)) > 1 or "cut" in recorded.names:
        return none
    times = recorded.column("t").reshape(len(recorded.craft), -1)
    if not (times == times[0]).all():
        return none
    bent = np.isin(flight.happened["kind"], BENDING)
    plain = ~np.isin(craft, np.unique(flight.happened["craft"][bent]))
    if "alive" in recorded.names:
        there = (recorded.column("alive") != 0.0).reshape(times.shape).all(axis=1)
        plain &= there[_rows(flight, craft)]
    return plain


def _rows(flight: Trajectory, craft: Sequence[str]) -> NDArray[np.int64]:
    """Return the indices of these craft, if all have the same number of frames."""
    recorded = flight.recorded
    return np.array([recorded.rows(name).start for name in craft]) // recorded.counts[0]


def _largest(
    flight: Trajectory, reference: Trajectory, craft: Sequence[str], until: float | None
) -> Floats:
    """Return the largest distance of each craft from the reference [px], shape (craft,)."""
    both = without_lag(flight), without_lag(reference)
    times = [run.track(craft[0])["t"] for run in both]
    ends = [run.ends_at for run in both] + ([] if until is None else [until])
    born, end = max(time[0] for time in times), min(ends)
    t = np.union1d(*times)
    t = np.append(t[(t >= born) & (t < end)], end)
    t = t[pictures_of_both(t, *times)]
    places = [_between(time, t) for time in times]
    rows = [_rows(run, craft) for run in both]
    periods = _periods(flight, reference, craft)
    largest = np.empty(len(craft))
    step = max(AT_ONCE // t.size, 1)
    for begin in range(0, len(craft), step):
        some = slice(begin, begin + step)
        squares = np.zeros((len(rows[0][some]), t.size))
        for number, axis in enumerate(AXES):
            ours, its = (
                _path(run, axis, row[some], *place)
                for run, row, place in zip(both, rows, places, strict=True)
            )
            delta, period = ours - its, periods[some, number, None]
            laps = np.round(np.divide(delta, period, out=np.zeros_like(delta), where=period != 0.0))
            squares += (delta - period * laps) ** 2
        largest[some] = np.sqrt(squares.max(axis=1))
    return largest


def _between(times: Floats, t: Floats) -> tuple[NDArray[np.int64], Floats]:
    """Return the index of the frame before each moment, and the share of the way to the next."""
    if times.size == 1:
        return np.zeros(t.size, dtype=np.int64), np.zeros(t.size)
    before = np.clip(np.searchsorted(times, t, side="right") - 1, 0, times.size - 2)
    share = (t - times[before]) / (times[before + 1] - times[before])
    return before, np.clip(share, 0.0, 1.0)


def _path(
    flight: Trajectory, axis: str, rows: NDArray[np.int64], before: NDArray[np.int64], share: Floats
) -> Floats:
    """Return unwrapped places at some moments, shape (rows, moments)."""
    recorded = flight.recorded
    path = recorded.column(f"{axis}_unwrapped").reshape(len(recorded.craft), -1)[rows]
    after = np.minimum(before + 1, path.shape[1] - 1)
    begins = path[:, before]
    way: Floats = begins + (path[:, after] - begins) * share
    return way


def _periods(flight: Trajectory, reference: Trajectory, craft: Sequence[str]) -> Floats:
    """Return the wrapping period of each craft along both axes [px], shape (craft, 2)."""
    known: dict[tuple[object, object], list[float]] = {}
    intervals = []
    for name in craft:
        bodies = flight.bodies.get(name), reference.bodies.get(name)
        key = id(bodies[0]) if bodies[0] else name, id(bodies[1]) if bodies[1] else name
        if key not in known:
            seams = [flight.seam(axis, name) or reference.seam(axis, name) for axis in AXES]
            known[key] = [seam[1] - seam[0] if seam else 0.0 for seam in seams]
        intervals.append(known[key])
    return np.array(intervals)
