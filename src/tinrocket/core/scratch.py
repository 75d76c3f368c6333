"""Memory that a flight works in, made where Python makes it for nothing.

Each kind of array that compiled code makes by itself costs it time to compile.
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout
from tinrocket.core.contacts.meetings import PATH, Meetings
from tinrocket.core.custom import CRAFT
from tinrocket.core.jit import inlined
from tinrocket.core.program import Program
from tinrocket.core.stage.staging import Staging

Floats = NDArray[np.float64]


class Scratch(NamedTuple):
    """For one thread.

    Attributes
    ----------
    coef
        Shape (K,): the numbers of the program as they are for the length of the step.
    memory
        Shape (M,): what instructions remember.
    bounds
        Shape (C, 4): where the sides of the arena are for each craft.
    values
        What a user's rule gets: its craft, then its inputs and numbers.
    before
        Shape (C, 2): place of each craft as the step began, moved by as much as a wrap moves
        the craft since, so that the way between is flown straight.
    starts
        Shape (C, STATE_WIDTH): how the craft started.
    lines
        Shape (B, 4): where each body began and ended the step in which it was last asked what
        is near; not a number for a craft that was not there.
    quiet
        Shape (2,): how far the craft can be from where they ended that step, along x and along
        y, before anything can meet; the first is below zero if that is not known.
    bodies, counts, touching
        Which bodies are there, hits of each contact, which pairs are touching.
    paths
        Shape (B, PATH): where the bodies go in a step.
    near
        Shape (P,): pairs that may meet in what is left of a step.
    seen
        Shape (P,): the last step, from 1, in which bodies of several parts were looked at.
    shape, wall
        Room for the corners of two bodies.
    ledger
        What is kept of the game beside the craft; see `layout`.
    """

    coef: Floats
    memory: Floats
    bounds: Floats
    values: Floats
    before: Floats
    starts: Floats
    lines: Floats
    quiet: Floats
    bodies: Floats
    counts: Floats
    touching: Floats
    paths: Floats
    near: Floats
    seen: Floats
    shape: Floats
    wall: Floats
    ledger: Floats


def scratch_for(program: Program, meetings: Meetings, staging: Staging) -> Scratch:
    """Return memory for flights of a program."""
    crafts = len(program.start)
    bodies = crafts + len(meetings.places)
    corners = int(np.diff(meetings.first).max(initial=1))
    return Scratch(
        coef=np.empty(program.numbers.size),
        memory=np.empty(program.memory.size),
        bounds=_bounds(program.walls),
        values=np.empty(len(CRAFT.names or ()) + program.numbers.size + program.operands.size),
        before=np.empty((crafts, 2)),
        starts=np.empty((crafts, layout.STATE_WIDTH)),
        lines=_lines(crafts, meetings.places),
        quiet=np.empty(2),
        bodies=np.empty(bodies),
        counts=np.empty(len(meetings.numbers)),
        touching=np.empty(len(meetings.pairs)),
        near=np.empty(len(meetings.pairs)),
        seen=np.empty(len(meetings.pairs)),
        shape=np.empty((corners, 2)),
        wall=np.empty((corners, 2)),
        paths=np.zeros((bodies, PATH)),
        ledger=np.empty(layout.FIRST_SCORE + staging.ledger),
    )


def _lines(crafts: int, places: Floats) -> Floats:
    """Return room for the craft, and what stands still where it does."""
    lines = np.empty((crafts + len(places), 4))
    lines[crafts:, :2] = lines[crafts:, 2:] = places
    return lines


def _bounds(walls: Floats) -> Floats:
    """Return where the sides are; open ones are nowhere, so that nothing meets them."""
    far = np.where(np.arange(4) % 2 == 0, -np.inf, np.inf)
    return np.where(walls[:, :, layout.WALL_KIND] == layout.OPEN, far, walls[:, :, layout.WALL_AT])


@inlined
def fill(row: Floats, value: float) -> None:
    """Set all of a row."""
    for index in range(row.size):
        row[index] = value


@inlined
def take(row: Floats, source: Floats) -> None:
    """Copy a row into another."""
    for index in range(row.size):
        row[index] = source[index]


@inlined
def begin(scratch: Scratch, state: Floats) -> None:
    """Take down where the craft are before the first step."""
    for craft in range(len(state)):
        for column in range(layout.STATE_WIDTH):
            scratch.starts[craft, column] = state[craft, column]
        scratch.before[craft, 0] = state[craft, layout.X]
        scratch.before[craft, 1] = state[craft, layout.Y]
