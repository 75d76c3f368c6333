"""Seams of a game's log for each craft, as given or found from jumps."""

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from tinrocket.scenario.arena import AXES, Axis

Floats = NDArray[np.float64]
Seam = tuple[float, float]
Seams = dict[Axis, Seam]

MORE = 4.0
"""Factor by which a jump is longer than any other step."""


def find_seams(
    paths: Mapping[str, Mapping[Axis, Floats]],
    told: Mapping[Axis, Seam | None],
    *,
    guesses: bool = True,
) -> tuple[dict[str, Seams], list[str]]:
    """Return the seams of each craft, as given or as jumps show, and notes on the guesses.

    Parameters
    ----------
    paths
        For each craft its places, frame by frame.
    told
        Given range in which an axis wraps for all craft.
    guesses
        Whether jumps along other axes show that these wrap.
    """
    seams: dict[str, Seams] = {craft: {} for craft in paths}
    notes = []
    for axis in AXES:
        seam = told[axis]
        if seam is not None:
            for own in seams.values():
                own[axis] = seam
            continue
        if not guesses:
            continue
        jumping = {}
        for craft in _may_jump(paths, axis):
            far = _jumps(paths[craft][axis])
            if far is not None:
                jumping[craft] = far
        if not jumping:
            continue
        lap = _lap([paths[craft][axis] for craft in jumping], list(jumping.values()))
        for craft in jumping:
            seams[craft][axis] = lap
        jumps = sum(int(far.sum()) for far in jumping.values())
        whose = "" if len(paths) == 1 else f" for {', '.join(jumping)}"
        notes.append(
            f"{axis} is assumed to wrap from {lap[0]:g} to {lap[1]:g}{whose}, as it jumps "
            f"{'once' if jumps == 1 else f'{jumps} times'}; set --wrap-{axis} if not"
        )
    return seams, notes


def _may_jump(paths: Mapping[str, Mapping[Axis, Floats]], axis: Axis) -> list[str]:
    """Return the craft that move farther than half of their range in a step."""
    tracks = [path[axis] for path in paths.values()]
    places = np.concatenate(tracks)
    begins = np.cumsum([0, *(track.size for track in tracks[:-1])])
    steps = np.abs(np.diff(places, prepend=places[:1]))
    steps[begins] = 0.0
    largest = np.fmax.reduceat(np.nan_to_num(steps), begins)
    span = np.fmax.reduceat(places, begins) - np.fmin.reduceat(places, begins)
    names = list(paths)
    return [names[n] for n in np.flatnonzero((largest > 0.5 * span) & (largest > 0.0))]


def _jumps(path: Floats) -> NDArray[np.bool_] | None:
    """Return which steps of a path jump from one end of its range to the other.

    A jump is longer than half of the range, and far longer than any other step.
    """
    steps = np.abs(path[1:] - path[:-1])
    if not steps.size or not np.isfinite(steps).any():
        return None
    span = float(np.nanmax(path) - np.nanmin(path))
    far: NDArray[np.bool_] = steps > 0.5 * span
    if not far.any():
        return None
    usual = steps[~far & np.isfinite(steps)]
    if not usual.any() or float(steps[far].min()) < MORE * float(usual.max()):
        return None
    return far


def _lap(paths: Sequence[Floats], jumps: Sequence[NDArray[np.bool_]]) -> Seam:
    """Return the range in which an axis wraps; a lap is a jump and a usual step."""
    laps, usual = [], 0.0
    for path, far in zip(paths, jumps, strict=True):
        steps = np.diff(path)
        before = np.nan_to_num(np.abs(np.diff(path, prepend=path[:1])[:-1][far]))
        laps.append(np.abs(steps[far]) + before)  # unknown behind a gap
        usual = max(usual, float(np.nanmax(np.abs(steps[~far]), initial=0.0)))
    lap = round(float(np.median(np.concatenate(laps))))
    low = min(float(np.nanmin(path)) for path in paths)
    high = max(float(np.nanmax(path)) for path in paths)
    begin = round((low + high - lap) / 2)
    begin = 0 if abs(begin) <= usual else begin  # most arenas begin at 0
    return float(begin), float(begin + lap)
