"""One flight of a program, recorded."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout
from tinrocket.core.entry import fly
from tinrocket.core.program import Program

Floats = NDArray[np.float64]

FIRST_ROOM = 256
"""Events that fit before a flight is flown again with more room."""


@dataclass(frozen=True, slots=True, eq=False)
class Failure:
    """Where the numbers blew up: indices of the craft, of the rule, and of the frame."""

    craft: int
    rule: int
    frame: int


@dataclass(frozen=True, slots=True, eq=False)
class Recording:
    """What a flight yields.

    Attributes
    ----------
    states
        Shape (RECORD_WIDTH, C, N + 1): each craft's state before the first frame and
        after each.
    events
        Shape (events, EVENT_WIDTH), in the order in which the loop met them.
    failure
        Where the flight broke off, or None.
    """

    states: Floats
    events: Floats
    failure: Failure | None = None


def record(
    program: Program, steps: Floats, inputs: Floats, states: Floats, room: int = FIRST_ROOM
) -> Recording:
    """Fly a program through frames of `steps` s, shape (N,), with inputs of shape (N, A).

    Fills `states`, which the caller makes: shape (RECORD_WIDTH, C, N + 1).
    """
    state = program.start.copy()
    states[:, :, 0] = state[:, : layout.RECORD_WIDTH].T
    events = np.empty((room, layout.EVENT_WIDTH))
    used, craft, frame = fly(program, steps, inputs, state, states, events)
    if used > room:
        return record(program, steps, inputs, states, room=used)
    if craft != layout.FLEW:
        rule = _culprit(program, craft, state[craft], steps[frame], inputs[frame])
        return Recording(states, events[:used], Failure(craft, rule, frame))
    return Recording(states, events[:used])


def _culprit(program: Program, craft: int, state: Floats, step: float, inputs: Floats) -> int:
    """Return the first rule after which a craft's state is not finite in this one frame."""
    first, past = int(program.first_rules[craft]), int(program.first_rules[craft + 1])
    nothing = np.empty((0, 0, 0)), np.empty((0, layout.EVENT_WIDTH))
    for last in range(first, past):
        mine = slice(first, last + 1)
        shorter = program._replace(
            opcodes=program.opcodes[mine],
            timings=program.timings[mine],
            rows=program.rows[mine],
            slots=program.slots[mine],
            first_rules=np.array([0, last + 1 - first], dtype=np.uint64),
            walls=program.walls[craft : craft + 1],
        )
        _used, failed, _frame = fly(
            shorter, np.array([step]), inputs[None, :], state[None, :].copy(), *nothing
        )
        if failed != layout.FLEW:
            return last
    raise AssertionError("the frame failed as a whole but not rule by rule")
