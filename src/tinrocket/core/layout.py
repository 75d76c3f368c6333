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
ALIVE: Final = 8  # 1; 0 once it is removed; FROZEN once a contact has stopped it
SPIN: Final = 9  # rad/s
TOUCH_X: Final = 10  # the last step, from 1, in which a wall held it; below 0: the low one
TOUCH_Y: Final = 11
ALOFT: Final = 12  # 1 while a hop lifts the craft over the walls
STATE_WIDTH: Final = 13

FROZEN: Final = -1.0

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

# Rows of the moments: about each step
NOW: Final = 0  # when it begins in the game's time [s]
COUNT: Final = 1  # how many came before it
RENEWED: Final = 2  # 1 if it is not as long as the one before

# The first columns of the inputs.
ZEROS: Final = 0  # stands for "no action"
ONES: Final = 1  # stands for "always"

# Columns of an event row.
EVENT_STEP: Final = 0  # index of the step in which it happened, from 0
EVENT_CRAFT: Final = 1
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

FIRST_RULE: Final = 4
"""Events of rules are numbered from here, after the four sides."""

# How a flight ended.
FLEW: Final = -1  # otherwise: the index of the craft whose numbers blew up

SOON: Final = 1e-9
"""Moments closer than this are the same, in s and in frames."""
