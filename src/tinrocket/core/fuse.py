"""A shorter program for many flights: fewer instructions that do the same, to the bit.

Choosing what to do costs as much as doing it, so what often stands side by side is one
instruction.  And one craft alone need not be loaded and stored in every step.
"""

import numpy as np

from tinrocket.core import layout
from tinrocket.core import opcodes as op
from tinrocket.core.program import Program

PAIRS = {
    (op.TURN, op.THRUST): op.TURN_THRUST,
    (op.FORCE, op.FORCE): op.FORCE_FORCE,
    (op.DRAG, op.LIMIT_SPEED): op.DRAG_LIMIT,
    (op.MOVE_EULER, op.EDGES): op.MOVE_EDGES,
}
"""The numbers and slots of a pair's second instruction stand right behind the first's."""


def fused(program: Program) -> Program:
    """Return a program that flies the same, without what only a recording needs."""
    rows = program.code.reshape(-1, 4)
    silent = program._replace(code=rows[rows[:, 0] != op.RECORD].ravel())
    return _paired(_bare(silent))


def _bare(program: Program) -> Program:
    """Return a program of one craft without the instructions that load and store it.

    Its state can stay in registers from step to step, as long as nothing asks for the
    state before the step: a move by half the old velocity, or the end of the craft.
    """
    rows = program.code.reshape(-1, 4)
    asks = op.MOVE_HALF in rows[:, 0] or layout.REMOVE in program.walls[:, :, layout.WALL_KIND]
    if len(program.start) > 1 or asks or op.MEET in rows[:, 0]:
        return program
    kept = (rows[:, 0] != op.LOAD) & (rows[:, 0] != op.STORE)
    return program._replace(code=rows[kept].ravel())


def _paired(program: Program) -> Program:
    """Return a program in which pairs are one instruction; of several craft, the same."""
    rows = program.code.reshape(-1, 4)
    opcodes = rows[:, 0].tolist()
    if op.LOAD in opcodes:
        return program
    paired, index, alone = [], 0, 0
    while index < len(rows):
        row = rows[index].copy()
        if row[0] in (op.GATE, op.GATE_TIMER):  # what it skips is counted one by one
            alone = max(alone, index + 1 + int(program.operands[row[3]]))
        pair = PAIRS.get((opcodes[index], opcodes[min(index + 1, len(rows) - 1)]))
        if pair is not None and index >= alone:
            row[0] = pair
            index += 1
        paired.append(row)
        index += 1
    return program._replace(code=np.concatenate(paired))
