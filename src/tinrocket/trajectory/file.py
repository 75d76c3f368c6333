"""Trajectories as files: frames, events, and a note about the flight.

``flight.csv`` holds the frames, ``flight.events.csv`` the events and ``flight.about.toml``
the rest: title, clock, rate and arena.  Parquet files are named in the same way.
"""

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from tinrocket.errors import FileError, MissingExtraError, TrajectoryError, expect
from tinrocket.files import as_path, checked_file, replacing, replacing_all
from tinrocket.trajectory.columns import EVENT_COLUMNS
from tinrocket.trajectory.csv_text import fill_csv
from tinrocket.trajectory.frames import Frames
from tinrocket.trajectory.note import Note, note_of, read_note
from tinrocket.trajectory.trajectory import Trajectory

if TYPE_CHECKING:
    import pandas as pd


def write_trajectory(trajectory: Trajectory, path: Path | str) -> tuple[Path, ...]:
    """Write a trajectory as CSV or, by the ending of `path`, as Parquet.

    Returns
    -------
    tuple of Path
        The files written: frames, events, note.

    Raises
    ------
    FileError
        If a file cannot be written, or the ending is neither ``.csv`` nor ``.parquet``.
    MissingExtraError
        If Parquet is requested and pyarrow is not installed.

    Examples
    --------
    >>> flight = tr.simulate(tr.read_demo("rocket"))
    >>> [path.name for path in tr.write_trajectory(flight, "flight.csv")]
    ['flight.csv', 'flight.events.csv', 'flight.about.toml']
    """
    expect(trajectory, Trajectory, "write_trajectory()", "fly one with simulate(scenario)")
    frames, events, note = _names(path)
    about = note_of(trajectory)
    # frames last: once they exist, events and note of the same flight exist
    with replacing_all([events, note, frames]) as (new_events, new_note, new_frames):
        new_note.write_text(about, encoding="utf-8")
        if frames.suffix == ".csv":
            fill_csv(_numbered(trajectory.recorded), new_frames)
            fill_csv(trajectory.happened, new_events)
        else:
            numbered = trajectory.frames.reset_index()
            for table, target in ((numbered, new_frames), (trajectory.events, new_events)):
                _with_pyarrow(partial(table.to_parquet, target, index=False))
    return frames, events, note


def write_parquet(table: "pd.DataFrame", path: Path) -> Path:
    """Write a table as Parquet.

    Raises
    ------
    MissingExtraError
        If pyarrow is not installed.
    FileError
        If the file cannot be written.
    """
    with replacing(path) as temporary:
        _with_pyarrow(partial(table.to_parquet, temporary, index=False))
    return path


def _numbered(frames: Frames) -> dict[str, np.ndarray]:
    """Return frames as columns, with the number and the craft of each."""
    whose = np.array(frames.craft, dtype=object).repeat(frames.counts)
    columns = dict(zip(frames.names, frames.block, strict=True))
    return {"frame": frames.index, "craft": whose, **columns}


def read_trajectory(path: Path | str) -> Trajectory:
    """Read a trajectory from the file its frames are in, CSV or Parquet.

    Without the note the arena is unknown, and without the file of events there are none.

    Raises
    ------
    FileError
        If a file cannot be read, or does not have the format of its suffix.
    TrajectoryError
        If columns are missing or hold something else than numbers.
    ScenarioError
        With all problems of the note.
    MissingExtraError
        If it is a Parquet file and pyarrow is not installed.

    Examples
    --------
    >>> written = tr.write_trajectory(tr.simulate(tr.read_demo("rocket")), "flight.csv")
    >>> tr.read_trajectory("flight.csv").craft
    ('rocket',)
    """
    import pandas as pd

    from tinrocket.trajectory.check import checked_frames, events_of

    frames_path, events_path, note_path = _names(path)
    frames = checked_frames(_read_table(frames_path), path)
    none = pd.DataFrame(columns=EVENT_COLUMNS)
    happened = events_of(_read_table(events_path) if events_path.exists() else none, events_path)
    note = read_note(note_path) if note_path.exists() else Note()
    if note.seen is not None and not {"view_x", "view_y"} <= set(frames):
        raise TrajectoryError(
            f"{path}: has no columns view_x and view_y, and the note beside it mentions a view"
        )
    span = float(frames["t"].max() - frames["t"].min())
    each = len(frames) / len(frames["craft"].cat.categories) - 1
    rate = note.rate if note.rate is not None else each / span if span else 0.0
    return Trajectory(
        recorded=Frames.from_table(frames.set_index("frame")),
        make_events=partial(dict, happened),
        arena=note.arena,
        title=note.title,
        clock=note.clock if note.clock is not None else frames_path.stem,
        rate=rate,
        bodies=note.bodies(),
        view=note.seen,
        obstacles=note.obstacle,
    )


def _names(path: Path | str) -> tuple[Path, Path, Path]:
    frames = as_path(path)
    if frames.suffix not in (".csv", ".parquet"):
        raise FileError(f"{path}: a trajectory's file must end in .csv or .parquet")
    return frames, frames.with_suffix(f".events{frames.suffix}"), frames.with_suffix(".about.toml")


def _read_table(path: Path) -> "pd.DataFrame":
    import pandas as pd

    from tinrocket.trajectory.check import read_columns, unquoted

    try:
        if path.suffix == ".csv":
            return unquoted(read_columns(checked_file(path)))
        table: pd.DataFrame = _with_pyarrow(lambda: pd.read_parquet(checked_file(path)))
    except FileError:
        raise
    except OSError as error:
        raise FileError(
            f"{path}: cannot be read: {(error.strerror or str(error)).lower()}"
        ) from None
    except MissingExtraError:
        raise
    except Exception as error:  # any error of pandas or pyarrow about an invalid table
        raise FileError(f"{path}: is not a {path.suffix[1:].upper()} table: {error}") from None
    return table


def _with_pyarrow(action: Callable[[], Any]) -> Any:
    try:
        return action()
    except ImportError:
        raise MissingExtraError(
            "Parquet files need pyarrow; install it with: pip install 'tinrocket[parquet]'"
        ) from None
