"""The states that the player sees at each frame, from the states after each step."""

import numpy as np
from numpy.typing import NDArray

from tinrocket.compile.plan import Plan
from tinrocket.flight.pacing import Pacing
from tinrocket.motion.body import Body
from tinrocket.motion.sides import WRAP

Floats = NDArray[np.float64]

X, Y = Body.offsets["x"], Body.offsets["y"]
LAPS_X, LAPS_Y = Body.offsets["wraps_x"], Body.offsets["wraps_y"]
ALIVE = Body.offsets["alive"]


def shown_states(states: Floats, plan: Plan, pacing: Pacing) -> Floats:
    """Return the state shown at each frame, shape (columns, C, N + 1).

    Parameters
    ----------
    states
        Shape (columns, C, S + 1): before the first step and after each.

    Notes
    -----
    Interpolated places lie on the path from the last state but one to the last, which may cross a
    seam: interpolating plain coordinates would move the craft across the arena.
    """
    last: Floats = states[:, :, pacing.done]
    if pacing.blend is None:
        return last
    before = states[:, :, np.maximum(pacing.done - 1, 0)]
    unmixed = {LAPS_X, LAPS_Y, ALIVE}
    blended = [row for row in range(len(states)) if row not in unmixed]
    for place, laps in ((X, LAPS_X), (Y, LAPS_Y)):
        before[place] += (before[laps] - last[laps]) * _period(plan, place)
    if len(states) > ALIVE:  # a craft that has just appeared has no earlier place
        appeared = before[ALIVE] != last[ALIVE]
        before[:, appeared] = last[:, appeared]
    result = last.copy()
    result[blended] = before[blended] + pacing.blend * (last[blended] - before[blended])
    carriers = plan.carriers
    for place, laps in ((X, LAPS_X), (Y, LAPS_Y)):
        period = _period(plan, place)
        low = plan.wall_places[:, 2 * place][:, None]
        origin = np.where((carriers >= 0)[:, None], result[place][carriers], 0.0) + low
        wraps = period > 0.0
        over = np.zeros_like(result[place])
        np.divide(
            result[place] - origin, period, out=over, where=np.broadcast_to(wraps, over.shape)
        )
        over = np.floor(over)
        result[place] -= over * period
        result[laps] += over
    return result


def _period(plan: Plan, axis: int) -> Floats:
    """Return the wrapping period of each craft along an axis [px], 0 without one, shape (C, 1)."""
    low, high = 2 * axis, 2 * axis + 1
    wraps = plan.wall_kinds[:, low] == WRAP
    period = np.zeros(len(wraps))
    np.subtract(plan.wall_places[:, high], plan.wall_places[:, low], out=period, where=wraps)
    return period[:, None]
