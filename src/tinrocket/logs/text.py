"""The lines of a log, in any form, as a table of texts.

Columns between commas, semicolons, tabs or spaces; JSON, as lines or as one list; or lines of
``name=value``.  Comments, prefixes and lines of other kinds are skipped, and counted.
"""

import csv
import json
import re
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pandas as pd

from tinrocket.errors import TrajectoryError
from tinrocket.files import read_text

COMMENTS = ("#", "//", "--", "%")
NUMBER = r"[-+]?(?:\d+(?:[.,]\d+)?|\.\d+)(?:[eE][-+]?\d+)?"
PAIR = re.compile(
    rf"([A-Za-z_][\w.\[\]]*)\s*[=:]\s*"
    rf"(\(\s*{NUMBER}(?:\s*[,; ]\s*{NUMBER})+\s*\)|{NUMBER}(?![\w:])|\"[^\"]*\"|[\w:.|+-]+)"
)
INSIDE = re.compile(NUMBER)
CLOCK = re.compile(r"^\W*(?:\d{4}-\d\d-\d\d[T ])?(\d{1,2}:\d\d:\d\d(?:[.,]\d+)?)\b")
COMMA = re.compile(r"[-+]?\d+,\d+(?:[eE][-+]?\d+)?")
WITHOUT_HEADER = ("t", "x", "y", "heading")
MOST_OPENING = 40
"""Most lines before the columns of a log that may be something else."""


@dataclass(frozen=True, slots=True)
class Rows:
    """The table in the text of a log.

    Attributes
    ----------
    table
        Its columns, all texts.
    form
        Form of the lines, in words.
    notes
        Skipped lines and assumptions, a sentence each.
    """

    table: pd.DataFrame
    form: str
    notes: tuple[str, ...] = ()


def read_rows(path: Path) -> Rows:
    """Read the lines of a log.

    Raises
    ------
    FileError
        If it cannot be read.
    TrajectoryError
        If its lines are not a table.
    """
    text = read_text(path).removeprefix("\ufeff")
    lines = [(n, line) for n, line in enumerate(text.splitlines(), start=1) if line.strip()]
    if not lines:
        raise TrajectoryError(f"{path}: is empty")
    if text.lstrip().startswith(("[{", "[\n", "[ ")) and text.rstrip().endswith("]"):
        return _of_objects(_whole_json(text, path), "a list in JSON", 0)
    content = [(n, line) for n, line in lines if not line.lstrip().startswith(COMMENTS)]
    comments = [line for _n, line in lines if line.lstrip().startswith(COMMENTS)]
    if not content:
        raise TrajectoryError(f"{path}: holds nothing but comments")
    if sum(line.lstrip().startswith("{") for _n, line in content[:MOST_OPENING]) > 0:
        return _json_lines(content, path)
    if _has_pairs(content):
        return _pair_lines(content, path)
    return _columns(content, comments, path)


def _whole_json(text: str, path: Path) -> list[Any]:
    try:
        record = json.loads(text)
    except (ValueError, RecursionError) as error:
        raise TrajectoryError(f"{path}: is no JSON: {error}") from None
    return record if isinstance(record, list) else [record]


def _json_lines(lines: Sequence[tuple[int, str]], path: Path) -> Rows:
    objects, skipped = [], 0
    for number, line in lines:
        if not line.lstrip().startswith("{"):
            skipped += 1
            continue
        try:
            objects.append(json.loads(line))
        except (ValueError, RecursionError):
            if number != lines[-1][0]:  # the game may have been stopped within its last line
                raise TrajectoryError(f"{path}:{number}: is no JSON: {line[:60]!r}") from None
            skipped += 1
    return _of_objects(objects, "JSON, one object a line", skipped)


def _of_objects(objects: Sequence[Any], form: str, skipped: int) -> Rows:
    flat = [_flat(record) for record in objects if isinstance(record, dict)]
    skipped += len(objects) - len(flat)
    table = pd.DataFrame(flat).astype(object)
    texts = table.where(table.notna(), "").map(_text)
    return Rows(texts, form, _skipped(skipped, "are no rows and are skipped"))


def _text(value: object) -> str:
    return str(int(value)) if isinstance(value, bool) else str(value)


def _flat(data: Mapping[str, Any], before: str = "") -> dict[str, Any]:
    """Return an object flattened to dotted names; a list of texts is one text."""
    flat: dict[str, Any] = {}
    for name, value in data.items():
        if isinstance(value, dict):
            flat |= _flat(value, f"{before}{name}.")
        elif isinstance(value, list) and all(isinstance(element, str) for element in value):
            flat[f"{before}{name}"] = "|".join(value)
        elif isinstance(value, list):
            flat |= {f"{before}{name}.{n}": element for n, element in enumerate(value)}
        else:
            flat[f"{before}{name}"] = value
    return flat


def _has_pairs(lines: Sequence[tuple[int, str]]) -> bool:
    """Return whether most of the first non-empty lines name each value."""
    some = [line for _n, line in lines[:MOST_OPENING]]
    named = sum(len(PAIR.findall(line)) >= 2 for line in some)  # x and y
    return 2 * named > len(some)


