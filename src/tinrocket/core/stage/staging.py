"""What happens on the stage beside the craft's own rules, as plain arrays."""

from collections.abc import Callable
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Indices = NDArray[np.int64]

# Columns for each craft; a lifetime of 0 is none, a respawn below 0 is none
LIFETIME: Final = 0
LIFETIME_COUNTED: Final = 1
RESPAWN: Final = 2
RESPAWN_COUNTED: Final = 3
RESPAWN_TIMES: Final = 4
RESPAWN_X: Final = 5  # NaN: where it started
RESPAWN_Y: Final = 6
CRAFT: Final = 7

# Columns of an interval that may change as the game goes on
EVERY: Final = 0
COUNTED: Final = 1  # 1 if in frames
FIRST: Final = 2
RAMP_TO: Final = 3  # what it is in the end
RAMP_OVER: Final = 4  # how much of what it depends on it takes until then
RAMP_BY: Final = 5

# What an interval depends on
BY_NOTHING: Final = 0.0
BY_TIME: Final = 1.0
BY_SCORE: Final = 2.0
BY_GONE: Final = 3.0  # how many of a march are no longer there

# Columns of a spawner, after its interval
LOW_X: Final = 6
HIGH_X: Final = 7
LOW_Y: Final = 8
HIGH_Y: Final = 9
CLEARANCE: Final = 10  # how far from the craft it must be clear of [px]
PUTS_AHEAD: Final = 11  # 1 if what is due between two steps is put ahead
SPAWNER: Final = 12

# Columns of a part of what a spawner sends
SENDER: Final = 0  # the spawner
POOL: Final = 1  # first craft of the pool
POOL_SIZE: Final = 2
OFFSET_X: Final = 3
OFFSET_Y: Final = 4
PART: Final = 5

# Columns of a march, after its interval
STEP: Final = 6
DOWN: Final = 7  # at each end, in the arena's own axis
LEAST_X: Final = 8
MOST_X: Final = 9
MARCH: Final = 10

# Numbers of the rounds
FIRST_TO: Final = 0  # points; 0 if they decide nothing
TIME_LIMIT: Final = 1  # s; 0 if there is none
LIVES: Final = 2  # 0 if they are not counted
LIVING: Final = 3  # the craft whose removal costs one
PAUSE: Final = 4  # s
BY_SCORES: Final = 5  # 1 if each score ends a round
ROUNDS: Final = 6

# Cells of the ledger for each, behind the scores
DIED: Final = 0  # of a craft: when it was found gone, in s or steps; NOT_YET more, 0 if it is not
RESPAWNS: Final = 1
CRAFT_CELLS: Final = 2
SENT: Final = 0  # of a spawner: when the next is due, counted from the first
TRIED: Final = 1  # random places so far
SPAWNER_CELLS: Final = 2
MARCHED: Final = 0  # of a march: as for a spawner
REVERSED: Final = 1  # 1 while it goes the other way
MARCH_CELLS: Final = 2

NOT_YET: Final = 1.0
CHANCES: Final = 4096
"""Random places of a spawner, after which they begin anew."""


class Staging(NamedTuple):
    """For C craft, S spawners with Q parts, M marches.

    Attributes
    ----------
    crafts
        Shape (C, CRAFT): lifetimes and respawns.
    spawners, parts
        Shapes (S, SPAWNER) and (Q, PART).
    clear
        Shape (Z, 2): a spawner, and a craft that it keeps clear of.
    chances
        Shape (S, CHANCES, 2): random shares of the range of places.
    marches, marchers
        Shapes (M, MARCH) and (K, 2): a march, and a craft that marches.
    rounds
        Shape (ROUNDS,).
    resets
        Which craft go back to their starts when a round begins.
    sides
        Shape (N, 1): one row for each side that scores.
    """

    crafts: Floats
    spawners: Floats
    parts: Floats
    clear: Floats
    chances: Floats
    marches: Floats
    marchers: Floats
    rounds: Floats
    resets: Indices
    sides: Floats

    @property
    def ledger(self) -> int:
        """How many cells the ledger has behind the fixed ones."""
        return (
            len(self.sides)
            + CRAFT_CELLS * len(self.crafts)
            + SPAWNER_CELLS * len(self.spawners)
            + MARCH_CELLS * len(self.marches)
        )


Conduct = Callable[..., int]
"""As `phase.conduct`."""

EMPTY_STAGE = Staging(
    crafts=np.empty((0, CRAFT)),
    spawners=np.empty((0, SPAWNER)),
    parts=np.empty((0, PART)),
    clear=np.empty((0, 2)),
    chances=np.empty((0, CHANCES, 2)),
    marches=np.empty((0, MARCH)),
    marchers=np.empty((0, 2)),
    rounds=np.zeros(ROUNDS),
    resets=np.empty(0, dtype=np.int64),
    sides=np.empty((0, 1)),
)
