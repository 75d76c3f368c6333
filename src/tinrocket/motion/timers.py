"""Spans of time and cooldowns: the one way in which anything waits.

A moment that is waited for is kept early by TIME_EPSILON, so that it can be compared as it is.
"""

from tinrocket.language.subset import kernel
from tinrocket.motion.world import TIME_EPSILON, World


@kernel
def moment_of(world: World, counted: bool) -> float:
    """Return when the step begins: as a count of steps, or in units of time."""
    return world.count if counted else world.now


@kernel
def after(moment: float, span: float) -> float:
    """Return when a span that begins at a moment is over."""
    return moment + span - TIME_EPSILON


@kernel
def is_over(until: float, moment: float) -> bool:
    """Whether what lasts until a moment is over by now."""
    return until <= moment
