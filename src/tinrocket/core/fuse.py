"""A shorter way through a program: fewer instructions that do the same, to the bit.

Choosing what to do costs as much as doing it, so what often stands side by side is done by
one instruction.  And a craft that is alone need not be loaded and stored in every step.
"""

from tinrocket.core import layout
from tinrocket.core import opcodes as op
from tinrocket.core.program import Program

FUSED = {
    (op.LOAD, op.MOVE_EULER, op.EDGES, op.STORE): op.LOAD_MOVE,
    (op.LOAD, op.FOLLOW, op.EDGES, op.STORE): op.LOAD_FOLLOW,
    (op.MOVE_EULER, op.EDGES, op.STORE): op.MOVE_EDGES_STORE,
    (op.MOVE_EULER, op.EDGES): op.MOVE_EDGES,
    (op.EDGES, op.STORE): op.EDGES_STORE,
    (op.TURN, op.THRUST): op.TURN_THRUST,
    (op.FORCE, op.FORCE): op.FORCE_FORCE,
    (op.DRAG, op.LIMIT_SPEED): op.DRAG_LIMIT,
}
"""What stands side by side, and the instruction that does all of it; of two the longer.

Numbers, slots and links of an instruction stand right behind those of the one before.
"""

NEEDS_STORED = {op.MOVE_HALF, op.FIRE, op.MEET, op.STAGE}
"""What asks for the state as it was stored."""


def fused(program: Program) -> Program:
    """Return a program in which the first of some instructions does the work of all.

    The others stay where they are, for a gate that skips only the first, and are passed by.
    """
    code = program.code.copy()
    opcodes = code[::4].tolist()
    index = 0
    while index < len(opcodes):
        for many in (4, 3, 2):
            all_of_them = FUSED.get(tuple(opcodes[index : index + many]))
            if all_of_them is not None:
                code[4 * index] = all_of_them
                index += many - 1
                break
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
