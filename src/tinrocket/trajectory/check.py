"""Validation of tables of frames and events."""

import csv
from pathlib import Path

import numpy as np
import pandas as pd

from tinrocket.errors import TrajectoryError
from tinrocket.trajectory.columns import EVENT_COLUMNS, FRAME_COLUMNS, TEXTS

MAY_BE_NONE = ("heading", "vx", "vy", "speed")
"""Columns that a log may lack; NaN then."""

LARGEST = 1e15
"""Largest number of a flight."""


def unquoted(table: pd.DataFrame) -> pd.DataFrame:
    """Return a table with its texts unquoted."""
    changed = {}
    for name in TEXTS:
        if name in table:
            texts = table[name].astype(str)
            mark = texts.str.startswith("'")
            if mark.any():
                changed[name] = texts.where(~mark, texts.str[1:])
    return table.assign(**changed) if changed else table


def read_columns(path: Path) -> pd.DataFrame:
    """Read a CSV table in which texts stay texts, whatever they contain.

    Raises
    ------
    ValueError
        If it is not a table.
    """
    with path.open(encoding="utf-8-sig", newline="") as file:
        try:
            header = next(csv.reader(file), [])
        except csv.Error as error:
            raise ValueError(str(error)) from None
    if len(set(header)) < len(header):
        raise ValueError("two columns have the same name")
    nothing = {name: ["", "nan", "NaN"] for name in header if name not in TEXTS}
    texts = dict.fromkeys((name for name in TEXTS if name in header), str)
    return pd.read_csv(path, dtype=texts, keep_default_na=False, na_values=nothing)


def checked_frames(table: pd.DataFrame, path: Path | str) -> pd.DataFrame:
    """Return a validated table of frames, with craft as ordered categories.

    Raises
    ------
    TrajectoryError
        With the first problem.
    """
    wanted = ["frame", *FRAME_COLUMNS]
    missing = [column for column in wanted if column not in table]
    if missing or table.empty:
        lack = f"has no column {', '.join(missing)}" if missing else "holds no frames"
        raise TrajectoryError(f"{path}: {lack}; a trajectory has {', '.join(wanted)}")
    if ("view_x" in table) != ("view_y" in table):
        raise TrajectoryError(f"{path}: has one of the columns view_x and view_y, and needs both")
    codes, craft_names = pd.factorize(table["craft"].astype(str))
    names = craft_names.tolist()
    if not all(name and name.isprintable() for name in names):
        raise TrajectoryError(f"{path}: column 'craft' holds something else than names")
    for column in table.columns:
        if column != "craft":
            _check_numbers(table[column], str(column), path)
    frame, t = table["frame"].to_numpy(np.float64), table["t"].to_numpy(np.float64)
    if (frame != np.floor(frame)).any() or (frame < 0).any():
        raise TrajectoryError(f"{path}: column 'frame' holds something else than whole numbers")
    same = (np.diff(codes) == 0) & (np.diff(frame) > 0)
    if len(names) != 1 + int((~same).sum()):
        raise TrajectoryError(f"{path}: the frames of a craft are not one after the other")
    back = np.flatnonzero((np.diff(t) <= 0.0) & same)
    if back.size:
        raise TrajectoryError(
            f"{path}: the time of '{names[codes[back[0]]]}' does not go on "
            f"from {t[back[0]]:g} s to {t[back[0] + 1]:g} s"
        )
    return table.assign(craft=pd.Categorical.from_codes(codes, categories=craft_names))


def _check_numbers(column: pd.Series, name: str, path: Path | str) -> None:
    if not pd.api.types.is_numeric_dtype(column) or pd.api.types.is_complex_dtype(column):
        raise TrajectoryError(f"{path}: column '{name}' holds something else than numbers")
    values = column.to_numpy(np.float64, na_value=np.nan)
    wrong = ~(np.abs(values) <= LARGEST)
    if name in MAY_BE_NONE:
        wrong &= ~np.isnan(values)
    if wrong.any():
        row = int(np.flatnonzero(wrong)[0])
        raise TrajectoryError(
            f"{path}: column '{name}' holds {values[row]:g} in row {row + 1}; "
            f"a flight's numbers are finite, and at most {LARGEST:g}"
        )


def events_of(table: pd.DataFrame, path: Path | str) -> dict[str, np.ndarray]:
    """Return the columns of a table of events.

    Raises
    ------
    TrajectoryError
        If a column holds something else than it should.
    """
    table = table.reindex(columns=EVENT_COLUMNS)
    columns: dict[str, np.ndarray] = {}
    for name in EVENT_COLUMNS:
        if name in TEXTS:
            columns[name] = table[name].astype(object).fillna("").astype(str).to_numpy(np.str_)
            continue
        try:
            values = pd.to_numeric(table[name], errors="coerce").to_numpy(np.float64)
        except OverflowError:  # an integer beyond the range of floats
            values = np.full(len(table), np.nan)
        if table[name].notna().sum() > (np.abs(values) <= LARGEST).sum():
            raise TrajectoryError(
                f"{path}: column '{name}' holds something else than numbers of at most {LARGEST:g}"
            )
        if name in ("count", "frame"):
            if np.isnan(values).any() or (values != np.floor(values)).any():
                raise TrajectoryError(f"{path}: column '{name}' holds something else than counts")
            columns[name] = values.astype(np.int64)
        else:
            columns[name] = values
    if np.isnan(columns["t"]).any() or (np.diff(columns["t"]) < 0.0).any():
        raise TrajectoryError(f"{path}: the times of the events do not go on")
    return columns
