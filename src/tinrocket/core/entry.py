"""The compiled functions that Python calls: one flight, a batch of them, and contacts."""

from collections.abc import Callable
from functools import lru_cache

import numba
import numpy as np
from numpy.typing import NDArray

from tinrocket.core.absent import Absent
from tinrocket.core.contacts.meetings import Meet, Meetings
from tinrocket.core.contacts.phase import make_meet, meet
from tinrocket.core.custom import SIGNATURE, Custom
from tinrocket.core.jit import announcing, entry_point, fingerprint, plain
from tinrocket.core.loop import Fly, make_loop
from tinrocket.core.program import Program
from tinrocket.core.scratch import Scratch

Floats = NDArray[np.float64]
Endings = NDArray[np.int64]
FlyBatch = Callable[..., None]
"""As `_fly_batch`."""

COMPILING = "compiling the loop for this machine, once; this takes about ten seconds"
COMPILING_CONTACTS = "compiling contacts for this machine, once; this takes some seconds"

ROW, TABLE, CUBE = numba.float64[::1], numba.float64[:, ::1], numba.float64[:, :, ::1]
OTHERS = {"numbers": ROW, "memory": ROW, "start": TABLE, "walls": CUBE, "carrier": numba.int64[::1]}
PROGRAM = numba.types.NamedTuple(  # type: ignore[no-untyped-call]
    [OTHERS.get(name, numba.uint32[::1]) for name in Program._fields], Program
)

PAIRS = {"pairs": numba.int64[:, ::1], "first": numba.int64[::1]}
TABLES = {"numbers": TABLE, "kicks": TABLE, "corners": TABLE, "places": TABLE}
MEETINGS = numba.types.NamedTuple(  # type: ignore[no-untyped-call]
    [(PAIRS | TABLES).get(name, ROW) for name in Meetings._fields], Meetings
)
MEETING = numba.int64(
    *(MEETINGS, TABLE, TABLE, TABLE, ROW, ROW, ROW, TABLE),
    *(numba.int64, numba.int64, numba.float64),
)
"""How the loop calls the contact phase."""
NOBODY_MEETS = Absent(MEETING)

SCRATCH = numba.types.NamedTuple(  # type: ignore[no-untyped-call]
    [TABLE if name in ("bounds", "before") else ROW for name in Scratch._fields], Scratch
)
MEET = numba.types.FunctionType(MEETING)
CUSTOM = numba.types.FunctionType(SIGNATURE)
FOUR = numba.types.UniTuple(numba.int64, 4)  # type: ignore[no-untyped-call]
ONE = FOUR(PROGRAM, ROW, CUSTOM, MEETINGS, MEET, SCRATCH, ROW, TABLE, TABLE, TABLE, CUBE, TABLE)
"""How the loop is called."""


@lru_cache(maxsize=1)
def interpreted_loop() -> Fly:
    """Return the loop as plain Python, for rules of the user's that cannot be compiled."""
    return plain(make_loop(0))


@lru_cache(maxsize=1)
def compiled_loop() -> Fly:
    """Return the loop, compiled or loaded from disk when it is first asked for."""
    with announcing(COMPILING):
        return entry_point(ONE)(make_loop(fingerprint()))


@lru_cache(maxsize=1)
def straight_loop() -> Fly:
    """Return a way to call the compiled loop that does not look at the types first.

    They are always the same, and looking takes longer than a short flight.
    """
    loop = compiled_loop()
    overloads = getattr(loop, "overloads", None)  # a plain function has none
    return next(iter(overloads.values())).entry_point if overloads else loop


@lru_cache(maxsize=1)
def compiled_meet() -> Meet:
    """Return the contact phase, compiled or loaded from disk when it is first asked for."""
    with announcing(COMPILING_CONTACTS):
        return entry_point(MEETING)(make_meet(fingerprint()))


@lru_cache(maxsize=1)
def interpreted_meet() -> Meet:
    """Return the contact phase as plain Python."""
    return plain(meet)


@lru_cache(maxsize=1)
def compiled_batch() -> FlyBatch:
    """Return a function that flies variants with the loop that it is given.

    They differ in numbers (V, K) and states (V, C, STATE_WIDTH); `endings` (V, 4) takes
    what the loop returns for each.
    """
    many = numba.void(
        *(numba.types.FunctionType(ONE), PROGRAM, TABLE, CUSTOM, MEETINGS, MEET, SCRATCH),
        *(ROW, TABLE, TABLE, CUBE, numba.int64[:, ::1]),
    )
    return entry_point(many)(_fly_batch)


def _fly_batch(
    fly: Fly,
    program: Program,
    numbers: Floats,
    custom: Custom,
    meetings: Meetings,
    meet: Meet,
    scratch: Scratch,
    dts: Floats,
    moments: Floats,
    inputs: Floats,
    states: Floats,
    endings: Endings,
) -> None:
    nothing, no_events = np.empty((0, 0, 0)), np.empty((0, 0))
    for variant in range(states.shape[0]):
        used, craft, step, instruction = fly(
            program,
            numbers[variant],
            custom,
            meetings,
            meet,
            scratch,
            dts,
            moments,
            inputs,
            states[variant],
            nothing,
            no_events,
        )
        endings[variant, 0] = used
        endings[variant, 1] = craft
        endings[variant, 2] = step
        endings[variant, 3] = instruction
