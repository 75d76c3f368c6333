"""The two compiled functions that Python calls: one flight, and a batch of them."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from tinrocket.core.jit import entry_point, fingerprint
from tinrocket.core.loop import fly_frames
from tinrocket.core.program import Program

Floats = NDArray[np.float64]
Fly = Callable[[Program, Floats, Floats, Floats, Floats, Floats], tuple[int, int, int]]
FlyBatch = Callable[[Program, Floats, Floats, Floats, Floats, NDArray[np.int64]], None]


def _entry_points(sources: int) -> tuple[Fly, FlyBatch]:
    """Compile both around a fingerprint of the sources, which makes it part of the cache key."""

    @entry_point
    def fly(
        program: Program,
        dts: Floats,
        inputs: Floats,
        state: Floats,
        record: Floats,
        events: Floats,
    ) -> tuple[int, int, int]:
        _ = sources
        return fly_frames(program, program.rows, dts, inputs, state, record, events)

    @entry_point
    def fly_batch(
        program: Program,
        rows: Floats,
        dts: Floats,
        inputs: Floats,
        states: Floats,
        failures: NDArray[np.int64],
    ) -> None:
        _ = sources
        nothing = np.empty((0, 0, 0))
        no_events = np.empty((0, 0))
        for variant in range(states.shape[0]):
            _used, craft, frame = fly_frames(
                program, rows[variant], dts, inputs, states[variant], nothing, no_events
            )
            failures[variant, 0] = craft
            failures[variant, 1] = frame

    return fly, fly_batch


fly, fly_batch = _entry_points(fingerprint())
"""`fly_frames`, recorded; and the same for variants that differ in rows and states, of
which `failures` (V, 2) holds what it returned of craft and frame."""
