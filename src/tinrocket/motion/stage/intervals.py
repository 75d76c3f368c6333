"""Intervals of spawners and marches, which may change during the game."""

from typing import Final

from tinrocket.language.subset import kernel
from tinrocket.motion.stage.tables import (
    BY_GONE,
    BY_SCORE,
    BY_TIME,
    CHANCES,
    Interval,
    point_total,
)
from tinrocket.motion.world import World

MAX_DUE_PER_STEP: Final = 1000
"""Most entries, or steps of a march, that are due in one step of the game."""


@kernel
def time_played(world: World) -> float:
    """Return the time at the end of the step, without pauses."""
    return world.now + world.dt - world.stage.paused_for


@kernel
def overdue(world: World, interval: Interval) -> float:
    """Return how long ago the next was due, in units of time or steps; negative if not due yet."""
    ends = time_played(world)
    if interval.counted != 0:
        ends = world.count + 1.0 - world.stage.paused_count
    return ends - interval.first - interval.due


@kernel
def prolong(world: World, interval: Interval, gone: float) -> float:
    """Schedule the next, and return the present length of the interval."""
    by, share = interval.ramp_by, 0.0
    if by == BY_TIME:
        passed = time_played(world)
        if interval.exact != 0 and interval.counted == 0:
            passed = interval.first + interval.due
        share = passed / interval.ramp_over
    elif by == BY_SCORE:
        share = point_total(world.stage) / interval.ramp_over
    elif by == BY_GONE:
        share = gone / interval.ramp_over
    share = min(max(share, 0.0), 1.0)
    every = interval.every + (interval.ramp_to - interval.every) * share
    if interval.width > 0.0:
        every += interval.width * interval.chances[interval.drawn % CHANCES]
        interval.drawn += 1
    interval.due += every
    return every


@kernel
def time_late(interval: Interval, late: float) -> float:
    """Return how long before the end of the step it was due; 0 if it counts steps."""
    return 0.0 if interval.counted != 0 else max(late, 0.0)


@kernel
def fraction_of(world: World, behind: float) -> float:
    """Return the fraction of the step at a time before its end."""
    return 1.0 - behind / world.dt if world.dt > 0.0 else 1.0
