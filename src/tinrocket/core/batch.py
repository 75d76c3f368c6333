"""Many flights of one program, with other numbers each, over all cores."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from os import cpu_count

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout
from tinrocket.core import opcodes as op
from tinrocket.core.custom import Custom
from tinrocket.core.entry import compiled_loops
from tinrocket.core.pacing import Pacing
from tinrocket.core.program import Program

Floats = NDArray[np.float64]
Progress = Callable[[int, int], None]

CHUNK = 256
"""Variants a thread takes at a time; results do not depend on it."""


def fly_variants(
    program: Program,
    custom: Custom,
    numbers: Floats,
    starts: Floats,
    pacing: Pacing,
    inputs: Floats,
    threads: int | None = None,
    progress: Progress | None = None,
) -> tuple[Floats, NDArray[np.int64]]:
    """Fly V variants of a program and keep their last states.

    Parameters
    ----------
    custom
        The user's rules, compiled.
    numbers, starts
        Shapes (V, K) and (V, C, STATE_WIDTH): what the variants differ in.
    inputs
        Shape (S, A), the same for all.
    threads
        As many as there are cores if not given.
    progress
        Called with how many variants are done, and with V, after each chunk.

    Returns
    -------
    states, endings
        Shape (V, C, STATE_WIDTH), after the last step.  Shape (V, 4): what the loop
        returned, of which the second is FLEW or the craft whose numbers blew up.
    """
    program, states = bare(program), starts.copy()
    endings = np.empty((len(states), 4), dtype=np.int64)
    fly, fly_batch = compiled_loops()

    def fly_chunk(first: int) -> int:
        chunk = slice(first, first + CHUNK)
        fly_batch(
            *(fly, program, numbers[chunk], custom, pacing.steps, pacing.clocks),
            *(inputs, states[chunk], endings[chunk]),
        )
        return len(states[chunk])

    firsts = range(0, len(states), CHUNK)
    with ThreadPoolExecutor(threads or cpu_count()) as pool:
        done = 0
        for count in map(fly_chunk, firsts) if threads == 1 else pool.map(fly_chunk, firsts):
            done += count
            if progress is not None:
                progress(done, len(states))
    return states, endings


def bare(program: Program) -> Program:
    """Return a program of one craft without the instructions that load and store it.

    Its state can stay in registers from step to step, as long as nothing asks for the
    state before the step: a move by half the old velocity, a recording, or its end.
    """
    rows = program.code.reshape(-1, 4)
    asks = op.MOVE_HALF in rows[:, 0] or layout.REMOVE in program.walls[:, :, layout.WALL_KIND]
    if len(program.start) > 1 or asks:
        return program
    return program._replace(code=rows[(rows[:, 0] != op.LOAD) & (rows[:, 0] != op.STORE)].ravel())
