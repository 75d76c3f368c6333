"""Chances per frame, such as ``if random() < 0.02``."""

import ast
from collections.abc import Iterator

from tinrocket.own_update.expressions import called, in_brackets, number, tidy
from tinrocket.own_update.finding import Edit, Finding, power_text
from tinrocket.own_update.routines import Code, Routine, statements

WHY = "has the same chance in every frame"


def chances(code: Code, routine: Routine) -> Iterator[Finding]:
    """Yield tests with a chance that does not depend on the length of the frame."""
    for statement in statements(routine.node):
        if not isinstance(statement, ast.If):
            continue
        for test in ast.walk(statement.test):
            if not isinstance(test, ast.Compare) or len(test.ops) != 1:
                continue
            drawn = _chance(code, routine, test)
            if drawn is not None:
                chance, text = drawn
                edits = (Edit(test, text, chance),)
                yield Finding("chance", WHY, routine, statement, "", edits)


def _chance(code: Code, routine: Routine, test: ast.Compare) -> tuple[str, str] | None:
    """Return the probability in a tuned frame, and the test to write instead."""
    left, op, right = test.left, test.ops[0], test.comparators[0]
    if isinstance(op, ast.Gt | ast.GtE):
        left, right = right, left
    drawn = isinstance(left, ast.Call) and called(left) == "random" and not left.args
    if drawn and isinstance(op, ast.Lt | ast.LtE | ast.Gt | ast.GtE):
        if code.uses_time(routine, right):
            return None
        value, text = number(right), code.source(right)
        kept = tidy(1.0 - value) if value is not None else f"(1 - {in_brackets(text, right)})"
        return text, f"{code.source(left)} < 1 - {kept} ** {power_text(code, routine)}"
    if not isinstance(op, ast.Eq) or not isinstance(left, ast.Call) or number(right) is None:
        return None
    name, bounds = called(left), [number(argument) for argument in left.args]
    sides = None
    if name == "randrange" and len(bounds) == 1 and bounds[0]:
        sides = bounds[0]
    if name == "randint" and len(bounds) == 2 and None not in bounds:
        sides = (bounds[1] or 0.0) - (bounds[0] or 0.0) + 1.0
    if not sides or sides < 2.0 or not isinstance(left.func, ast.Name | ast.Attribute):
        return None
    owner = f"{ast.unparse(left.func.value)}." if isinstance(left.func, ast.Attribute) else ""
    chance = f"1 / {tidy(sides)}"
    text = f"{owner}random() < 1 - (1 - {chance}) ** {power_text(code, routine)}"
    return chance, text
