"""A shorter way through a program: fewer instructions that do the same, to the bit.

Choosing what to do costs as much as doing it, so what often stands side by side is done by
one instruction.  And one craft alone need not be loaded and stored in every step.
"""

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


def paired(program: Program) -> Program:
    """Return a program in which the first of a pair does the work of both.

    The second stays where it is, for a gate that skips only the first, and is passed by.
    """
    code = program.code.copy()
    opcodes = code[::4].tolist()
    index = 0
    while index < len(opcodes) - 1:
        pair = PAIRS.get((opcodes[index], opcodes[index + 1]))
        if pair is not None:
            code[4 * index] = pair
            index += 1
        index += 1
    return program._replace(code=code)


def bare(program: Program) -> Program:
    """Return a program without what only a recording needs.

    The state of one craft alone can stay in registers from step to step, as long as
    nothing asks for the state before the step: a move by half the old velocity, a contact,
    or the end of the craft.
    """
    rows = program.code.reshape(-1, 4)
    dropped = {op.RECORD}
    removes = layout.REMOVE in program.walls[:, :, layout.WALL_KIND]
    if len(program.start) == 1 and not removes and not {op.MOVE_HALF, op.MEET} & {*rows[:, 0]}:
        dropped |= {op.LOAD, op.STORE}
    kept = [row[0] not in dropped for row in rows]
    return program._replace(code=rows[kept].ravel())
