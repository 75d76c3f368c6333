"""The stage tables: lifetimes, spawners, marches, rounds, and the state of the game."""

from typing import Final

from tinrocket.kernel.records import Floats, Ints, Record
from tinrocket.kernel.subset import kernel

# What an interval depends on
BY_NOTHING: Final = 0
BY_TIME: Final = 1
BY_SCORE: Final = 2
BY_GONE: Final = 3  # how many of a march are no longer there

# What a contact may end, the greatest last
ENDS_NOTHING: Final = 0
ENDS_LIFE: Final = 1
ENDS_ROUND: Final = 2
ENDS_GAME: Final = 3

CHANCES: Final = 4096
"""Random places of a spawner, after which they begin anew."""


class Life(Record):
    """How long a craft stays and when it comes back; one for each craft."""

    lifetime: float  # 0: for ever
    lifetime_counted: int  # 1 if in steps
    respawn: float  # below 0: never
    respawn_counted: int
    respawn_times: float
    respawn_elsewhere: int  # whether it comes back at a place of its own
    respawn_x: float
    respawn_y: float
    gone: int  # whether it was found gone
    was_gone: int  # whether it was gone at the end of the last step
    losses: float  # how often it has been removed
    died: float  # when that was
    respawns: float  # so far


class Interval(Record):
    """From one to the next, which may change as the game goes on."""

    every: float
    counted: int  # 1 if in steps
    first: float
    ramp_to: float  # what it is in the end
    ramp_over: float  # how much of what it depends on it takes until then
    ramp_by: int
    due: float  # when the next is due, counted from the first


class Spawner(Record):
    """Sends craft of pools, one of each of its parts at a time."""

    interval: Interval
    low_x: float
    high_x: float
    low_y: float
    high_y: float
    clearance: float  # how far from the craft it must be clear of
    puts_ahead: int  # 1 if what is due between two steps is put ahead
    chances: Floats  # random shares of the range of places, x and y in turn
    tried: int  # random places so far
    first_part: int
    past_part: int
    first_clear: int
    past_clear: int


class SpawnerPart(Record):
    """One of what a spawner sends."""

    pool: int  # first craft of it
    pool_size: int
    offset_x: float
    offset_y: float


class March(Record):
    """A group that steps sideways together."""

    interval: Interval
    step: float
    down: float  # at each end, in the arena's own axis
    least_x: float
    most_x: float
    first_marcher: int
    past_marcher: int
    turned: int  # 1 while it goes the other way


class Stage(Record):
    """All of it, and the state of the game."""

    lives: Life
    life_count: int
    spawners: Spawner
    spawner_count: int
    parts: SpawnerPart
    clear: Ints  # craft that spawners keep clear of
    marches: March
    march_count: int
    marchers: Ints
    scores: Floats  # of each side
    sides: int
    resets: Ints  # craft that go back to their starts when a round begins
    reset_count: int
    first_to: float  # points; 0 if they decide nothing
    time_limit: float  # 0 if there is none
    lives_given: float  # 0 if they are not counted
    living: int  # the craft whose removal costs one
    pause: float
    by_score: int  # 1 if each score ends a round
    pause_ends: float  # when; 0 while there is no pause
    pause_began: float
    pause_began_count: float
    paused_for: float  # all pauses that are over
    paused_count: float  # and their steps
    lives_lost: float
    asked: int  # what contacts of this step end
    is_over: int
    scored: int  # how many scores there were
    scored_seen: int  # how many when last looked at
    losses_seen: float  # how often the craft whose lives are counted was gone, when last looked at


@kernel
def score(stage: Stage, side: int, points: float) -> None:
    """Give a side points."""
    stage.scores[side] += points
    stage.scored += 1


@kernel
def point_total(stage: Stage) -> float:
    """Return the points of all sides together."""
    total = 0.0
    for side in range(stage.sides):
        total += stage.scores[side]
    return total
