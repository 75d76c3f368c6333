"""The instructions that rules are lowered to, one number each.

What an instruction takes from the program's tables stands beside it: numbers (n:),
columns of the inputs (s:), and links (l:), which are other indices: a cell of memory, a
craft counted from 1, or how many instructions to skip.  Directions come as two columns, x
and y in the arena's own axes.
"""

from typing import Final

# Steering
TURN: Final = 0  # n: angle; s: left, right
TORQUE: Final = 1  # n: gained spin; s: left, right
ROTATE: Final = 2  # n: step
STRIDE: Final = 3  # n: way; s: action

# Speed
THRUST: Final = 4  # n: gain, reverse gain; s: forward, backward
FORCE: Final = 5  # n: gained vx, gained vy; s: factor of x, factor of y
BRAKE_X: Final = 6  # n: lost speed; s: direction along the axis
BRAKE_Y: Final = 7
DRIVE_X: Final = 8  # n: speed, gain, loss; s: direction along the axis
DRIVE_Y: Final = 54
CRUISE: Final = 10  # n: speed; l: the craft without which it stands still, or 0
DRAG: Final = 11  # n: share kept
DRAG_SPIN: Final = 12  # n: share kept
LIMIT_SPEED: Final = 13  # n: top
LIMIT_AXES: Final = 14  # n: top of x, top of y
LIMIT_SPIN: Final = 15  # n: top
SNAP: Final = 16  # n: threshold

# Targets, each s: x, y; l: the craft that is the target instead, or 0
AIM: Final = 52  # n: most turn
CHASE: Final = 18  # n: speed, way per step, 1 / step, whether it stops on the spot
CHASE_FORCE: Final = 19  # n: gained speed
AIM_ALONG: Final = 20  # n: most turn; s: direction

# Impulses, each l: the first cell of its memory
FALL: Final = 21  # n: share kept, target, gain, glide, down; s: glide; no memory
FLAP: Final = 22  # n: speed, adds, top, up, cooldown, counted; s: action
DASH: Final = 23  # n: see rules/dash.py; s: action, direction
HOP: Final = 24  # n: see rules/hop.py; s: action
TIMER: Final = 25  # n: duration, counted; s: action
FIRE: Final = 26  # n: see rules/fire.py; s: action

# Position
MOVE_EULER: Final = 27  # n: step
MOVE_HALF: Final = 28  # n: step

# The closed form of a whole craft: rates are gathered, and spent in one expression;
# each l: the first cell of what is gathered
GATHER_TURN: Final = 29  # n: rate; s: left, right
GATHER_THRUST: Final = 30  # n: acceleration, reverse; s: forward, backward
GATHER_FORCE: Final = 31  # n: ax, ay; s: factor of x, factor of y
GATHER_DRAG: Final = 32  # n: rate
MOVE_CLOSED: Final = 33  # n: step

# Control
MEET: Final = 34  # works out all contacts of the step
STAGE: Final = 35  # entries, exits and rounds, after the contacts
EDGES: Final = 53  # brings the craft back to where the sides of the arena put it
STORE: Final = 37
RECORD: Final = 38  # writes all states into the recording
RECORD_ONE: Final = 39  # the same for a craft that is alone, from where it is held
END: Final = 40  # of the step
CARRY: Final = 55  # puts bounds that move with another craft to where it is
GATE: Final = 41  # s: column; l: how many to skip while it is zero
GATE_TIMER: Final = 42  # n: counted, wanted; l: how many to skip otherwise, cell of memory
CUSTOM: Final = 43  # n: which, step, then its numbers; s: inputs; l: how many inputs, numbers
CHECK: Final = 44  # stops the flight if the state is not finite

# What does the work of several; see `fuse`
TURN_THRUST: Final = 45
FORCE_FORCE: Final = 46
DRAG_LIMIT: Final = 47
MOVE_EDGES: Final = 48
EDGES_STORE: Final = 49
MOVE_EDGES_STORE: Final = 50

# One condition in the loop asks for these together, and then whether it is one of the last
# two.  Their numbers are no neighbours: of neighbours the compiler makes a range, which it then
# looks for before every instruction.
FOLLOW: Final = 9  # a target; n: share, most way, on x, on y, 1 / step
LOAD: Final = 17  # l: the craft, and where in the code to go on if it is gone; keeps its place
LOAD_MOVE: Final = 36  # a whole craft of one rule, from its load to its store
LOAD_FOLLOW: Final = 51
LOADS: Final = (LOAD, LOAD_MOVE, LOAD_FOLLOW)
FOLLOW_OR_LOADS: Final = (FOLLOW, *LOADS)

LEAST_NUMBERS: Final = 3
LEAST_SLOTS: Final = 3
LEAST_LINKS: Final = 1
"""What every instruction has at least of each, so that no look-up leaves the tables."""
