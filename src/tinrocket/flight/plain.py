"""A plan as plain Python: the same source and the same bits, slower, under any debugger."""

import linecache
from typing import Any

import numpy as np

from tinrocket.compile import batch
from tinrocket.compile.memory import Place
from tinrocket.compile.plan import Plan
from tinrocket.compile.user_rules import called_plainly
from tinrocket.language.machine import TrapError
from tinrocket.language.records import Cells, Pointer
from tinrocket.texts import printable


class PlainMachine:
    """A memory, and the composed source that runs on it."""

    def __init__(self, plan: Plan, cells: int) -> None:
        buffer = bytearray(8 * cells)
        self.floats = np.frombuffer(buffer, np.float64)
        self.ints = np.frombuffer(buffer, np.int32)
        seen = Cells(buffer)
        names: dict[str, Any] = {}
        for name, value in plan.names.items():
            names[name] = _pointer(value, seen) if isinstance(value, Place | tuple) else value
        for name, function in plan.user_rules.items():
            names[name] = called_plainly(function, plan.memory_of(function))
        text = f"{plan.source}\n{batch.TEXT}"
        file = f"<plan {printable(plan.scenario.title) or 'of a scenario'}>"
        linecache.cache[file] = (len(text), None, text.splitlines(keepends=True), file)
        exec(compile(text, file, "exec"), names)  # noqa: S102  # the plan's own source
        self._names = names

    def call(self, name: str) -> None:
        """Call a function of the plan.

        Raises
        ------
        TrapError
            If plain Python raises an error, such as for a division by zero.
        """
        try:
            self._names[name]()
        except ArithmeticError as error:
            raise TrapError(str(error)) from error


def _pointer(value: Place | tuple[Place, int], cells: Cells) -> Pointer:
    if isinstance(value, tuple):
        place, index = value
        return place.pointer(cells)[index]  # type: ignore[index,no-any-return]
    return value.pointer(cells)
