"""Many flights of one program, with other numbers each, over all cores."""

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from os import cpu_count

import numpy as np
from numpy.typing import NDArray

from tinrocket.core.contacts.meetings import Meetings
from tinrocket.core.custom import Custom
from tinrocket.core.entry import compiled_batch, compiled_calls, compiled_loop
from tinrocket.core.fuse import alone, fused
from tinrocket.core.pacing import Pacing
from tinrocket.core.program import Program
from tinrocket.core.scratch import scratch_for
from tinrocket.core.stage.staging import Staging

Floats = NDArray[np.float64]
Progress = Callable[[int, int], None]

CHUNK = 256
"""Variants a thread takes at a time; results do not depend on it."""


def fly_variants(
    program: Program,
    custom: Custom,
    meetings: Meetings,
    staging: Staging,
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
    meetings, staging
        Which bodies may meet, and what happens on the stage.
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
    program, states = fused(alone(program, recorded=False)), starts.copy()
    endings = np.empty((len(states), 4), dtype=np.int64)
    fly, fly_batch = compiled_loop(), compiled_batch()
    calls = compiled_calls(program, meetings, custom)

    def fly_chunk(first: int) -> int:
        chunk = slice(first, first + CHUNK)
        fly_batch(
            *(
                fly,
                program,
                numbers[chunk],
                calls,
                meetings,
                staging,
                scratch_for(program, meetings, staging),
                pacing.steps,
                pacing.clocks,
            ),
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
