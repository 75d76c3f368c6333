"""Motion rules that users write: one fixed way to call them from the compiled loop.

The loop hands over the craft as a record that the rule changes in place, the length of
the step, and the rule's inputs and numbers in one array.  All rules of a program are
behind one function that is told which of them is meant, so that the loop is compiled
once for whatever it will be given.
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
Custom = Callable[[int, np.ndarray, float, np.ndarray], None]

SIGNATURE = types.void(
    types.int64,
    types.Array(numba.from_dtype(CRAFT), 1, "C"),
    types.float64,
    types.Array(types.float64, 1, "C"),
)


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


def _nobody(which: int, craft: np.ndarray, dt: float, values: np.ndarray) -> None:
    """End the chain of rules."""


def _before(function: Rule, count: int, others: Custom) -> Custom:
    def call(which: int, craft: np.ndarray, dt: float, values: np.ndarray) -> None:
        if which == 0:
            function(craft[0], dt, *to_fixed_tuple(values, count))  # type: ignore[call-arg]
        else:
            others(which - 1, craft, dt, values)

    return cast("Custom", numba.njit(SIGNATURE, nogil=True, error_model="numpy")(call))


def interpreted(rules: Sequence[Written]) -> Custom:
    """Return the rules behind one function of plain Python."""

    def call(which: int, craft: np.ndarray, dt: float, values: np.ndarray) -> None:
        rules[which].function(
            craft.view(np.recarray)[0], dt, *values[: rules[which].values].tolist()
        )

    return call
