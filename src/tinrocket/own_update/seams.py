"""Limits that discard overshoot: wraps and bounces that put a value onto an edge."""

import ast
from collections.abc import Iterator

from tinrocket.own_update.counters import key_of
from tinrocket.own_update.expressions import number, same, tidy
from tinrocket.own_update.finding import Edit, Finding
from tinrocket.own_update.routines import Code, Routine, statements

WRAP = "puts it onto the other side: how far it came beyond is lost"
BOUNCE = "puts it onto the wall: how far it came beyond is lost"


def seams(code: Code, routine: Routine, counters: set[str]) -> Iterator[Finding]:
    """Yield wraps and bounces that discard overshoot."""
    for statement in statements(routine.node):
        if not isinstance(statement, ast.If):
            continue
        tests = (
            statement.test.values if isinstance(statement.test, ast.BoolOp) else [statement.test]
        )
        turning = any(_turns(inner) for inner in statement.body)
        for test in tests:
            if not isinstance(test, ast.Compare) or len(test.ops) != 1:
                continue
            if not isinstance(test.ops[0], ast.Lt | ast.LtE | ast.Gt | ast.GtE):
                continue
            if len(tests) > 1:
                continue
            place, limit = test.left, test.comparators[0]
            if not isinstance(place, ast.Attribute | ast.Subscript) or key_of(place) in counters:
                continue
            for nested in statement.body:
                text = _kept(code, nested, place, limit, turning)
                if text is not None:
                    why = BOUNCE if turning else WRAP
                    name = ast.unparse(place)
                    yield Finding("seam", why, routine, nested, name, (Edit(nested, text),))


def _kept(
    code: Code, statement: ast.stmt, place: ast.expr, limit: ast.expr, turning: bool
) -> str | None:
    """Return the replacement of a statement that keeps its overshoot."""
    if not (
        isinstance(statement, ast.Assign)
        and len(statement.targets) == 1
        and same(statement.targets[0], place)
    ):
        return None
    low, high = number(statement.value), number(limit)
    name = code.source(place)
    alike = same(statement.value, limit) or (low is not None and low == high)
    if alike:
        if not turning:
            return None
        text = tidy(2.0 * high) if high is not None else f"2 * ({code.source(limit)})"
        return f"{name} = {text} - {name}"
    if turning:
        return None
    if low is not None and high is not None:
        move = low - high
        return f"{name} {'+' if move > 0 else '-'}= {tidy(abs(move))}"
    if not isinstance(
        statement.value, ast.Constant | ast.Name | ast.Attribute | ast.BinOp | ast.UnaryOp
    ):
        return None
    if low == 0.0:
        return f"{name} -= {code.source(limit)}"
    if high == 0.0:
        return f"{name} += {code.source(statement.value)}"
    return f"{name} += {code.source(statement.value)} - ({code.source(limit)})"


def _turns(statement: ast.stmt) -> bool:
    """Return whether a statement reverses a velocity without reducing it."""
    if isinstance(statement, ast.Assign) and len(statement.targets) == 1:
        value = statement.value
        if not isinstance(value, ast.UnaryOp) or not isinstance(value.op, ast.USub):
            return False
        return same(value.operand, statement.targets[0])
    if isinstance(statement, ast.AugAssign) and isinstance(statement.op, ast.Mult):
        return number(statement.value) == -1.0
    return False
