"""The two compiled functions that Python calls: one flight, and a batch of them."""

from collections.abc import Callable
from functools import lru_cache

import numba
import numpy as np
from numpy.typing import NDArray

from tinrocket.core.custom import SIGNATURE, Custom
from tinrocket.core.jit import announcing, entry_point, fingerprint, plain
from tinrocket.core.loop import Fly, make_loop
from tinrocket.core.program import Program

Floats = NDArray[np.float64]
Endings = NDArray[np.int64]
FlyBatch = Callable[[Fly, Program, Floats, Custom, Floats, Floats, Floats, Floats, Endings], None]

COMPILING = "compiling the loop for this machine, once; this takes about ten seconds"

ROW, TABLE, CUBE = numba.float64[::1], numba.float64[:, ::1], numba.float64[:, :, ::1]
OTHERS = {"numbers": ROW, "memory": ROW, "start": TABLE, "walls": CUBE, "carrier": numba.int64[::1]}
PROGRAM = numba.types.NamedTuple(  # type: ignore[no-untyped-call]
    [OTHERS.get(name, numba.uint32[::1]) for name in Program._fields], Program
)

CUSTOM = numba.types.FunctionType(SIGNATURE)
FOUR = numba.types.UniTuple(numba.int64, 4)  # type: ignore[no-untyped-call]
ONE = FOUR(PROGRAM, ROW, CUSTOM, ROW, TABLE, TABLE, TABLE, CUBE, TABLE)
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
def compiled_batch() -> FlyBatch:
    """Return a function that flies variants with the loop that it is given.

    They differ in numbers (V, K) and states (V, C, STATE_WIDTH); `endings` (V, 4) takes
    what the loop returns for each.
    """
    many = numba.void(
        *(numba.types.FunctionType(ONE), PROGRAM, TABLE, CUSTOM),
        *(ROW, TABLE, TABLE, CUBE, numba.int64[:, ::1]),
    )
    return entry_point(many)(_fly_batch)


def _fly_batch(
    fly: Fly,
    program: Program,
    numbers: Floats,
    custom: Custom,
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
