"""A game's own log as a trajectory: what people print, frame by frame."""

import csv
import os
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Literal

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from tinrocket.analysis.between import magnitude, wrapped
from tinrocket.analysis.columns import ACTION, FRAME_COLUMNS
from tinrocket.analysis.frames import Frames
from tinrocket.analysis.trajectory import Trajectory
from tinrocket.analysis.trajectory_file import read_trajectory
from tinrocket.errors import OptionError, TrajectoryError
from tinrocket.files import as_path, read_text
from tinrocket.logs.columns import counts_ms, meanings
from tinrocket.logs.events import event_arrays, told_events, wrap_events
from tinrocket.logs.wraps import Seam, Seams, find_seams
from tinrocket.scenario.arena import AXES, Axis

Floats = NDArray[np.float64]
Align = Literal["start", "motion", "keys"]

LARGEST = 1e12
"""No number of a log is larger."""
SHORTEST = 1e-9
"""A frame of a log that is not longer is none [s]."""
MOVED = 0.005
"""A craft that is farther than this from where it began has moved [px]."""


@dataclass(frozen=True, slots=True)
class LogFormat:
    """How logs are to be read.

    Attributes
    ----------
    columns
        For a meaning (t, dt, craft, x, y, vx, vy, heading, alive, event, ``in.<action>``) the
        column that has it; the others are known by their names.
    wrap_x, wrap_y
        Where an axis wraps, low and high [px]; found from jumps if not given.
    align
        When time begins: with the ``start`` of the log, the first ``motion``, or the first of the
        ``keys``.
    craft
        What a log's only craft is called, if no column says so.
    y_up
        Whether y grows upward.
    """

    columns: Mapping[str, str] = field(default_factory=dict)
    wrap_x: tuple[float, float] | None = None
    wrap_y: tuple[float, float] | None = None
    align: Align = "start"
    craft: str = "craft"
    y_up: bool = False

    def __post_init__(self) -> None:
        """Refuse a wrap that is none; OptionError."""
        for axis, wrap in (("x", self.wrap_x), ("y", self.wrap_y)):
            if wrap is not None and not wrap[0] < wrap[1]:
                raise OptionError(
                    f"{axis} cannot wrap from {wrap[0]:g} to {wrap[1]:g}; give low:high"
                )


def read_log(source: Path | str | pd.DataFrame, reading: LogFormat | None = None) -> Trajectory:
    """Read what a game printed of its craft, frame by frame.

    A file of columns with commas, semicolons, tabs or spaces between them, with a header or
    without one (then t, x, y); or a table.  Times are seconds or milliseconds, or the length of
    each frame.  A column ``event`` names what happened in a frame, and columns ``in.<action>``,
    or any other that hold 0 and 1 alone, what was held.  An empty place means that the craft
    is not there.

    Returns
    -------
    Trajectory
        Speeds are differences of places if they are not given.  What was guessed is among its
        `warnings`.

    Raises
    ------
    FileError
        If the file cannot be read.
    TrajectoryError
        If columns are missing or hold something else than numbers, or time does not go on.
    """
    reading = reading or LogFormat()
    if isinstance(source, pd.DataFrame):
        return _trajectory(source, "log", reading)
    path = as_path(source)
    # `os.path` has an answer for names that are too long, too
    noted = path.name and os.path.exists(path.with_suffix(".about.toml"))  # noqa: PTH110
    if path.suffix == ".parquet" or noted:
        return read_trajectory(path)  # one of this library's own
    return _trajectory(_table(path), path.stem, reading, str(path))


def _table(path: Path) -> pd.DataFrame:
    """Return the columns of a text file, whatever stands between them."""
    lines = [line for line in read_text(path).splitlines() if line.strip()]
    if not lines:
        raise TrajectoryError(f"{path}: is empty")
    between = next((mark for mark in (";", "\t", ",") if mark in lines[0]), None)
    try:
        split = csv.reader(lines, delimiter=between) if between else map(str.split, lines)
        rows = [[cell.strip() for cell in row] for row in split]
    except csv.Error as error:
        raise TrajectoryError(f"{path}: is no table: {error}") from None
    header = rows[0]
    if all(_is_number(cell) for cell in header):
        header = ["t", "x", "y", "heading"][: len(header)]
    else:
        rows = rows[1:]
    for number, row in enumerate(rows, start=len(lines) - len(rows) + 1):
        if len(row) != len(header):
            raise TrajectoryError(
                f"{path}:{number}: has {len(row)} columns, and the first line has {len(header)}"
            )
    if len(set(header)) < len(header):
        raise TrajectoryError(f"{path}: two columns have the same name")
    return pd.DataFrame(rows, columns=header)


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return False
    return True


