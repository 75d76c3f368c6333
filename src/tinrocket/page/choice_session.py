"""A choice by hand in a page: the current pair, and the file of answers."""

import threading
from collections.abc import Mapping
from dataclasses import dataclass, field
from io import StringIO
from pathlib import Path
from typing import Any

import pandas as pd

from tinrocket.errors import FileError, OptionError
from tinrocket.files import write_text
from tinrocket.scenario.ranges import Range
from tinrocket.tuning.choose import Choice
from tinrocket.tuning.free_numbers import FreeNumber

SLIDER_STEPS = 500


@dataclass
class ChoiceSession:
    """A choice that is updated by every answer; each answer is written at once.

    Attributes
    ----------
    choice
        The choice after the last answer.
    file
        The CSV file of its answers.
    """

    choice: Choice
    file: Path
    _pair: tuple[dict[str, float], dict[str, float]] | None = None
    _lock: threading.Lock = field(default_factory=threading.Lock)

    def state(self) -> dict[str, Any]:
        """Return the data that the page shows: the current pair, and results so far."""
        with self._lock:
            return self._state()

    def answer(self, body: Mapping[str, Any]) -> dict[str, Any]:
        """Store an answer to the current pair, and return the next one.

        Raises
        ------
        OptionError
            If it is not an answer, or belongs to another pair.
        FileError
            If the file cannot be written.
        """
        with self._lock:
            if body.get("answered") != len(self.choice.answers):
                raise OptionError("that pair is answered already; load the page anew")
            first, second = self._at_hand()
            answered = self.choice.answered(first, second, body.get("better"))  # type: ignore[arg-type]
            write_answers(answered.table, self.file)
            self.choice, self._pair = answered, None
            return self._state()

    def _at_hand(self) -> tuple[dict[str, float], dict[str, float]]:
        if self._pair is None:
            self._pair = self.choice.next_pair()
        return self._pair

    def _state(self) -> dict[str, Any]:
        first, second = self._at_hand()
        lines, answered = self.choice.lines, len(self.choice.answers)
        return {"first": first, "second": second, "answered": answered, "lines": lines}


def ranges_of(free: tuple[FreeNumber, ...]) -> dict[str, Range]:
    """Return the ranges of free numbers as a page takes them."""
    return {
        number.path: Range(number.low, number.high, (number.high - number.low) / SLIDER_STEPS)
        for number in free
    }


def write_answers(table: pd.DataFrame, path: Path) -> None:
    """Write a table of answers as CSV, whole or not at all."""
    write_text(path, table.to_csv(index=False))


def read_answers(path: Path) -> pd.DataFrame | None:
    """Return a table of answers; None if the file does not exist.

    Raises
    ------
    FileError
        If it cannot be read, or is not a table.
    """
    try:
        text = path.read_text(encoding="utf-8")
    except FileNotFoundError:
        return None
    except (OSError, UnicodeDecodeError) as error:
        raise FileError(f"{path}: cannot be read: {error}") from None
    try:
        return pd.read_csv(StringIO(text))
    except (ValueError, pd.errors.ParserError) as error:
        raise FileError(f"{path}: is no table of answers: {error}") from None
