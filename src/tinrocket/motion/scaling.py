"""Scaling of a rule's number to a step of a given length: the meaning of each timing."""

from typing import Final

from tinrocket.language.maths import exp, expm1
from tinrocket.language.subset import kernel
from tinrocket.motion.world import World

PLAIN: Final = 0  # the number itself
TIMES: Final = 1  # number dt
KEPT_LINEAR: Final = 2  # 1 - number dt
KEPT_EXACT: Final = 3  # exp(-number dt)
SHARE_EXACT: Final = 4  # 1 - exp(-number dt)
PER: Final = 5  # number / dt


@kernel
def coefficient(kind: int, number: float, dt: float) -> float:
    """Return the coefficient of this kind for a step of `dt`."""
    if kind == TIMES:
        return number * dt
    if kind == KEPT_LINEAR:
        return 1.0 - number * dt
    if kind == KEPT_EXACT:
        return exp(-number * dt)
    if kind == SHARE_EXACT:
        return -expm1(-number * dt)
    if kind == PER:
        return number / dt if dt > 0.0 else 0.0
    return number


@kernel
def rescale_rows(world: World, first: int, past: int, dt: float) -> None:
    """Recompute the coefficients of some numbers, for craft with a step length of their own."""
    scaled = world.scaled
    for n in range(first, past):
        number = scaled[n]
        coefficients = number.coefficient
        coefficients[0] = coefficient(number.kind, number.value, dt)


@kernel
def rescale(world: World, dt: float) -> None:
    """Recompute every coefficient that depends on the length of the step."""
    world.dt = dt
    scaled = world.scaled
    for n in range(world.scaled_count):
        number = scaled[n]
        coefficients = number.coefficient
        coefficients[0] = coefficient(number.kind, number.value, dt)