def _trajectory(
    table: pd.DataFrame, name: str, reading: LogFormat, source: str = "the log"
) -> Trajectory:
    meant = meanings(map(str, table.columns), reading.columns, source)
    if table.empty:
        raise TrajectoryError(f"{source}: there are no rows below its columns")
    columns = {meaning: table[column] for column, meaning in meant.items()}
    columns |= _held(table, set(meant))
    named = {meaning: column for column, meaning in meant.items()}
    whose = columns.get("craft", pd.Series(reading.craft, index=table.index)).astype(str)
    numbers = {
        what: _numbers(values, named.get(what, what), source)
        for what, values in columns.items()
        if what not in ("craft", "event")
    }
    rows_of = _rows_by_craft(whose)
    t, notes = _times(numbers, named, rows_of, source)
    told: dict[Axis, Seam | None] = {"x": reading.wrap_x, "y": reading.wrap_y}
    seams, found = find_seams(numbers, list(rows_of.values()), told)
    notes += found
    tracks = {
        craft: _track(craft, t, numbers, rows, seams, source) for craft, rows in rows_of.items()
    }
    begin = _begin(list(tracks.values()), reading.align, source)
    for craft, track in tracks.items():
        track["t"] -= begin
        if track["t"][0] < 0.0:
            kept = track["t"] >= 0.0
            tracks[craft] = {name: values[kept] for name, values in track.items()}
    if any(track["t"].size < 2 for track in tracks.values()):
        raise TrajectoryError(f"{source}: has fewer than two frames of a craft")
    happened = wrap_events(tracks, seams)
    if "event" in columns:
        said = columns["event"].astype(str).str.strip().to_numpy()
        happened += told_events(said, whose.to_numpy(), t - begin, numbers)
    first = next(iter(tracks.values()))["t"]
    rate = (first.size - 1) / float(first[-1] - first[0])
    return Trajectory(
        recorded=_frames_of(tracks),
        make_events=partial(event_arrays, happened),
        arena=None,
        title=name,
        clock=f"{name} fps" if _is_number(name) else name,
        rate=rate,
        seams=seams,
        y_up=reading.y_up,
        make_doubts=lambda: [f"{name}: {note}" for note in notes],
    )


def _rows_by_craft(whose: pd.Series) -> dict[str, NDArray[np.int64]]:
    """Return the rows of each craft, in the order in which the log first names them."""
    codes, names = pd.factorize(whose)
    order = np.argsort(codes, kind="stable")
    parts = np.split(order, np.searchsorted(codes[order], np.arange(1, len(names))))
    return dict(zip(map(str, names), parts, strict=True))


def _frames_of(tracks: Mapping[str, Mapping[str, Floats]]) -> Frames:
    """Return the frames of all craft; one that is always there needs no column to say so."""
    names = list(dict.fromkeys(name for track in tracks.values() for name in track))
    counts = [track["t"].size for track in tracks.values()]
    plain = {"alive": 1.0}
    block = np.empty((len(names), sum(counts)))
    for row, name in zip(block, names, strict=True):
        parts = [
            track[name] if name in track else np.full(count, plain.get(name, np.nan))
            for track, count in zip(tracks.values(), counts, strict=True)
        ]
        np.concatenate(parts, out=row)
    index = np.concatenate([np.arange(count) for count in counts])
    return Frames(tuple(tracks), tuple(counts), tuple(names), block, index)


def _held(table: pd.DataFrame, known: set[str]) -> dict[str, pd.Series]:
    """Return the columns of which nobody said what they are, and that hold 0 and 1 alone."""
    marks = {"0", "1", "0.0", "1.0", "true", "false"}
    rest = [name for name in table.columns if str(name) not in known]
    found = {
        f"{ACTION}{name}": table[name].astype(str).str.lower()
        for name in rest
        if set(table[name].astype(str).str.lower()) <= marks
    }
    return {name: values.replace({"true": "1", "false": "0"}) for name, values in found.items()}


def _numbers(values: pd.Series, column: str, source: str) -> Floats:
    """Return a column as numbers; what is empty is not there."""
    numbers = pd.to_numeric(values.replace("", np.nan), errors="coerce").to_numpy(np.float64)
    texts = values.astype(str).str.strip().str.lower()
    nothing = values.isna() | texts.isin(["", "nan", "none"])
    far = ~(np.abs(numbers) <= LARGEST)  # which NaN is not
    wrong = np.flatnonzero(far & ~nothing.to_numpy())
    if wrong.size:
        raise TrajectoryError(
            f"{source}: column '{column}' holds '{values.iloc[wrong[0]]}' in row {wrong[0] + 1}, "
            f"which is no number of a log"
        )
    return numbers


