"""Move: the position follows the velocity."""

from tinrocket.core.jit import inlined


@inlined
def move_euler(x: float, y: float, vx: float, vy: float, step: float) -> tuple[float, float]:
    """Position after `step` seconds at the velocity as it stands in the rule order.

    After the rules that change the velocity this is semi-implicit Euler, before them
    explicit Euler.
    """
    return x + vx * step, y + vy * step


@inlined
def move_half(
    x: float, y: float, vx: float, vy: float, vx_before: float, vy_before: float, step: float
) -> tuple[float, float]:
    """Position after `step` seconds at the mean of old and new velocity.

    For a constant acceleration a this is x + v dt + a dt^2/2 with the old velocity v:
    the half-acceleration term.
    """
    return x + 0.5 * (vx_before + vx) * step, y + 0.5 * (vy_before + vy) * step
