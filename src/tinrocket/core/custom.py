"""Motion rules that users write: one fixed way to call them from the compiled loop.

The loop hands over the length of the step, and the craft with the rule's inputs and
numbers in one array; the rule sees the craft as a record that it changes in place.  All
rules of a program are behind one function that is told which of them is meant, so that
the loop is compiled once for whatever it will be given.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import cast

import numba
import numpy as np
from numba import types
from numba.core.errors import NumbaError
from numba.np.unsafe.ndarray import to_fixed_tuple

from tinrocket.core.absent import Absent
from tinrocket.core.jit import inlined

CRAFT = np.dtype([(name, np.float64) for name in ("x", "y", "vx", "vy", "heading", "spin")])
"""What a rule sees of its craft, in px, px/s, rad and rad/s."""

Rule = Callable[..., None]
Custom = Callable[[int, float, np.ndarray], None]

SIGNATURE = types.void(types.int64, types.float64, types.Array(types.float64, 1, "C"))


@dataclass(frozen=True, slots=True)
class Written:
    """A user's rule: the function, and how many values it takes after craft and dt."""

    function: Rule
    values: int


NO_RULES = Absent(SIGNATURE)


@lru_cache
def compiled(rules: tuple[Written, ...]) -> Custom | None:
    """Return the rules behind one compiled function, or None if one cannot be compiled."""
    if not rules:
        return NO_RULES
    if numba.config.DISABLE_JIT:  # type: ignore[attr-defined]  # set as it is read
        return interpreted(rules)
    call: Custom = numba.njit(SIGNATURE, nogil=True)(_nobody)
    try:
        for rule in reversed(rules):
            call = _before(inlined(rule.function), rule.values, call)
    except NumbaError:
        return None
    return call


def _nobody(which: int, dt: float, values: np.ndarray) -> None:
    """End the chain of rules."""


def _before(function: Rule, count: int, others: Custom) -> Custom:
    def call(which: int, dt: float, values: np.ndarray) -> None:
        if which != 0:
            others(which - 1, dt, values)
            return
        body = np.zeros(1, CRAFT)
        craft = body[0]
        craft["x"], craft["y"], craft["vx"], craft["vy"] = (
            values[0],
            values[1],
            values[2],
            values[3],
        )
        craft["heading"], craft["spin"] = values[4], values[5]
        function(craft, dt, *to_fixed_tuple(values[6:], count))  # type: ignore[call-arg]
        values[0], values[1], values[2], values[3] = (
            craft["x"],
            craft["y"],
            craft["vx"],
            craft["vy"],
        )
        values[4], values[5] = craft["heading"], craft["spin"]

    return cast("Custom", numba.njit(SIGNATURE, nogil=True, error_model="numpy")(call))


def interpreted(rules: Sequence[Written]) -> Custom:
    """Return the rules behind one function of plain Python."""

    def call(which: int, dt: float, values: np.ndarray) -> None:
        body = np.zeros(1, CRAFT).view(np.recarray)
        body.view(np.float64)[:] = values[:6]
        rules[which].function(body[0], dt, *values[6 : 6 + rules[which].values].tolist())
        values[:6] = body.view(np.float64)

    return call
