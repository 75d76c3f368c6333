"""Clamps of the step's length, which drop the time of longer frames."""

import ast
from collections.abc import Iterator

from tinrocket.own_update.expressions import called, number
from tinrocket.own_update.finding import Edit, Finding
from tinrocket.own_update.routines import Code, Routine, statements

WHY = "drops the time of frames that are longer"


def clamps(code: Code, routine: Routine) -> Iterator[Finding]:
    """Yield statements such as ``dt = min(dt, 0.033)``; mended, the whole frame is spent."""
    for statement in statements(routine.node):
        if not isinstance(statement, ast.Assign) or len(statement.targets) != 1:
            continue
        target, value = statement.targets[0], statement.value
        if not isinstance(target, ast.Name) or target.id not in routine.time:
            continue
        if not isinstance(value, ast.Call) or called(value) != "min" or len(value.args) != 2:
            continue
        timed = [part for part in value.args if code.uses_time(routine, part)]
        limits = [part for part in value.args if part not in timed]
        if len(timed) == 1 and len(limits) == 1 and number(limits[0]) is not None:
            edits = (Edit(value, code.source(timed[0])),)
            yield Finding("clamp", WHY, routine, statement, target.id, edits)
