"""What the numbers in the core's arrays mean: columns, edges, events, coefficients.

Plain integers, so that Numba folds them into the compiled loop.
"""

from typing import Final

# Columns of a craft's state.  A recording keeps the first of them.
X: Final = 0
Y: Final = 1
VX: Final = 2
VY: Final = 3
HEADING: Final = 4  # rad, counted so that the craft points along (cos, sin)
LAPS_X: Final = 5
LAPS_Y: Final = 6
HEIGHT: Final = 7  # above the ground, in a hop
ALIVE: Final = 8  # 1; 0 while it is not there; FROZEN, PAUSED: there, but does not move
SPIN: Final = 9  # rad/s
TOUCH_X: Final = 10  # the last step, from 1, in which a wall held it; below 0: the low one
TOUCH_Y: Final = 11
ALOFT: Final = 12  # 1 while a hop lifts the craft over walls and bodies
BORN: Final = 13  # when it appeared [s]
BORN_COUNT: Final = 14  # how many steps came before it appeared
SIGHT: Final = 15  # how far it looks along its heading for something to hit, in this step
STATE_WIDTH: Final = 16

FROZEN: Final = -1.0
PAUSED: Final = -2.0  # between two rounds

ALWAYS_RECORDED: Final = 7  # the columns up to LAPS_Y
MOST_RECORDED: Final = 9  # HEIGHT and ALIVE as well, where they can change

# Edges: what a side of the arena does, and the sides in order.
OPEN: Final = 0
WRAP: Final = 1
CLAMP: Final = 2
BOUNCE: Final = 3
HOLD: Final = 4  # a clamp that leaves the speed alone
REMOVE: Final = 5

X_LOW: Final = 0
X_HIGH: Final = 1
Y_LOW: Final = 2
Y_HIGH: Final = 3

# Columns of `walls[craft, side]`.
WALL_KIND: Final = 0
WALL_AT: Final = 1
WALL_RESTITUTION: Final = 2

# How a coefficient comes from a number and the length of a step, where it does.
TIMES: Final = 1  # number dt
KEPT_LINEAR: Final = 2  # 1 - number dt
KEPT_EXACT: Final = 3  # exp(-number dt)
SHARE_EXACT: Final = 4  # 1 - exp(-number dt)
PER: Final = 5  # number / dt

# Cells of the ledger: what is kept of the game beside the craft, all zero at first
PAUSE_ENDS: Final = 0  # when [s]; 0 while there is no pause
PAUSE_BEGAN: Final = 1  # when [s]
PAUSE_BEGAN_COUNT: Final = 2  # how many steps came before it
PAUSED_FOR: Final = 3  # all pauses that are over [s]
PAUSED_COUNT: Final = 4  # and their steps
LIVES_LOST: Final = 5
IS_OVER: Final = 6
SCORES_SEEN: Final = 7  # how many scores there were when last looked at
SCORES: Final = 8  # how many there were
MISSED: Final = 9  # whether the loss of a life has been seen
FIRST_SCORE: Final = 10  # the sides' points, then what each craft, spawner and march needs

# Rows of the moments: about each step
NOW: Final = 0  # when it begins in the game's time [s]
COUNT: Final = 1  # how many came before it
RENEWED: Final = 2  # 1 if it is not as long as the one before

# The first columns of the inputs.
ZEROS: Final = 0  # stands for "no action"
ONES: Final = 1  # stands for "always"

# Columns of an event row.
EVENT_STEP: Final = 0  # index of the step in which it happened, from 0
EVENT_CRAFT: Final = 1  # or the side of a score
EVENT_WHAT: Final = 2  # the side; FIRST_RULE plus the instruction; or -1 - 2 contact - hard
EVENT_FRACTION: Final = 3  # how far into the step, 0 to 1
EVENT_X: Final = 4
EVENT_Y: Final = 5
EVENT_SPEED: Final = 6  # on arrival
EVENT_COUNT: Final = 7  # crossings of this side within the one step
EVENT_OTHER: Final = 8  # the other body of a contact
EVENT_GAP: Final = 9  # that a contact has at the end of the step, below zero if it overlaps
EVENT_NORMAL: Final = 10  # rad, from the other body
EVENT_WIDTH: Final = 11

# What happens on the stage, as EVENT_WHAT
FIRST_STAGE: Final = -1_000_000
EXPIRE: Final = FIRST_STAGE  # its lifetime is over
ENTER: Final = FIRST_STAGE - 1  # a spawner sent it
CROWDED: Final = FIRST_STAGE - 2  # a spawner found no place for it
NO_ROOM: Final = FIRST_STAGE - 3  # all of its pool are there already
RESPAWN: Final = FIRST_STAGE - 4
REVERSE: Final = FIRST_STAGE - 5  # a march came to its end and turned
STEP: Final = FIRST_STAGE - 9  # of a march
LIFE: Final = FIRST_STAGE - 6  # a life was lost
ROUND: Final = FIRST_STAGE - 7  # a round began
OVER: Final = FIRST_STAGE - 8  # the game

FIRST_RULE: Final = 4
"""Events of rules are numbered from here, after the four sides."""

# How a flight ended.
FLEW: Final = -1  # otherwise: the index of the craft whose numbers blew up

SOON: Final = 1e-9
"""Moments closer than this are the same, in s and in frames."""
