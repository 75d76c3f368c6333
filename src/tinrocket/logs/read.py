"""A game's own log as a trajectory."""

import os
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from tinrocket.errors import TrajectoryError
from tinrocket.files import as_path
from tinrocket.logs.events import told_events
from tinrocket.logs.log_format import FirstRow, LogFormat
from tinrocket.logs.rows import LogRows, log_rows, mirrored
from tinrocket.logs.text import read_rows
from tinrocket.logs.times import frame_gaps
from tinrocket.logs.tracks import frames_of, since, tracks_of
from tinrocket.scenario.arena import AXES
from tinrocket.trajectory.columns import ACTION
from tinrocket.trajectory.file import read_trajectory
from tinrocket.trajectory.frames import Frames
from tinrocket.trajectory.motion_events import event_arrays, wrap_events
from tinrocket.trajectory.trajectory import Trajectory
from tinrocket.trajectory.wraps import Seams, find_seams

Floats = NDArray[np.float64]

MOVED = 0.005
"""Distance from its first place beyond which a craft has moved [px]."""
STEADY = 1e-6
"""Frames are steady if their lengths differ by less than this share."""
NEAR_ZERO = 2.0
"""Largest number of frames before the first row of a log that keeps its own beginning."""


@dataclass(frozen=True, slots=True)
class LogReading:
    """A log, and the intermediate results of reading it.

    Attributes
    ----------
    flight
        The log as a trajectory.
    form
        Form of its lines, in words.
    log
        Its rows.
    seams
        Where axes wrap for each craft.
    notes
        Assumptions and skipped lines, a sentence each.
    """

    flight: Trajectory
    form: str
    log: LogRows
    seams: Mapping[str, Seams]
    notes: tuple[str, ...]


def read_log(source: Path | str | pd.DataFrame, reading: LogFormat | None = None) -> Trajectory:
    """Read the log of a game, frame by frame.

    A file of columns with commas, semicolons, tabs or spaces between them, with a header or without
    one (then t, x, y), of JSON lines, or of lines such as ``t=0.5 x=3 y=4``; or a table. Times are
    moments, the length of each frame, or the number of each frame with `LogFormat.rate`. A column
    ``event`` names the events of a frame, separated by ``|``, and columns ``in.<action>``, or any
    others that hold only 0 and 1, the held actions. Where a craft has no place, or no row in a
    frame in which others have one, it is not there.


    Parameters
    ----------
    source
        A file, or a table.
    reading
        How it is to be read.

    Returns
    -------
    Trajectory
        Speeds are differences of places if they are not given.  Guesses are listed in its
        `warnings`.

    Raises
    ------
    FileError
        If the file cannot be read.
    TrajectoryError
        If columns are missing or hold something else than numbers, time does not increase, or
        frames are counted and no rate is given.

    Examples
    --------
    >>> import pandas as pd
    >>> log = pd.DataFrame({"t": [0.0, 0.1, 0.2], "x": [0, 5, 10], "y": [3, 3, 3]})
    >>> tr.read_log(log).frames["vx"].tolist()
    [50.0, 50.0, 50.0]
    """
    reading = reading or LogFormat()
    if not isinstance(source, pd.DataFrame):
        path = as_path(source)
        # os.path accepts names that are too long
        noted = path.name and os.path.exists(path.with_suffix(".about.toml"))  # noqa: PTH110
        if path.suffix == ".parquet" or noted:
            return read_trajectory(path)  # a trajectory written by this library
    return look_at_log(source, reading).flight


def look_at_log(
    source: Path | str | pd.DataFrame, reading: LogFormat, mirror: float | None = None
) -> LogReading:
    """Read a log, and return its trajectory with the intermediate steps; see `read_log`.

    Parameters
    ----------
    mirror
        Height [px] from which y is mirrored, if it grows the other way.
    """
    if isinstance(source, pd.DataFrame):
        return _reading(source, "a table", "log", "the log", (), reading, mirror)
    path = as_path(source)
    rows = read_rows(path)
    return _reading(rows.table, rows.form, path.stem, str(path), rows.notes, reading, mirror)


