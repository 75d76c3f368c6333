"""Spans of time and cooldowns, used by everything that waits.

A stored moment is early by TIME_EPSILON, so that it can be compared directly.
"""

from tinrocket.language.subset import kernel
from tinrocket.motion.world import TIME_EPSILON, World


@kernel
def moment_of(world: World, counted: bool) -> float:
    """Return the begin of the step: as a count of steps, or in units of time."""
    return world.count if counted else world.now


@kernel
def after(moment: float, span: float) -> float:
    """Return the end of a span that begins at a moment."""
    return moment + span - TIME_EPSILON


@kernel
def is_over(until: float, moment: float) -> bool:
    """Return whether a stored moment is over."""
    return until <= moment
