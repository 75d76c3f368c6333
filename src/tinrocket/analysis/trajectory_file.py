"""Trajectories as files: frames, events, and a note of what was flown.

``flight.csv`` holds the frames, ``flight.events.csv`` the events and ``flight.about.toml``
the rest: title, clock, rate and arena.  Parquet files are named in the same way.
"""

import tomllib
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
import tomli_w

from tinrocket.analysis.bodies import Body
from tinrocket.analysis.columns import EVENT_COLUMNS
from tinrocket.analysis.csv_text import write_csv
from tinrocket.analysis.frames import Frames
from tinrocket.analysis.trajectory import Trajectory
from tinrocket.errors import FileError, MissingExtraError, expect
from tinrocket.files import checked_file, read_text, replacing, write_text
from tinrocket.scenario.arena import Arena, Edges
from tinrocket.scenario.numbers import Model
from tinrocket.scenario.obstacle import Obstacle
from tinrocket.scenario.shapes import Hit, Shape

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
        If Parquet is asked for and pyarrow is not installed.
    """
    expect(trajectory, Trajectory, "write_trajectory()", "fly one with simulate(scenario)")
    frames, events, note = _names(path)
    if frames.suffix == ".csv":
        write_csv(_numbered(trajectory.recorded), frames)
        write_csv(trajectory.happened, events)
    else:
        numbered = trajectory.frames.reset_index()
        for table, target in ((numbered, frames), (trajectory.events, events)):
            with replacing(target) as temporary:
                _with_pyarrow(partial(table.to_parquet, temporary, index=False))
    arena = (
        trajectory.arena.model_dump(mode="json", exclude_none=True) if trajectory.arena else None
    )
    about: dict[str, Any] = {
        "title": trajectory.title,
        "clock": trajectory.clock,
        "rate": trajectory.rate,
    }
    if trajectory.view:
        about["view"] = {"width": trajectory.view[0], "height": trajectory.view[1]}
    if arena:
        about["arena"] = arena
        about["craft"] = {
            name: {
                "in_view": body.in_view,
                "art_offset": body.art_offset,
                "family": body.family,
                "pooled": body.pooled,
                "leaps": body.leaps,
                "edges": body.arena.edges.model_dump(mode="json", exclude_none=True),
            }
            | {
                key: part.model_dump(mode="json", exclude_none=True)
                for key, part in (("shape", body.shape), ("hit", body.hit))
                if part is not None
            }
            for name, body in trajectory.bodies.items()
        }
        about["obstacle"] = [
            one.model_dump(mode="json", exclude_none=True) for one in trajectory.obstacles
        ]
    write_text(note, tomli_w.dumps(about))
    return frames, events, note


def _numbered(frames: Frames) -> dict[str, np.ndarray]:
    """Return frames as columns, with the number of each and whose it is."""
    whose = np.array(frames.craft, dtype=object).repeat(frames.counts)
    columns = dict(zip(frames.names, frames.block, strict=True))
    return {"frame": frames.index, "craft": whose, **columns}


def read_trajectory(path: Path | str) -> Trajectory:
    """Read a trajectory from the file its frames are in, CSV or Parquet.

    Without the note beside it the arena is not known, and without the events there are
    none.

    Raises
    ------
    FileError
        If a file cannot be read, or is not what its ending says.
    TrajectoryError
        If columns are missing or hold something else than numbers.
    MissingExtraError
        If it is a Parquet file and pyarrow is not installed.
    """
    import pandas as pd

    from tinrocket.analysis.trajectory_check import check_frames, events_of

    frames_path, events_path, note_path = _names(path)
    frames = _read_table(frames_path)
    check_frames(frames, path)
    names = list(dict.fromkeys(frames["craft"].astype(str)))
    frames["craft"] = pd.Categorical(frames["craft"].astype(str), categories=names)
    none = pd.DataFrame(columns=EVENT_COLUMNS)
    happened = events_of(_read_table(events_path) if events_path.exists() else none, events_path)
    note = _read_note(note_path) if note_path.exists() else {}
    span = float(frames["t"].max() - frames["t"].min())
    arena = Arena.from_data(note["arena"], str(note_path)) if "arena" in note else None
    seen = note.get("view")
    view = (float(seen["width"]), float(seen["height"])) if seen else None
    return Trajectory(
        recorded=Frames.from_table(frames.set_index("frame")),
        make_events=partial(dict, happened),
        arena=arena,
        title=str(note.get("title", "")),
        clock=str(note.get("clock", frames_path.stem)),
        rate=float(note.get("rate", (len(frames) / len(names) - 1) / span if span else 0.0)),
        bodies={
            name: _body(told, arena, seen, str(note_path))
            for name, told in note.get("craft", {}).items()
            if arena is not None
        },
        view=view,
        obstacles=tuple(
            Obstacle.from_data(one, str(note_path)) for one in note.get("obstacle", ())
        ),
    )


class Looks(Model):
    """How a craft's shapes stand in a note."""

    shape: Shape | None = None
    hit: Hit | None = None


def _body(told: dict[str, Any], arena: Arena, view: dict[str, Any] | None, source: str) -> Body:
    update: dict[str, Any] = {"edges": Edges.from_data(told["edges"], source)}
    if told["in_view"]:
        update |= view or {}
    looks = Looks.from_data({key: told.get(key) for key in ("shape", "hit")}, source)
    return Body(
        arena.model_copy(update=update),
        bool(told["in_view"]),
        float(told["art_offset"]),
        looks.shape,
        looks.hit,
        str(told.get("family", "")),
        bool(told.get("pooled", False)),
        bool(told.get("leaps", False)),
    )


def _names(path: Path | str) -> tuple[Path, Path, Path]:
    frames = Path(path)
    if frames.suffix not in (".csv", ".parquet"):
        raise FileError(f"{path}: a trajectory's file must end in .csv or .parquet")
    return frames, frames.with_suffix(f".events{frames.suffix}"), frames.with_suffix(".about.toml")


def _read_table(path: Path) -> "pd.DataFrame":
    import pandas as pd

    from tinrocket.analysis.trajectory_check import read_columns, unquoted

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
    except ValueError as error:  # pandas and pyarrow raise subclasses of it for what is no table
        raise FileError(f"{path}: is not a {path.suffix[1:].upper()} table: {error}") from None
    return table


def _read_note(path: Path) -> dict[str, Any]:
    try:
        return tomllib.loads(read_text(path))
    except tomllib.TOMLDecodeError as error:
        raise FileError(f"{path}: is not TOML: {error}") from None


def _with_pyarrow(action: Callable[[], Any]) -> Any:
    try:
        return action()
    except ImportError:
        raise MissingExtraError(
            "Parquet files need pyarrow; install it with: pip install 'tinrocket[parquet]'"
        ) from None
