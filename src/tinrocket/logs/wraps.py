"""Where the axes of a game's log wrap, as told or as its jumps show."""

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from tinrocket.scenario.arena import AXES, Axis

Floats = NDArray[np.float64]
Seam = tuple[float, float]
Seams = dict[Axis, Seam]


def find_seams(
    numbers: Mapping[str, Floats],
    rows_of: Sequence[NDArray[np.int64]],
    told: Mapping[Axis, Seam | None],
) -> tuple[Seams, list[str]]:
    """Return where the axes wrap, as told or as jumps show, and what was found."""
    seams: Seams = {}
    notes = []
    for axis in AXES:
        seam = told[axis]
        if seam is None:
            paths = [numbers[axis][rows] for rows in rows_of]
            seam, jumps = _found_seam(paths)
            if seam is not None:
                notes.append(
                    f"{axis} jumps {'once' if jumps == 1 else f'{jumps} times'} and is taken "
                    f"to wrap from {seam[0]:g} to {seam[1]:g}; --wrap-{axis} tells it"
                )
        if seam is not None:
            seams[axis] = seam
    return seams, notes


def _found_seam(paths: Sequence[Floats]) -> tuple[tuple[float, float] | None, int]:
    """Return where paths wrap, if they jump from one side to the other, and how often they do.

    A jump is farther than half of all there is, and far more than any other step; a lap is
    the jump and the step that was on its way.
    """
    steps = np.concatenate([np.diff(path) for path in paths])
    before = np.concatenate([np.diff(path, prepend=path[:1])[:-1] for path in paths])
    places = np.concatenate(paths)
    places = places[np.isfinite(places)]
    low, high = (float(places.min()), float(places.max())) if places.size else (0.0, 0.0)
    far = np.abs(steps) > 0.5 * (high - low)
    usual = np.abs(steps[~far & np.isfinite(steps)])
    if not far.any() or not usual.any() or np.abs(steps[far]).min() < 4.0 * usual.max():
        return None, 0
    on_its_way = np.nan_to_num(np.abs(before[far]))  # unknown behind a gap
    lap = round(float(np.median(np.abs(steps[far]) + on_its_way)))
    begin = round((low + high - lap) / 2)
    begin = 0 if abs(begin) <= usual.max() else begin  # most arenas begin there
    return (float(begin), float(begin + lap)), int(far.sum())