def _reading(
    table: pd.DataFrame,
    form: str,
    name: str,
    source: str,
    notes: Sequence[str],
    reading: LogFormat,
    mirror: float | None,
) -> LogReading:
    log = log_rows(table, reading, source)
    if mirror is not None:
        log = mirrored(log, mirror)
    tracks = tracks_of(log, source)
    rows = tracks.rows()
    places = {axis: tracks.seen(axis) for axis in AXES}
    paths = {craft: {axis: places[axis][part] for axis in AXES} for craft, part in rows.items()}
    seams, seam_notes = find_seams(
        paths, {"x": reading.wrap_x, "y": reading.wrap_y}, guesses=reading.guesses_wraps
    )
    folding = {craft: own for craft, own in seams.items() if own}
    recorded = frames_of(log, tracks, folding)
    begin = _begin(recorded, reading, source)
    recorded = since(recorded, begin)
    if min(recorded.counts) < 2:
        raise TrajectoryError(f"{source}: has fewer than two frames of a craft")
    happened = wrap_events({craft: recorded.of(craft) for craft in folding}, folding)
    if log.events is not None:
        whose = np.empty(log.times.t.size, dtype=object)
        for craft, part in zip(log.craft, log.rows, strict=True):
            whose[part] = craft
        happened += told_events(
            log.events, whose.tolist(), log.times.t - begin, log.times.frame, log.numbers
        )
    unused = (f"not used: {', '.join(log.unused)}",) if log.unused else ()
    warned = (*notes, *log.notes, *seam_notes, *_left_out(log), *unused)
    flight = Trajectory(
        keys_led=True,
        recorded=recorded,
        make_events=partial(event_arrays, happened),
        arena=None,
        title=name,
        clock=f"{name} fps" if name.replace(".", "", 1).isdecimal() else name,
        rate=_rate_of(recorded),
        seams=folding,
        y_up=bool(reading.y_up),
        make_doubts=partial(_doubts, name, warned),
    )
    return LogReading(flight, form, log, folding, warned)


def _doubts(name: str, notes: Sequence[str]) -> list[str]:
    return [f"{name}: {note}" for note in notes]


def _left_out(log: LogRows) -> tuple[str, ...]:
    """Return a note on frames of which no row was printed."""
    gaps = frame_gaps(log.times.frame)
    if not gaps:
        return ()
    return (
        (
            f"{gaps} frame{'' if gaps == 1 else 's'} of the game {'is' if gaps == 1 else 'are'} "
            f"not printed; beside a scenario they are flown"
        ),
    )


def _rate_of(recorded: Frames) -> float:
    """Return frames per second, on average if frames are not steady."""
    first = recorded.rows(recorded.craft[0])
    t, frame = recorded.column("t")[first], recorded.index[first]
    lengths = np.diff(t) / np.diff(frame)
    if float(np.ptp(lengths)) < STEADY * float(lengths.max()):
        return 1.0 / float(np.median(lengths))
    return float(frame[-1] - frame[0]) / float(t[-1] - t[0])


def _begin(recorded: Frames, reading: LogFormat, source: str) -> float:
    """Return the moment that becomes time 0 [s].

    A log that begins within two frames of 0 has its own beginning: it was printed after the
    first frame.
    """
    if reading.align == "start":
        starts = np.cumsum([0, *recorded.counts[:-1]])
        times = recorded.column("t")
        first = times[recorded.rows(recorded.craft[int(np.argmin(times[starts]))])]
        frame = float(np.median(np.diff(first))) if first.size > 1 else 0.0
        return _of_first_row(float(first[0]), frame, reading.first_row)
    begins = []
    for craft in recorded.craft:
        track = recorded.of(craft)
        t = track["t"]
        if reading.align == "motion":
            begins += motion_of(track)
            continue
        held = [column != 0.0 for name, column in track.items() if name.startswith(ACTION)]
        down = np.flatnonzero(np.any(held, axis=0)) if held else np.empty(0, np.int64)
        if down.size:
            begins.append(float(t[max(int(down[0]) - 1, 0)]))
    if not begins:
        what = "nothing moves" if reading.align == "motion" else "no key is ever down"
        raise TrajectoryError(
            f"{source}: {what}, so its beginning cannot be found by {reading.align}"
        )
    return min(begins)


def motion_of(track: Mapping[str, Floats]) -> list[float]:
    """Return the last moment before a craft first moves [s]; an empty list if it never does."""
    way = np.hypot(*(track[f"{a}_unwrapped"] - track[f"{a}_unwrapped"][0] for a in AXES))
    moved = np.flatnonzero(way > MOVED)
    return [float(track["t"][max(int(moved[0]) - 1, 0)])] if moved.size else []


def _of_first_row(t: float, frame: float, first_row: FirstRow) -> float:
    """Return the moment that becomes time 0, by the meaning of the first row."""
    if first_row == "start":
        return t
    if first_row == "end":
        return t - frame
    return 0.0 if 0.0 <= t <= NEAR_ZERO * frame else t
