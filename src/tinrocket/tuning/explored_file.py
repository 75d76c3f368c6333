"""The measured places of an exploration, stored in a folder."""

import csv
import hashlib
import io
import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from tinrocket.errors import FileError, OptionError
from tinrocket.files import make_directory, read_text, write_text
from tinrocket.scenario.scenario import Scenario

NAME, ABOUT = "explored.csv", "explored.about"


@dataclass(slots=True, eq=False)
class Kept:
    """A table of measured places, in order, and its file.

    A row is appended as soon as it is measured, so that a run that is killed loses one at most.
    """

    file: Path
    rows: list[list[float]] = field(default_factory=list)

    @classmethod
    def open(
        cls,
        folder: Path | str,
        scenario: Scenario,
        columns: Sequence[str],
        places: NDArray[np.float64],
    ) -> "Kept":
        """Return the measured places in a folder; begin the table if the folder is empty.

        Raises
        ------
        OptionError
            If it holds another exploration.
        FileError
            If it cannot be read or written, or does not hold a table.
        """
        home = make_directory(folder)
        file, about = home / NAME, home / ABOUT
        head = _line(columns)
        text = scenario.model_dump_json() + head
        digest = hashlib.sha256(text.encode() + places.tobytes()).hexdigest()
        if not file.exists():
            write_text(file, head)
            write_text(about, f"{digest}\n")
            return cls(file)
        if not about.exists() or read_text(about).strip() != digest:
            raise OptionError(
                f"{file}: is of another exploration; choose an empty folder, or move that away"
            )
        lines = read_text(file).splitlines(keepends=True)
        whole = [line for line in lines if line.endswith("\n")]  # a killed run leaves half a line
        rows = [_numbers(row, len(columns), file) for row in csv.reader(whole[1:])]
        if len(whole) < len(lines):
            write_text(file, "".join(whole))
        return cls(file, rows)

    def row(self, index: int) -> list[float] | None:
        """Return a row that was measured before, or None."""
        return self.rows[index] if index < len(self.rows) else None

    def add(self, row: Sequence[float]) -> None:
        """Append a row.

        Raises
        ------
        FileError
            If it cannot be written.
        """
        self.rows.append(list(row))
        try:
            with self.file.open("a", encoding="utf-8", newline="") as out:
                out.write(_line([repr(cell) if not math.isnan(cell) else "" for cell in row]))
        except OSError as error:
            raise FileError(f"{self.file}: cannot be written: {error.strerror}") from None


def _line(cells: Sequence[str]) -> str:
    text = io.StringIO()
    csv.writer(text, lineterminator="\n").writerow(cells)
    return text.getvalue()


def _numbers(row: Sequence[str], count: int, file: Path) -> list[float]:
    try:
        values = [float(cell) if cell else math.nan for cell in row]
    except ValueError:
        values = []
    if len(values) != count:
        raise FileError(f"{file}: is not as it was written; move it away to begin anew")
    return values