def _times(
    numbers: Mapping[str, Floats],
    named: Mapping[str, str],
    rows_of: Mapping[str, NDArray[np.int64]],
    source: str,
) -> tuple[Floats, list[str]]:
    """Return the moment of each row [s], and what was guessed of it."""
    kind = "t" if "t" in numbers else "dt"
    raw, column = numbers[kind], named[kind]
    if np.isnan(raw).any():
        raise TrajectoryError(f"{source}: column '{column}' has an empty row")
    notes = []
    steps = raw
    if kind == "dt":
        t = np.empty_like(raw)
        for rows in rows_of.values():  # each of which tells the same frames again
            t[rows] = np.cumsum(raw[rows]) - raw[rows[0]]
        raw = t
    else:
        steps = np.diff(raw[next(iter(rows_of.values()))])
    ms = counts_ms(column)
    if not ms and steps.size and float(np.median(steps)) > 1.0:
        ms = True
        notes.append(f"'{column}' is taken as milliseconds, as a frame would last over a second")
    return raw * 1e-3 if ms else raw, notes


def _track(
    craft: str,
    t: Floats,
    numbers: Mapping[str, Floats],
    rows: NDArray[np.int64],
    seams: Seams,
    source: str,
) -> dict[str, Floats]:
    """Return the frames of one craft as a trajectory has them."""
    mine = {name: values[rows] for name, values in numbers.items()}
    time = t[rows]
    steps = time[1:] - time[:-1]
    if time.size > 1 and not steps.min() > SHORTEST:
        wrong = np.flatnonzero(steps <= SHORTEST)
        raise TrajectoryError(
            f"{source}: the time of '{craft}' does not go on from {time[wrong[0]]:g} s "
            f"to {time[wrong[0] + 1]:g} s; is it several craft? name their column craft=NAME"
        )
    placed = np.isfinite(mine["x"]) & np.isfinite(mine["y"])
    all_placed = bool(placed.all())
    there = placed & (mine.get("alive", 1.0) != 0.0)
    if not placed.any():
        raise TrajectoryError(f"{source}: '{craft}' is nowhere")
    track: dict[str, Floats] = {"t": time}
    for axis in AXES:
        place = mine[axis]
        if not all_placed:
            place = np.interp(time, time[placed], place[placed])
        low, high = seams.get(axis, (0.0, 0.0))
        path = np.unwrap(place, period=high - low) if axis in seams else place
        track[axis], track[f"wraps_{axis}"] = wrapped(path, seams.get(axis))
        track[f"{axis}_unwrapped"] = path
        if f"v{axis}" in mine:
            track[f"v{axis}"] = mine[f"v{axis}"]
        else:
            velocity = np.empty(time.size)
            velocity[1:] = (path[1:] - path[:-1]) / steps
            velocity[0] = velocity[1] if time.size > 1 else np.nan
            track[f"v{axis}"] = velocity
    track["heading"] = mine.get("heading", np.full(time.size, np.nan))
    track["speed"] = magnitude(track["vx"], track["vy"])
    ordered = {name: track[name] for name in FRAME_COLUMNS if name != "craft"}
    if not np.all(there):
        ordered["alive"] = np.broadcast_to(there, time.shape).astype(float)
    held = {name: np.nan_to_num(column) for name, column in mine.items() if name.startswith(ACTION)}
    return ordered | held


def _begin(tracks: Sequence[Mapping[str, Floats]], align: Align, source: str) -> float:
    """Return the moment at which time is to begin [s].

    A log that begins within two frames of 0 has its own beginning: it was printed after the
    first frame.
    """
    begins = []
    for track in tracks:
        t = track["t"]
        if align == "start":
            if t[0] == 0.0:
                return 0.0
            frame = float(np.median(np.diff(t))) if t.size > 1 else 0.0
            begins.append(0.0 if 0.0 <= t[0] <= 2.0 * frame else float(t[0]))
            continue
        if align == "motion":
            way = np.hypot(*(track[f"{a}_unwrapped"] - track[f"{a}_unwrapped"][0] for a in AXES))
            moved = np.flatnonzero(way > MOVED)
        else:
            held = [column != 0.0 for name, column in track.items() if name.startswith(ACTION)]
            moved = np.flatnonzero(np.any(held, axis=0)) if held else np.empty(0, np.int64)
        if moved.size:
            begins.append(float(t[max(int(moved[0]) - 1, 0)]))
    if not begins:
        what = "nothing moves" if align == "motion" else "no key is ever down"
        raise TrajectoryError(f"{source}: {what}, so its beginning cannot be found by {align}")
    return min(begins)
