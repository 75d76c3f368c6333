"""What the numbers in the core's arrays mean: opcodes, timings, columns.

Plain integers, so that Numba folds them into the compiled loop.
"""

from typing import Final

# Timings: how a rule uses the length of the frame.
FRAME: Final = 0  # the per-frame constant at `tuned_at`, whatever the frame's length
SCALED: Final = 1  # the per-second number times dt
EXACT: Final = 2  # the closed form of the rule over dt

# Opcodes: one per piece of per-frame arithmetic.
TURN: Final = 0
THRUST: Final = 1
DRAG: Final = 2
LIMIT_SPEED: Final = 3
LIMIT_AXES: Final = 4
SNAP: Final = 5
MOVE_EULER: Final = 6
MOVE_HALF: Final = 7

ROW_WIDTH: Final = 2  # numbers a rule carries
SLOT_WIDTH: Final = 2  # actions a rule listens to

# Columns of a craft's state.
X: Final = 0
Y: Final = 1
VX: Final = 2
VY: Final = 3
HEADING: Final = 4  # rad, counted so that the craft points along (cos, sin)
LAPS_X: Final = 5
LAPS_Y: Final = 6
TOUCH_X: Final = 7  # -1, 0, 1: held by the low wall, by none, by the high wall
TOUCH_Y: Final = 8
STATE_WIDTH: Final = 9
RECORD_WIDTH: Final = 7  # the columns up to LAPS_Y are what a recording keeps

# Edges: what a side of the arena does, and the sides in order.
OPEN: Final = 0
WRAP: Final = 1
CLAMP: Final = 2
BOUNCE: Final = 3

X_LOW: Final = 0
X_HIGH: Final = 1
Y_LOW: Final = 2
Y_HIGH: Final = 3

# Columns of `walls[craft, side]`.
WALL_KIND: Final = 0
WALL_AT: Final = 1
WALL_RESTITUTION: Final = 2
WALL_WIDTH: Final = 3

# Columns of an event row.
EVENT_FRAME: Final = 0  # index of the frame in which it happened, from 0
EVENT_CRAFT: Final = 1
EVENT_SIDE: Final = 2
EVENT_FRACTION: Final = 3  # how far into the frame, 0 to 1
EVENT_X: Final = 4
EVENT_Y: Final = 5
EVENT_SPEED: Final = 6  # on arrival
EVENT_COUNT: Final = 7  # crossings of this side within the one frame
EVENT_WIDTH: Final = 8

# How a flight ended.
FLEW: Final = -1  # otherwise: the index of the craft whose numbers blew up
