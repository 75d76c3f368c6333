"""Many flights of one program, with other numbers each, over all cores."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from os import cpu_count

import numpy as np
from numpy.typing import NDArray

from tinrocket.core.entry import fly_batch
from tinrocket.core.program import Program

Floats = NDArray[np.float64]
Progress = Callable[[int, int], None]

CHUNK = 256
"""Variants a thread takes at a time; results do not depend on it."""


def fly_variants(
    program: Program,
    rows: Floats,
    starts: Floats,
    steps: Floats,
    inputs: Floats,
    threads: int | None = None,
    progress: Progress | None = None,
) -> tuple[Floats, NDArray[np.int64]]:
    """Fly V variants of a program and keep their last states.

    Parameters
    ----------
    rows, starts
        Shapes (V, R, ROW_WIDTH) and (V, C, STATE_WIDTH): what the variants differ in.
    steps, inputs
        Shapes (N,) and (N, A): frames [s] and sampled actions, the same for all.
    threads
        As many as there are cores if not given.
    progress
        Called with how many variants are done, and with V, after each chunk.

    Returns
    -------
    states, failures
        Shape (V, C, STATE_WIDTH), after the last frame.  Shape (V, 2): FLEW and the
        number of frames, or the craft and frame at which the numbers blew up.
    """
    states = starts.copy()
    failures = np.empty((len(states), 2), dtype=np.int64)

    def fly_chunk(first: int) -> int:
        chunk = slice(first, first + CHUNK)
        fly_batch(program, rows[chunk], steps, inputs, states[chunk], failures[chunk])
        return len(states[chunk])

    done = 0
    with ThreadPoolExecutor(threads or cpu_count()) as pool:
        for count in pool.map(fly_chunk, range(0, len(states), CHUNK)):
            done += count
            if progress is not None:
                progress(done, len(states))
    return states, failures
