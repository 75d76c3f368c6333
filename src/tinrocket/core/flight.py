"""One flight of a program, recorded."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout
from tinrocket.core import opcodes as op
from tinrocket.core.contacts.meetings import Meetings
from tinrocket.core.custom import Written
from tinrocket.core.entry import ways
from tinrocket.core.fuse import alone, fused
from tinrocket.core.pacing import Pacing
from tinrocket.core.program import Program
from tinrocket.core.scratch import scratch_for
from tinrocket.core.stage.staging import Staging

Floats = NDArray[np.float64]

FIRST_ROOM = 256
"""Events that fit before a flight is flown again with more room."""


@dataclass(frozen=True, slots=True, eq=False)
class Failure:
    """Where the numbers blew up: the last instruction of the rule, and the step."""

    craft: int
    instruction: int
    step: int


@dataclass(frozen=True, slots=True, eq=False)
class Recording:
    """What a flight yields.

    Attributes
    ----------
    states
        Shape (columns, C, S + 1): each craft's state before the first step and after
        each.
    events
        Shape (events, EVENT_WIDTH), in the order in which the loop met them.
    failure
        Where the flight broke off, or None.
    """

    states: Floats
    events: Floats
    failure: Failure | None = None


def record(
    program: Program,
    written: tuple[Written, ...],
    meetings: Meetings,
    staging: Staging,
    pacing: Pacing,
    inputs: Floats,
    states: Floats,
    ends: Sequence[int],
) -> Recording:
    """Fly a program.

    Parameters
    ----------
    inputs
        Shape (S, A).
    states
        Filled: shape (columns, C, S + 1), with ALWAYS_RECORDED or MOST_RECORDED columns.
    ends
        The last instruction of each rule, to tell which of them fails.
    """
    fly, calls = ways(program, meetings, written)

    def once(room: int, program: Program) -> tuple[tuple[int, int, int, int], Floats]:
        events = np.empty((room, layout.EVENT_WIDTH))
        state = program.start.copy()
        scratch.starts[:], scratch.before[:] = state, state[:, : layout.Y + 1]
        states[:, :, 0] = state[:, : len(states)].T
        numbers = program.numbers
        ending = fly(
            *(program, numbers, calls, meetings, staging, scratch, pacing.steps, pacing.clocks),
            *(inputs, state, states, events),
        )
        return ending, events

    scratch = scratch_for(program, meetings, staging)
    short = alone(program, recorded=True)
    quick = fused(short)
    (used, craft, step, _instruction), events = once(FIRST_ROOM, quick)
    if used > FIRST_ROOM:
        (used, craft, step, _instruction), events = once(used, quick)
    if short is not program:  # rules are counted from where the program loads its craft
        what = events[:used, layout.EVENT_WHAT]
        what[what >= layout.FIRST_RULE] += 1.0
    if craft == layout.FLEW:
        return Recording(states, events[:used])
    (_used, craft, step, check), _events = once(FIRST_ROOM, _checked(program, ends))
    places = np.asarray(ends) + 1 + np.arange(len(ends))  # of the checks
    culprit = ends[int(np.searchsorted(places, check))]
    return Recording(states, events[:used], Failure(craft, culprit, step))


def _checked(program: Program, ends: Sequence[int]) -> Program:
    """Return the same program with a check after each rule."""
    after = np.asarray(ends) + 1
    check = np.array([op.CHECK, 0, 0, 0], dtype=np.uint32)
    rows, operands = program.code.reshape(-1, 4), program.operands.copy()
    for _opcode, _numbers, _slots, link in rows[rows[:, 0] == op.LOAD]:
        operands[link + 1] += 4 * np.searchsorted(after, operands[link + 1] // 4, side="right")
    return program._replace(code=np.insert(rows, after, check, axis=0).ravel(), operands=operands)
