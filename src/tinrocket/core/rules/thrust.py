"""Thrust: speed gained along the heading while an action is held."""

from tinrocket.core.jit import inlined


@inlined
def push(forward: float, backward: float, gain: float, reverse_gain: float) -> float:
    """Speed [px/s] that one frame adds along the heading.

    The gains are what a frame at full input adds, forward and backward.
    """
    return forward * gain - backward * reverse_gain
