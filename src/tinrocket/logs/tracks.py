"""The frames of all craft of a log, and when craft are absent."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tinrocket.errors import TrajectoryError
from tinrocket.logs.rows import LogRows
from tinrocket.scenario.arena import AXES, Axis
from tinrocket.trajectory.columns import ACTION, FRAME_COLUMNS
from tinrocket.trajectory.frames import Frames
from tinrocket.trajectory.interpolate import magnitude, wrapped
from tinrocket.trajectory.wraps import Seams

Floats = NDArray[np.float64]
Indices = NDArray[np.int64]

SHORTEST = 1e-9
"""Shortest frame of a log [s]."""
OWN_PACE = 0.5
"""Share of missing frames above which a craft has frames of its own."""


@dataclass(frozen=True, slots=True)
class Tracks:
    """The frames of all craft, craft by craft.

    Attributes
    ----------
    craft, counts
        Names, and number of frames of each.
    own
        The row of the log of each frame; -1 where the craft is not in the log.
    frame, t
        Frame number of the game, and its moment [s].
    x, y
        Places [px]; interpolated while a craft is absent.
    there
        Whether the craft is present.
    """

    craft: tuple[str, ...]
    counts: tuple[int, ...]
    own: Indices
    frame: Indices
    t: Floats
    x: Floats
    y: Floats
    there: NDArray[np.bool_]

    def rows(self) -> dict[str, slice]:
        """Return the slice of the frames of each craft."""
        ends = np.cumsum(self.counts).tolist()
        return {
            name: slice(end - count, end)
            for name, end, count in zip(self.craft, ends, self.counts, strict=True)
        }

    def seen(self, axis: Axis) -> Floats:
        """Return places along an axis, NaN while the craft is absent."""
        place = self.x if axis == "x" else self.y
        return place if self.there.all() else np.where(self.there, place, np.nan)


def tracks_of(log: LogRows, source: str) -> Tracks:
    """Return the places of all craft in each of their frames.

    A craft without rows while others have some is absent: before its first
    row, behind its last, and in between.  Each absence has a first and a last frame.

    Raises
    ------
    TrajectoryError
        If the time of a craft does not increase, or it has no position.
    """
    counts, own, frame, t = _with_gaps(log)
    begins = np.cumsum([0, *counts[:-1]])
    _check_times(log, t, begins, source)
    x, y = (_told(log, axis, own) for axis in AXES)
    placed = np.isfinite(x) & np.isfinite(y)
    there = placed.copy()
    if "alive" in log.numbers:
        there &= _told(log, "alive", own) != 0.0
    if not placed.all():
        x, y = x.copy(), y.copy()
        for n in np.flatnonzero(~np.logical_and.reduceat(placed, begins)):
            rows = slice(int(begins[n]), int(begins[n]) + counts[n])
            known = placed[rows]
            if not known.any():
                raise TrajectoryError(f"{source}: '{log.craft[n]}' has no position in any row")
            for place in (x, y):
                place[rows] = np.interp(t[rows], t[rows][known], place[rows][known])
    return Tracks(log.craft, counts, own, frame, t, x, y, there)


def _with_gaps(log: LogRows) -> tuple[tuple[int, ...], Indices, Indices, Floats]:
    """Return the number of frames of each craft, and their rows, numbers and moments."""
    frames, first = np.unique(log.times.frame, return_index=True)
    moments = log.times.t[first]
    every = np.concatenate(log.rows)
    place = np.searchsorted(frames, log.times.frame[every])
    counts = [rows.size for rows in log.rows]
    if len(counts) == 1 or all(count == frames.size for count in counts):
        return tuple(counts), every, log.times.frame[every], log.times.t[every]
    owns, numbers, times = [], [], []
    end = 0
    for n, rows in enumerate(log.rows):
        mine = place[end : end + rows.size]
        end += rows.size
        more = _not_there(mine, frames.size)
        own, t = rows, log.times.t[rows]
        if more.size:
            mine = np.concatenate([mine, more])
            order = np.argsort(mine, kind="stable")
            own = np.concatenate([rows, np.full(more.size, -1)])[order]
            t, mine = np.concatenate([t, moments[more]])[order], mine[order]
            counts[n] = own.size
        owns.append(own)
        numbers.append(frames[mine])
        times.append(t)
    return tuple(counts), np.concatenate(owns), np.concatenate(numbers), np.concatenate(times)


def _not_there(place: Indices, count: int) -> Indices:
    """Return first and last frame of each absence of a craft."""
    first, last = int(place[0]), int(place[-1])
    spans = [(0, first - 1)] if first > 0 else []
    missing = last - first + 1 - place.size
    if missing and missing <= OWN_PACE * (last - first + 1):
        gaps = np.flatnonzero(place[1:] - place[:-1] > 1)
        spans += [(place[n] + 1, place[n + 1] - 1) for n in gaps.tolist()]
    if last < count - 1:
        spans.append((last + 1, count - 1))
    return np.array(sorted({int(at) for span in spans for at in span}), np.int64)


def _check_times(log: LogRows, t: Floats, begins: Indices, source: str) -> None:
    """Refuse a craft with times that do not increase."""
    steps = np.diff(t)
    steps[begins[1:] - 1] = np.inf
    wrong = np.flatnonzero(~(steps > SHORTEST))
    if wrong.size:
        row = int(wrong[0])
        craft = log.craft[int(np.searchsorted(begins, row, side="right")) - 1]
        first = int(begins[begins <= row][-1])
        if row > first and t[row + 1] < t[first] + SHORTEST:
            raise TrajectoryError(
                f"{source}: the time of '{craft}' begins anew after {t[row]:g} s; does the file "
                f"hold several runs? split it there, and compare the parts with each other"
            )
        raise TrajectoryError(
            f"{source}: the time of '{craft}' does not go on from {t[row]:g} s to "
            f"{t[row + 1]:g} s; is it several craft? name their column craft=NAME; are times "
            f"rounded? set --rate"
        )


def frames_of(log: LogRows, tracks: Tracks, seams: Mapping[str, Seams]) -> Frames:
    """Return the frames as a trajectory has them.

    Velocities missing from the log are differences of positions.
    """
    t, starts = tracks.t, np.cumsum([0, *tracks.counts[:-1]])
    steps = np.diff(t, append=np.nan)
    columns: dict[str, Floats] = {"t": t}
    rows = tracks.rows()
    for axis in AXES:
        place = tracks.x if axis == "x" else tracks.y
        path, seen, laps = place.copy(), place.copy(), np.zeros_like(place)
        for craft, own in seams.items():
            if axis in own:
                low, high = own[axis]
                mine = rows[craft]
                path[mine] = np.unwrap(place[mine], period=high - low)
                seen[mine], laps[mine] = wrapped(path[mine], own[axis])
        columns |= {axis: seen, f"wraps_{axis}": laps, f"{axis}_unwrapped": path}
        if f"v{axis}" in log.numbers:
            columns[f"v{axis}"] = _told(log, f"v{axis}", tracks.own)
        else:
            velocity = np.empty_like(path)
            velocity[1:] = (np.diff(path)) / steps[:-1]
            several = np.array(tracks.counts) > 1
            velocity[starts] = np.where(
                several, velocity[np.minimum(starts + 1, t.size - 1)], np.nan
            )
            columns[f"v{axis}"] = velocity
    columns["heading"] = (
        _told(log, "heading", tracks.own) if "heading" in log.numbers else np.full(t.size, np.nan)
    )
    columns["speed"] = magnitude(columns["vx"], columns["vy"])
    ordered = {name: columns[name] for name in FRAME_COLUMNS if name != "craft"}
    if not tracks.there.all():
        ordered["alive"] = tracks.there.astype(float)
    for name in log.numbers:
        if name.startswith(ACTION):
            ordered[name] = np.nan_to_num(_told(log, name, tracks.own))
    block = np.stack(list(ordered.values()))
    return Frames(tracks.craft, tracks.counts, tuple(ordered), block, tracks.frame)


def since(frames: Frames, begin: float) -> Frames:
    """Return frames from a moment on, with times counted from there."""
    if begin == 0.0:
        return frames
    block, index, counts = frames.block.copy(), frames.index, frames.counts
    time = block[frames.names.index("t")]
    time -= begin
    later = time >= 0.0
    if not later.all():
        counts = tuple(int(later[frames.rows(name)].sum()) for name in frames.craft)
        block, index = block[:, later], index[later]
    return Frames(frames.craft, counts, frames.names, block, index)


def _told(log: LogRows, name: str, own: Indices) -> Floats:
    """Return the log's values in some rows, NaN where it has none."""
    values: Floats = log.numbers[name][own]
    return np.where(own >= 0, values, np.nan) if (own < 0).any() else values
