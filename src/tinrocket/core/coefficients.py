"""What becomes of a rule's number in a step of a given length.

The loop asks again when the length changes, so that a steady clock pays for an
exponential once and not once a step.  Which kind a number is of, and so all that a
timing means, is decided where a rule is lowered.
"""

import math

from tinrocket.core.jit import outlined
from tinrocket.core.layout import KEPT_EXACT, KEPT_LINEAR, PER, SHARE_EXACT, TIMES
from tinrocket.core.program import Floats, Indices


@outlined
def renew(coef: Floats, numbers: Floats, timed: Indices, kinds: Indices, dt: float) -> None:
    """Work out anew the coefficients that depend on the length of the step."""
    for index in range(timed.size):
        coef[timed[index]] = coefficient(kinds[index], numbers[timed[index]], dt)


@outlined
def coefficient(kind: int, number: float, dt: float) -> float:
    """Return the coefficient of this kind for a step of `dt` seconds."""
    if kind == TIMES:
        return number * dt
    if kind == KEPT_LINEAR:
        return 1.0 - number * dt
    if kind == KEPT_EXACT:
        return math.exp(-number * dt)
    if kind == SHARE_EXACT:
        return -math.expm1(-number * dt)
    if kind == PER:
        return number / dt
    return number
