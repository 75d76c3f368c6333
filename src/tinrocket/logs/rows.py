"""The rows of a log as numbers, one for each frame and craft."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from tinrocket.errors import TrajectoryError
from tinrocket.logs.columns import Layout, angle_of, layout_of
from tinrocket.logs.events import NONE
from tinrocket.logs.log_format import LogFormat
from tinrocket.logs.times import Times, times_of
from tinrocket.trajectory.columns import ACTION

Floats = NDArray[np.float64]
Indices = NDArray[np.int64]

LARGEST = 1e12
"""Largest number of a log."""
MARKS = {"0", "1", "0.0", "1.0", "true", "false"}
KEYS = re.compile(r"[^\s|;,+&]+")
MOST_KEYS = 64
"""Most keys that texts of a log may name."""
TURN = 2.0 * np.pi + 0.01
FEW = 3
"""Smallest number of distinct headings that reveal their unit."""


@dataclass(frozen=True, slots=True)
class LogRows:
    """The rows of a log.

    Attributes
    ----------
    craft
        Names of the craft, in the order in which the log first names them.
    rows
        Rows of each craft, in order.
    numbers
        x, y, vx, vy, heading [deg], alive and ``in.<action>``, as far as present.
    events
        The events of each row, or None if no column holds events.
    times
        Moment of each row.
    named
        Names of columns by meaning.
    unused
        Columns without a meaning.
    notes
        Assumptions.
    """

    craft: tuple[str, ...]
    rows: tuple[Indices, ...]
    numbers: Mapping[str, Floats]
    events: Sequence[str] | None
    times: Times
    named: Mapping[str, str]
    unused: tuple[str, ...]
    notes: tuple[str, ...]


def log_rows(table: pd.DataFrame, reading: LogFormat, source: str) -> LogRows:
    """Return the rows of a table that a game printed.

    Raises
    ------
    TrajectoryError
        If columns are missing, or hold something else than numbers.
    """
    layout = layout_of(map(str, table.columns), reading.columns, source)
    if table.empty:
        raise TrajectoryError(f"{source}: there are no rows below its columns")
    table = table.reset_index(drop=True)
    table.columns = [str(name) for name in table.columns]
    actions = _held(table, layout.known)
    unused = tuple(name for name in table.columns if name not in layout.known | set(actions))
    long, named = _long(table, layout, reading)
    long |= {f"{ACTION}{name}": _again(table[name], long) for name in actions}
    named |= {f"{ACTION}{name}": name for name in actions}
    if "keys" in long:
        pressed = _pressed(long.pop("keys"), named["keys"])
        named |= {key: named["keys"] for key in pressed if key not in long}
        long = pressed | long
    long = _merged(long)
    codes, names = pd.factorize(long["craft"])
    whose = np.asarray(codes, dtype=np.int64)
    times = times_of(long, named, whose, reading.rate, source)
    numbers = {
        what: _numbers(values, named[what], source)
        for what, values in long.items()
        if what not in ("craft", "event", "t", "dt", "frame")
    }
    notes = list(times.notes)
    if "heading" in numbers:
        numbers["heading"], said = _degrees(numbers["heading"], named["heading"], reading)
        notes += said
    order = np.argsort(whose, kind="stable")
    parts = np.split(order, np.searchsorted(whose[order], np.arange(1, len(names))))
    events = long["event"].astype(str).str.strip().tolist() if "event" in long else None
    return LogRows(
        tuple(map(str, names)), tuple(parts), numbers, events, times, named, unused, tuple(notes)
    )


def mirrored(log: LogRows, height: float) -> LogRows:
    """Return rows with y mirrored: a height minus y."""
    numbers = dict(log.numbers)
    numbers["y"] = height - numbers["y"]
    for name in ("vy", "heading"):
        if name in numbers:
            numbers[name] = -numbers[name]
    return replace(log, numbers=numbers)


def _long(
    table: pd.DataFrame, layout: Layout, reading: LogFormat
) -> tuple[dict[str, pd.Series], dict[str, str]]:
    """Return columns by their meanings, a row for each craft where rows hold several."""
    shared = {meaning: table[column] for column, meaning in layout.shared.items()}
    named = {meaning: column for column, meaning in layout.shared.items()}
    if not layout.of_craft:
        if "craft" not in shared:
            shared["craft"] = pd.Series(reading.craft, index=table.index)
        return {k: v.astype(str) if k == "craft" else v for k, v in shared.items()}, named
    own = {what for columns in layout.of_craft.values() for what in columns.values()}
    once = {what: values for what, values in shared.items() if what not in own | {"craft"}}
    several = len(layout.of_craft) > 1
    parts = []
    for craft, columns in layout.of_craft.items():
        part = pd.DataFrame(once)
        for column, what in columns.items():
            part[what] = table[column]
            named[what] = column
        part["craft"] = craft if several else reading.craft
        parts.append(part)
    whole = pd.concat(parts).sort_index(kind="stable").reset_index(drop=True)
    whole = whole.fillna({"event": ""}) if "event" in whole else whole
    return {str(name): whole[name] for name in whole.columns}, named


def _pressed(values: pd.Series, column: str) -> dict[str, pd.Series]:
    """Return whether each key that a text names in any row is down.

    A column of only 0 and 1 is a key itself.
    """
    texts = values.astype(str).str.lower().replace({"true": "1", "false": "0"})
    if set(texts) <= MARKS:
        return {f"{ACTION}{column}": texts}
    rows = [set(KEYS.findall(text)) for text in values.astype(str)]
    names = sorted(set().union(*rows) - {"nan", "none", "None", "null"})[:MOST_KEYS]
    return {
        f"{ACTION}{name}": pd.Series(["1" if name in row else "0" for row in rows])
        for name in names
    }


def _again(values: pd.Series, long: Mapping[str, pd.Series]) -> pd.Series:
    """Return the values of a row for each craft in it."""
    many = len(long["craft"]) // len(values)
    texts = values.astype(str).str.lower().replace({"true": "1", "false": "0"})
    return pd.Series(np.repeat(texts.to_numpy(), many))


def _merged(long: Mapping[str, pd.Series]) -> dict[str, pd.Series]:
    """Return rows without those that only add an event to the same frame."""
    if "event" not in long:
        return dict(long)
    table = pd.DataFrame(dict(long))
    says = ~table["event"].astype(str).str.strip().str.lower().isin(NONE)
    same = [name for name in table.columns if name != "event"]
    again = says & says.shift(fill_value=False)
    again &= (table[same] == table[same].shift()).all(axis=1)
    if not again.any():
        return dict(long)
    frame = (~again).cumsum()
    joined = table["event"].astype(str).groupby(frame).agg("|".join)
    merged = table[~again].assign(event=joined.to_numpy()).reset_index(drop=True)
    return {str(name): merged[name] for name in merged.columns}


def _held(table: pd.DataFrame, known: set[str]) -> list[str]:
    """Return the columns of unknown meaning that hold only 0 and 1."""
    rest = [str(name) for name in table.columns if str(name) not in known]
    return [name for name in rest if set(table[name].astype(str).str.lower()) <= MARKS]


def _numbers(values: pd.Series, column: str, source: str) -> Floats:
    """Return a column as numbers; empty cells are NaN."""
    texts = values.astype(str).str.strip().str.lower()
    texts = texts.replace({"true": "1", "false": "0"}) if values.dtype == object else texts
    numbers = pd.to_numeric(texts, errors="coerce").to_numpy(np.float64)
    nothing = values.isna() | texts.isin(["", "nan", "none", "null"])
    far = ~(np.abs(numbers) <= LARGEST)  # false for NaN
    wrong = np.flatnonzero(far & ~nothing.to_numpy())
    if wrong.size:
        said = values.iloc[wrong[0]]
        hint = "; a decimal comma? columns are then separated by semicolons" * ("," in str(said))
        raise TrajectoryError(
            f"{source}: column '{column}' holds '{said}' in row {wrong[0] + 1}, "
            f"which is not a number{hint}"
        )
    return numbers


def _degrees(values: Floats, column: str, reading: LogFormat) -> tuple[Floats, list[str]]:
    """Return headings in degrees, and the note about a guessed unit."""
    unit: Any = reading.heading or angle_of(column)
    notes = []
    if unit is None:
        known = values[np.isfinite(values)]
        within = known.size > 0 and float(np.abs(known).max()) <= TURN
        unit = "rad" if within and np.unique(known).size > FEW else "deg"
        whole = bool((known == np.round(known)).all())
        if unit == "rad" and whole:
            unit = "deg"
        if unit == "rad":
            notes.append(
                f"'{column}' stays within one turn of radians and is taken as radians; "
                f"set --heading deg if not"
            )
        elif within and not whole:
            notes.append(
                f"'{column}' has few values, and is taken as degrees; set --heading rad if not"
            )
    return (np.degrees(values) if unit == "rad" else values), notes
