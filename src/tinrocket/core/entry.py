"""The two compiled functions that Python calls: one flight, and a batch of them."""

import numpy as np
from numpy.typing import NDArray

from tinrocket.core.jit import entry_point, fingerprint
from tinrocket.core.loop import fly_frames

Floats = NDArray[np.float64]
Indices = NDArray[np.uint64]

_SOURCES = fingerprint()


def _entry_points(sources: int):  # type: ignore[no-untyped-def]  # Numba infers the signatures
    @entry_point
    def fly(
        opcodes: Indices,
        timings: Indices,
        rows: Floats,
        slots: Indices,
        first_rules: Indices,
        walls: Floats,
        tuned_dt: float,
        dts: Floats,
        inputs: Floats,
        state: Floats,
        record: Floats,
        events: Floats,
    ) -> tuple[int, int, int]:
        _ = sources  # part of the cache key
        return fly_frames(
            opcodes,
            timings,
            rows,
            slots,
            first_rules,
            walls,
            tuned_dt,
            dts,
            inputs,
            state,
            record,
            events,
        )

    @entry_point
    def fly_batch(
        opcodes: Indices,
        timings: Indices,
        rows: Floats,
        slots: Indices,
        first_rules: Indices,
        walls: Floats,
        tuned_dt: float,
        dts: Floats,
        inputs: Floats,
        states: Floats,
        failures: NDArray[np.int64],
    ) -> None:
        """Fly variants that differ in `rows` and `states` (V along their first axis)."""
        _ = sources
        nothing = np.empty((0, 0, 0))
        no_events = np.empty((0, 0))
        for variant in range(states.shape[0]):
            _used, craft, frame = fly_frames(
                opcodes,
                timings,
                rows[variant],
                slots,
                first_rules,
                walls,
                tuned_dt,
                dts,
                inputs,
                states[variant],
                nothing,
                no_events,
            )
            failures[variant, 0] = craft
            failures[variant, 1] = frame

    return fly, fly_batch


fly, fly_batch = _entry_points(_SOURCES)
