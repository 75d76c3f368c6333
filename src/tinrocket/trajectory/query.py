"""Questions about the columns of a flight, such as ``speed > 300 and vy < 0``.

The text is parsed, and only numbers, names of columns, arithmetic, comparisons and ``and``, ``or``,
``not`` are evaluated: no call, no attribute and no subscript, so that no text runs any code.
"""

import ast
import functools
import operator
import re
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tinrocket.errors import OptionError, nearest

Floats = NDArray[np.float64]
Values = Any
"""An array with a value for each row, or one value for all."""

LONGEST = 10_000
"""Most letters of a question."""

ARITHMETIC: Mapping[type[ast.operator], Callable[..., Any]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: np.true_divide,
    ast.FloorDiv: np.floor_divide,
    ast.Mod: np.mod,
    ast.Pow: np.power,
}
COMPARISONS: Mapping[type[ast.cmpop], Callable[..., Any]] = {
    ast.Lt: operator.lt,
    ast.LtE: operator.le,
    ast.Gt: operator.gt,
    ast.GtE: operator.ge,
    ast.Eq: operator.eq,
    ast.NotEq: operator.ne,
}


def answer(condition: str, columns: Mapping[str, Floats], rows: int) -> NDArray[np.bool_]:
    """Return whether a comparison holds in each row.

    Parameters
    ----------
    condition
        Such as ``speed > 300 and not `in.thrust` ``; other names than words are put in backquotes.
    columns
        Shape (rows,) each, by their names.
    rows
        Number of rows.

    Raises
    ------
    OptionError
        If the text is anything else than a comparison of columns.
    """
    question = _Question(condition, columns)
    with np.errstate(all="ignore"):
        result = question.value(question.tree())
    if not _is_logical(result):
        raise OptionError(f"'{condition}' compares nothing; write such as speed > 300")
    return np.broadcast_to(np.asarray(result, dtype=np.bool_), (rows,))


def _is_logical(value: Values) -> bool:
    return np.asarray(value).dtype == np.bool_


class _Question:
    """One question, and the columns that it may name."""

    def __init__(self, condition: str, columns: Mapping[str, Floats]) -> None:
        self.condition, self.columns = condition, columns
        self.quoted: dict[str, str] = {}

    def wrong(self, what: str) -> OptionError:
        """Return the error about the comparison."""
        return OptionError(f"'{self.condition}': {what}")

    def tree(self) -> ast.expr:
        """Return the syntax tree of the question."""
        if len(self.condition) > LONGEST:
            raise self.wrong(f"is longer than {LONGEST:,} letters")
        text = re.sub(r"`([^`]*)`", self._word, self.condition)
        try:
            return ast.parse(text.strip(), mode="eval").body
        except (SyntaxError, ValueError, RecursionError, MemoryError):
            raise self.wrong(
                "is not a comparison of columns, such as speed > 300 and vy < 0"
            ) from None

    def _word(self, name: re.Match[str]) -> str:
        word = f"_quoted_{len(self.quoted)}"
        self.quoted[word] = name[1]
        return word

    def shown(self, node: ast.expr) -> str:
        """Return a part of the question as it was written, shortened."""
        text = ast.unparse(node)
        for word, name in self.quoted.items():
            text = text.replace(word, f"`{name}`")
        return text[:60]

    def value(self, node: ast.expr) -> Values:
        """Return the value of a part of the question."""
        try:
            return self._value(node)
        except RecursionError:
            raise self.wrong("nests too deeply") from None

    def _value(self, node: ast.expr) -> Values:
        match node:
            case ast.Name(id=word):
                return self.column(self.quoted.get(word, word))
            case ast.Constant(value=bool()):
                return node.value
            case ast.Constant(value=int() | float() as number):
                return self.number(number)
            case ast.UnaryOp(op=ast.Not(), operand=one):
                return np.logical_not(self.logical(one))
            case ast.UnaryOp(op=ast.USub() | ast.UAdd() as sign, operand=one):
                size = self.amount(one)
                return -size if isinstance(sign, ast.USub) else size
            case ast.BinOp(left=left, op=op, right=right) if type(op) in ARITHMETIC:
                result: Floats = ARITHMETIC[type(op)](self.amount(left), self.amount(right))
                return result
            case ast.BoolOp(op=op, values=parts):
                both = np.logical_and if isinstance(op, ast.And) else np.logical_or
                return functools.reduce(both, map(self.logical, parts))
            case ast.Compare(left=left, ops=ops, comparators=others):
                return self.compared(left, ops, others)
        raise self.wrong(
            f"cannot hold '{self.shown(node)}'; write names of columns, numbers, "
            f"+ - * / // % **, comparisons, and, or, not"
        )

    def compared(self, left: ast.expr, ops: list[ast.cmpop], others: list[ast.expr]) -> Values:
        """Return a comparison, which may go on as in ``0 < x < 100``."""
        so: Values = True
        value = self._value(left)
        for op, other in zip(ops, others, strict=True):
            if type(op) not in COMPARISONS:
                raise self.wrong("compares with in or is; write <, <=, >, >=, == or !=")
            following = self._value(other)
            so = np.logical_and(so, COMPARISONS[type(op)](value, following))
            value = following
        return so

    def column(self, name: str) -> Floats:
        """Return a column by its name."""
        if name not in self.columns:
            raise self.wrong(f"there is no column '{name}'{nearest(name, self.columns)}")
        return self.columns[name]

    def number(self, number: int | float) -> float:
        """Return a number as a float."""
        try:
            return float(number)
        except OverflowError:
            raise self.wrong("holds a number that is too large") from None

    def amount(self, node: ast.expr) -> Any:
        """Return a part that must be a number; NumPy's own, with bounded powers."""
        value = self._value(node)
        if _is_logical(value):
            raise self.wrong(f"'{self.shown(node)}' is so or not, and no number")
        return np.float64(value) if isinstance(value, float) else value

    def logical(self, node: ast.expr) -> Any:
        """Return a part that must be a truth value."""
        value = self._value(node)
        if not _is_logical(value):
            raise self.wrong(f"'{self.shown(node)}' is a number; compare it, such as with > 0")
        return value
