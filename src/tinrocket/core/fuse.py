"""A shorter way through a program: fewer instructions that do the same, to the bit.

Choosing what to do costs as much as doing it, so what often stands side by side is done by
one instruction.  And a craft that is alone need not be loaded and stored in every step.
"""

from tinrocket.core import layout
from tinrocket.core import opcodes as op
from tinrocket.core.program import Program

PAIRS = {
    (op.TURN, op.THRUST): op.TURN_THRUST,
    (op.FORCE, op.FORCE): op.FORCE_FORCE,
    (op.DRAG, op.LIMIT_SPEED): op.DRAG_LIMIT,
    (op.MOVE_EULER, op.EDGES): op.MOVE_EDGES,
    (op.EDGES, op.STORE): op.EDGES_STORE,
}
"""The numbers and slots of a pair's second instruction stand right behind the first's."""

NEEDS_STORED = {op.MOVE_HALF, op.FIRE, op.MEET, op.STAGE}
"""What asks for the state as it was stored."""


def paired(program: Program) -> Program:
    """Return a program in which the first of a pair does the work of both.

    The second stays where it is, for a gate that skips only the first, and is passed by.
    """
    code = program.code.copy()
    opcodes = code[::4].tolist()
    index = 0
    while index < len(opcodes) - 1:
        pair = PAIRS.get((opcodes[index], opcodes[index + 1]))
        if opcodes[index : index + 3] == [op.MOVE_EULER, op.EDGES, op.STORE]:
            code[4 * index] = op.MOVE_EDGES_STORE
            index += 2
        elif pair is not None:
            code[4 * index] = pair
            index += 1
        index += 1
    return program._replace(code=code)


def alone(program: Program, *, recorded: bool) -> Program:
    """Return a program in which a craft that is alone is not loaded and stored in every step.

    Its state can stay in registers, as long as nothing asks for the state before the step: a
    move by half the old velocity, a contact, or the end of the craft.  A program that is
    not `recorded` does without what only a recording needs.
    """
    rows = program.code.reshape(-1, 4).copy()
    opcodes = set(rows[:, 0].tolist())
    removes = layout.REMOVE in program.walls[:, :, layout.WALL_KIND]
    dropped = set() if recorded else {op.RECORD}
    if len(program.start) == 1 and not removes and not NEEDS_STORED & opcodes:
        dropped |= {op.LOAD, op.STORE}
        if recorded:
            rows[rows[:, 0] == op.RECORD, 0] = op.RECORD_ONE
    if not dropped:
        return program
    kept = [opcode not in dropped for opcode in rows[:, 0].tolist()]
    return program._replace(code=rows[kept].ravel())