def _pair_lines(lines: Sequence[tuple[int, str]], path: Path) -> Rows:
    rows, skipped = [], 0
    for _number, line in lines:
        pairs = PAIR.findall(line)
        if len(pairs) < 2:
            skipped += 1
            continue
        row: dict[str, str] = {}
        if (begin := CLOCK.match(line)) is not None:
            row["t"] = begin[1]
            pairs = PAIR.findall(line[begin.end() :])
        for name, value in pairs:
            if value.startswith("("):
                row |= {f"{name}.{n}": part for n, part in enumerate(INSIDE.findall(value))}
            else:
                row[name] = value.strip('"')
        rows.append(row)
    table, notes = _plain_numbers(pd.DataFrame(rows).fillna(""), path)
    skips = _skipped(skipped, "name no values and are skipped")
    return Rows(table, "name=value", (*skips, *notes))


def _columns(lines: Sequence[tuple[int, str]], comments: Sequence[str], path: Path) -> Rows:
    """Return the columns of lines that are split at a separator, after the head of the log."""
    split = _splitter([line for _n, line in lines], path)
    cells = split([line for _n, line in lines])
    begin = _first_row(cells)
    opening, (numbers, cells) = begin, ([n for n, _line in lines[begin:]], cells[begin:])
    header = cells[0]
    said = split([line.lstrip("".join(COMMENTS)).strip() for line in comments])
    if all(_is_number(cell) for cell in header):
        named = [
            column
            for column in said
            if len(column) == len(header) and not any(map(_is_number, column))
        ]
        header = named[-1] if named else list(WITHOUT_HEADER[: len(header)])
    else:
        numbers, cells = numbers[1:], cells[1:]
    if len(set(header)) < len(header):
        raise TrajectoryError(f"{path}: two columns have the same name")
    rows, again, cut = [], 0, 0
    width = len(header)
    for place, (number, row) in enumerate(zip(numbers, cells, strict=True)):
        if len(row) == width and row[0] != header[0]:
            rows.append(row)
        elif row == header:
            again += 1
        elif len(row) == width:
            rows.append(row)
        elif place == len(cells) - 1 and place > 0 and len(row) < len(header):
            cut = 1  # the game was stopped while it wrote
        else:
            raise TrajectoryError(
                f"{path}:{number}: has {len(row)} columns, and the first line has {len(header)}"
            )
    table, notes = _plain_numbers(pd.DataFrame(rows, columns=header), path)
    skipped = (
        *_skipped(opening, "before the columns are skipped"),
        *_skipped(again, "that repeat the header are skipped"),
        *_skipped(cut, "at the end is cut off and skipped"),
    )
    return Rows(table, "columns", (*skipped, *notes))


def _splitter(lines: Sequence[str], path: Path) -> Callable[[Sequence[str]], list[list[str]]]:
    """Return the separator of the cells in lines."""
    some = lines[-MOST_OPENING:]
    between = next((mark for mark in (";", "\t") if all(mark in line for line in some)), None)
    spaced = [line.split() for line in some]
    commas = all(
        len(cells) > 1 and all(COMMA.fullmatch(cell) or _is_number(cell) for cell in cells)
        for cells in spaced
    )  # as in "0,016 1,5 2,5"
    if between is None and not commas and any("," in line for line in some):
        between = ","

    def split(lines: Sequence[str]) -> list[list[str]]:
        if between is None:
            return [line.split() for line in lines]
        if not any('"' in line or " " in line for line in lines):
            return [line.split(between) for line in lines]
        try:
            rows = list(csv.reader(lines, delimiter=between, skipinitialspace=True))
        except csv.Error as error:
            raise TrajectoryError(f"{path}: is no table: {error}") from None
        if len(rows) < len(lines):
            raise TrajectoryError(f"{path}: a quotation mark is not closed in its line")
        return [[cell.strip() for cell in row] for row in rows]

    return split


def _first_row(cells: Sequence[Sequence[str]]) -> int:
    """Return the index of the line at which the columns begin, after lines of other lengths."""
    lengths = Counter(len(row) for row in cells[-MOST_OPENING:])
    usual = max(lengths, key=lambda length: (lengths[length], length))
    for place, row in enumerate(cells[:MOST_OPENING]):
        if len(row) == usual and len(row) > 1:
            return place
    return 0


def _plain_numbers(table: pd.DataFrame, path: Path) -> tuple[pd.DataFrame, tuple[str, ...]]:
    """Return numbers with decimal points instead of commas."""
    changed = {}
    for name in table.columns:
        texts = table[name].astype(str).str.strip()
        commas = texts.str.fullmatch(COMMA.pattern)
        if not commas.any():
            continue
        rest = texts[~commas & (texts != "")]
        if rest.str.contains(".", regex=False).any():
            raise TrajectoryError(
                f"{path}: column '{name}' holds '{texts[commas].iloc[0]}' and '{rest.iloc[0]}'; "
                f"write decimals with points alone, or with commas alone"
            )
        changed[name] = texts.where(~commas, texts.str.replace(",", ".", regex=False))
    if not changed:
        return table, ()
    return table.assign(**changed), ("decimals have commas",)


def _skipped(count: int, what: str) -> tuple[str, ...]:
    if not count:
        return ()
    return (f"{count} line{'' if count == 1 else 's'} {what}",)


def _is_number(text: str) -> bool:
    try:
        float(text)
    except ValueError:
        return COMMA.fullmatch(text) is not None
    return True
