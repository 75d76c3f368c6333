"""What the core flies: a scenario as plain arrays."""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Indices = NDArray[np.uint32]  # unsigned, so that the loop need not test for negative ones


class Program(NamedTuple):
    """One scenario, lowered: R instructions in all, C craft; see `layout` and `opcodes`.

    A named tuple, because Numba takes one apart for nothing.

    Attributes
    ----------
    code
        Shape (4 R,): for each instruction its opcode, and where in the tables below its
        numbers, its slots and its links begin.  One step is one way through all of it.
    operands
        Slots, which are columns of the inputs, and links, which are other indices.
    numbers
        Shape (K,): in px, s and rad.
    timed, kinds
        Shape (T,): which of the numbers depend on the length of the step, and how.
    memory
        Shape (M,): what instructions remember, before the first step.
    start
        Shape (C, STATE_WIDTH): the state before the first step.
    walls
        Shape (C, 4, 3): for each craft and side, what the side does, the
        coordinate at which it does it, and its restitution.
    carrier
        Shape (C,): the craft whose place is the origin of these coordinates, or -1.
    """

    code: Indices
    operands: Indices
    numbers: Floats
    timed: Indices
    kinds: Indices
    memory: Floats
    start: Floats
    walls: Floats
    carrier: NDArray[np.int64]
