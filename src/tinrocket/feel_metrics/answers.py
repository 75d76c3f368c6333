"""Answer of a manoeuvre: a number, or a note why there is none."""

import math
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Answer:
    """A feel metric; NaN if there is none, and `note` then gives the reason."""

    value: float
    note: str = ""

    def __post_init__(self) -> None:
        """Refuse a missing number without a note."""
        if not math.isfinite(self.value) and not self.note:
            raise ValueError("an answer without a number needs a note")


Answers = dict[str, Answer]
"""An answer for each metric of a manoeuvre, by its name."""

NEVER = Answer(math.nan, "never")
"""It does not happen within the time limit."""
NOT_YET = Answer(math.nan, "not within 20 s")
"""It has not happened by the end of the manoeuvre, and may later."""
UNBOUNDED = Answer(math.nan, "without limit")
"""It still grows at the end of the manoeuvre."""
NOT_THIS = Answer(math.nan, "not this craft")
"""The craft's rules do not make it possible."""
NO_CONTACT = Answer(math.nan, "no contact")
"""The game's own tape has no curve; next to a number it is labelled as an outcome."""
BLEW_UP = Answer(math.nan, "blows up")
"""The state left the range of finite numbers."""


ROUNDING = 1e-9
"""Absolute value, in any unit, and relative change below which a number is rounding."""


def without_rounding(answer: Answer) -> Answer:
    """Return an answer that is 0 where the number is rounding alone."""
    return Answer(0.0) if abs(answer.value) < ROUNDING else answer


def found(value: float | None, otherwise: Answer = NEVER) -> Answer:
    """Return a measured number, or the note of a missing one."""
    return otherwise if value is None or not math.isfinite(value) else Answer(float(value))
