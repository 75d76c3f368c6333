"""Drag: a share of the velocity is lost, in proportion to the velocity.

The law is dv/dt = -r v, with r in 1/s.
"""

import math

from tinrocket.core.jit import inlined
from tinrocket.core.layout import SCALED


@inlined
def drag_kept(timing: int, rate: float, step: float) -> float:
    """Fraction of the velocity that is left after a frame.

    ``scaled`` takes the first-order form 1 - r dt, as games write it; it changes sign
    once r dt passes 1.  ``exact`` is exp(-r dt), and ``frame`` the same at the length
    of a tuned frame, which gives back the fraction that was typed in.
    """
    if timing == SCALED:
        return 1.0 - rate * step
    return math.exp(-rate * step)
