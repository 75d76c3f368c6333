"""What the player sees at each frame of the states that the game had after its steps."""

import numpy as np
from numpy.typing import NDArray

from tinrocket.core import layout
from tinrocket.core.pacing import Pacing
from tinrocket.core.program import Program

Floats = NDArray[np.float64]


def shown(states: Floats, program: Program, pacing: Pacing) -> Floats:
    """Return the state shown at each frame, shape (columns, C, N + 1).

    Parameters
    ----------
    states
        Shape (columns, C, S + 1): before the first step and after each.

    Notes
    -----
    Blended places lie on the way from the last state but one to the last, which may cross
    a seam: blending the coordinates as they are would fling the craft across the arena.
    """
    last: Floats = states[:, :, pacing.done]
    if pacing.blend is None:
        return last
    before = states[:, :, np.maximum(pacing.done - 1, 0)]
    kept = {layout.LAPS_X, layout.LAPS_Y, layout.ALIVE}
    blended = [row for row in range(len(states)) if row not in kept]
    for place, laps in ((layout.X, layout.LAPS_X), (layout.Y, layout.LAPS_Y)):
        before[place] += (before[laps] - last[laps]) * _period(program, place)
    if len(states) > layout.ALIVE:  # what has just appeared comes from nowhere
        appeared = before[layout.ALIVE] != last[layout.ALIVE]
        before[:, appeared] = last[:, appeared]
    result = last.copy()
    result[blended] = before[blended] + pacing.blend * (last[blended] - before[blended])
    for place, laps in ((layout.X, layout.LAPS_X), (layout.Y, layout.LAPS_Y)):
        period = _period(program, place)
        low = program.walls[:, 2 * place, layout.WALL_AT][:, None]
        carried = program.carrier >= 0
        origin = np.where(carried[:, None], result[place][program.carrier], 0.0) + low
        wraps = period > 0.0
        over = np.where(wraps, np.floor((result[place] - origin) / np.where(wraps, period, 1.0)), 0)
        result[place] -= over * period
        result[laps] += over
    return result


def _period(program: Program, axis: int) -> Floats:
    """Return the length of a lap of each craft along an axis, 0 without one, shape (C, 1)."""
    low, high = program.walls[:, 2 * axis], program.walls[:, 2 * axis + 1]
    wraps = low[:, layout.WALL_KIND] == layout.WRAP
    return np.where(wraps, high[:, layout.WALL_AT] - low[:, layout.WALL_AT], 0.0)[:, None]
