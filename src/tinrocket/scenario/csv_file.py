"""Tapes and captured frame times as CSV files."""

import csv
import io
import math
from collections import defaultdict
from collections.abc import Collection
from pathlib import Path

from tinrocket.errors import FileError, OptionError, Problem, ScenarioError
from tinrocket.files import read_text, write_text
from tinrocket.scenario.tape import Tape

TAPE_COLUMNS = ["t", "action", "value"]
SECONDS = {"s": 1.0, "ms": 1e-3}


def read_tape(path: Path | str, pointers: Collection[str] = ()) -> Tape:
    """Read a tape: one row ``t,action,value`` for each change of an action's value.

    An action with only the values 0 and 1 is digital; one that is still down after its
    last row stays down.  Rows may be in any order.  Where a pointer is takes two rows for each
    moment, ``NAME x`` and ``NAME y``.

    Parameters
    ----------
    path
        The file.
    pointers
        Names of the game's pointers: without them, ``NAME x`` is an action of that name.

    Raises
    ------
    FileError
        If the file cannot be read or has another header.
    ScenarioError
        With all problems of its rows.

    Examples
    --------
    >>> tr.write_tape(tr.Tape(holds={"thrust": [(0.5, 2.0)]}), "tape.csv")
    >>> tr.read_tape("tape.csv").holds
    {'thrust': ((0.5, 2.0),)}
    """
    rows = _rows(path)
    if not rows or [cell.strip() for cell in rows[0]] != TAPE_COLUMNS:
        raise FileError(f"{path}: the first line must be '{','.join(TAPE_COLUMNS)}'")
    problems: list[Problem] = []
    changes: dict[str, dict[float, float]] = defaultdict(dict)
    for line, row in enumerate(rows[1:], start=2):
        if len(row) != len(TAPE_COLUMNS) or not row[1].strip():
            problems.append(Problem(f"line {line}", "must have a time, an action and a value"))
            continue
        t, value = _number(row[0]), _number(row[2])
        if t is None or value is None:
            problems.append(Problem(f"line {line}", "time and value must be finite numbers"))
        elif t in changes[row[1].strip()]:
            problems.append(Problem(f"line {line}", f"'{row[1].strip()}' changes twice at {t:g} s"))
        else:
            changes[row[1].strip()][t] = value
    if problems:
        raise ScenarioError(problems, str(path))
    places = _take_pointers(changes, pointers, path)
    holds, values = {}, {}
    for action, by_time in changes.items():
        steps = sorted(by_time.items())
        if all(value in (0.0, 1.0) for _t, value in steps):
            holds[action] = _intervals(steps)
        else:
            values[action] = steps
    return Tape.from_data({"holds": holds, "values": values, "pointers": places}, str(path))


def _take_pointers(
    changes: dict[str, dict[float, float]], pointers: Collection[str], path: Path | str
) -> dict[str, list[tuple[float, float, float]]]:
    """Take the rows of pointers out of the changes; return each pointer's points."""
    rows_by_name: dict[str, list[tuple[float, float, float]]] = {}
    for name in pointers:
        x, y = (changes.pop(f"{name} {axis}", {}) for axis in ("x", "y"))
        if x.keys() != y.keys():
            alone = min(x.keys() ^ y.keys())
            raise ScenarioError(
                [
                    Problem(
                        f"pointer '{name}'",
                        f"has only one of '{name} x' and '{name} y' at {alone:g} s",
                    )
                ],
                str(path),
            )
        if x:
            rows_by_name[name] = [(t, x[t], y[t]) for t in sorted(x)]
    return rows_by_name


def _intervals(steps: list[tuple[float, float]]) -> list[tuple[float, float]]:
    intervals: list[tuple[float, float]] = []
    down: float | None = None
    for t, value in steps:
        if value == 1.0 and down is None:
            down = t
        elif value == 0.0 and down is not None:
            intervals.append((down, t))
            down = None
    if down is not None:
        intervals.append((down, max(FOREVER, down + 1.0)))
    return intervals


FOREVER = 1e6
"""End of an action that is never let go [s]; longer than any run."""


def write_tape(tape: Tape, path: Path | str) -> None:
    """Write a tape as changes ``t,action,value``, in order of time.

    A pointer is written as ``NAME x`` and ``NAME y``; `read_tape` needs its name.

    Raises
    ------
    OptionError
        If an action has the name of a pointer's column.
    FileError
        If the file cannot be written.

    Examples
    --------
    >>> tr.write_tape(tr.Tape(holds={"thrust": [(0.5, 2.0)]}), "tape.csv")
    >>> print(open("tape.csv").read().rstrip())
    t,action,value
    0.5,thrust,1.0
    2.0,thrust,0.0
    """
    changes = [(t, action, value) for action in tape.actions for t, value in tape.changes(action)]
    for pointer, points in tape.pointers.items():
        for axis, place in (("x", 1), ("y", 2)):
            name = f"{pointer} {axis}"
            if name in tape.actions:
                raise OptionError(f"{path}: '{name}' is an action, and a place of a pointer too")
            changes += [(float(point[0]), name, float(point[place])) for point in points]
    changes.sort()
    text = io.StringIO()
    writer = csv.writer(text, lineterminator="\n")
    writer.writerow(TAPE_COLUMNS)
    writer.writerows((repr(t), action, repr(value)) for t, action, value in changes)
    write_text(path, text.getvalue())


def read_frame_times(path: Path | str) -> tuple[float, ...]:
    """Read captured lengths of frames, in seconds, from a CSV file of one column.

    The header is ``s`` or ``ms``, alone or as the end of a name such as ``frame_ms``.

    Raises
    ------
    FileError
        If the file cannot be read or its header names neither unit.
    ScenarioError
        With all lines that are not a time above 0.
    """
    rows = _rows(path)
    header = rows[0][0].strip() if rows and len(rows[0]) == 1 else ""
    unit = header.lower().replace("(", "_").replace(" ", "_").strip(")").rsplit("_", 1)[-1]
    if unit not in SECONDS:
        raise FileError(
            f"{path}: the first line must name one column and its unit, 's' or 'ms', "
            f"such as 'frame_ms'"
        )
    problems, times = [], []
    for line, row in enumerate(rows[1:], start=2):
        length = _number(row[0]) if len(row) == 1 else None
        if length is None:
            problems.append(
                Problem(f"line {line}", f"must be one number, the frame's length in {unit}")
            )
        elif length <= 0:
            problems.append(
                Problem(f"line {line}", f"a frame's length must be above 0, not {length:g} {unit}")
            )
        else:
            times.append(length * SECONDS[unit])
    if not rows[1:]:
        problems.append(Problem("", "holds no frame times"))
    if problems:
        raise ScenarioError(problems, str(path))
    return tuple(times)


def _rows(path: Path | str) -> list[list[str]]:
    try:
        return [row for row in csv.reader(io.StringIO(read_text(path))) if row]
    except csv.Error as error:
        raise FileError(f"{path}: is no table: {error}") from None


def _number(text: str) -> float | None:
    try:
        value = float(text)
    except ValueError:
        return None
    return value if math.isfinite(value) else None
