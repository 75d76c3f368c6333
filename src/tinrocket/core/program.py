"""What the core flies: a scenario as plain arrays."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Indices = NDArray[np.uint64]  # unsigned, so that the loop need not test for negative ones


class Program(NamedTuple):
    """One scenario, lowered.  R rules in all, C craft; see `layout` for the columns.

    A named tuple, because Numba takes one apart for nothing.

    Attributes
    ----------
    opcodes, timings
        Shape (R,): the arithmetic of each rule and how it uses the frame's length.
    rows
        Shape (R, ROW_WIDTH): the rule's numbers, in px, s and rad.
    slots
        Shape (R, SLOT_WIDTH): columns of the inputs that the rule listens to; column 0
        is always zero and stands for "no action".
    first_rules
        Shape (C + 1,): craft c owns rules ``first_rules[c]:first_rules[c + 1]``.
    start
        Shape (C, STATE_WIDTH): the state before the first frame.
    walls
        Shape (C, 4, WALL_WIDTH): for each craft and side, what the side does, the
        coordinate at which it does it, and its restitution.
    tuned_dt
        Length [s] of a frame at the rate the scenario was tuned at.
    """

    opcodes: Indices
    timings: Indices
    rows: Floats
    slots: Indices
    first_rules: Indices
    start: Floats
    walls: Floats
    tuned_dt: float
