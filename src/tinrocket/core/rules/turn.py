"""Turn: the heading changes at a constant rate while an action is held."""

from tinrocket.core.jit import inlined


@inlined
def turn(heading: float, left: float, right: float, angle: float) -> float:
    """Heading [rad] after a frame that turns by `angle` [rad] per unit of input."""
    return heading + (right - left) * angle
