"""A statement that counts frames where it should count time, and the edits that mend it."""

import ast
from dataclasses import dataclass, field

from tinrocket.own_update.expressions import tidy
from tinrocket.own_update.routines import Code, Routine

STEP = "\0"
"""Placeholder in the text of an edit for the variable that holds the length of the step."""


@dataclass(frozen=True, slots=True, eq=False)
class Edit:
    """An edit: the text that replaces an expression or statement.

    Attributes
    ----------
    node
        The replaced node in the tree of the file.
    text
        The new text, with `STEP` for the variable that holds dt.
    chance
        Of a random test: the probability in each tuned frame, as text.
    before
        Whether the text is a statement to put before the node, which stays.
    """

    node: ast.expr | ast.stmt
    text: str
    chance: str = ""
    before: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class Finding:
    """A statement, or several that count together, that depend on the frame rate.

    Attributes
    ----------
    kind
        adds, keeps, eases, linear, capped, counter, remainder, chance, seam, clamp, moves.
    why
        The mistake in a few words.
    routine
        The function that contains it.
    statement
        The first statement.
    target
        Text of the value that it changes; empty for a test.
    edits
        Edits that mend it.
    """

    kind: str
    why: str
    routine: Routine
    statement: ast.stmt
    target: str
    edits: tuple[Edit, ...] = field(repr=False)

    @property
    def line(self) -> int:
        """Number of the line in the file."""
        return self.statement.lineno


def step_rate(code: Code, routine: Routine) -> float:
    """Return the number of tuned frames per unit of the time variable."""
    known = code.time_name(routine)
    return 1.0 / (known[1] if known is not None else code.tuned_dt)


def frames_text(code: Code, routine: Routine) -> str:
    """Return the length of a step in tuned frames, such as ``dt * 60``."""
    rate = step_rate(code, routine)
    return STEP if abs(rate - 1.0) < 1e-12 else f"{STEP} * {tidy(rate)}"


def power_text(code: Code, routine: Routine) -> str:
    """Return the length of a step in tuned frames, as an exponent."""
    text = frames_text(code, routine)
    return text if text == STEP else f"({text})"
