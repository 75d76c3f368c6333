"""Flap and fall: impulses upward, and what brings a craft down again."""

from tinrocket.core.jit import inlined


@inlined
def flap(vy: float, speed: float, adds: float, top: float, up: float) -> float:
    """Vertical velocity [px/s] after a flap.

    The rising speed is set to `speed`, or grows by it if the flap `adds`, and is never
    above `top` after it.  `up` is 1 where y grows upward, else -1.
    """
    rise = up * vy + speed if adds != 0.0 else speed
    return up * min(rise, top)


@inlined
def fall(
    vy: float, kept: float, target: float, gain: float, glide: float, gliding: float, down: float
) -> float:
    """Vertical velocity [px/s] after a step of falling.

    The falling speed f becomes ``target + (f - target) kept + gain``: with kept = 1 a
    constant acceleration, with kept = 0 the constant speed `target`, and between them
    the approach df/dt = g (1 - f / target) to a terminal speed, for which kept is
    exp(-g dt / target) or its first-order form.  While `gliding`, never above `glide`.
    """
    speed = target + (down * vy - target) * kept + gain
    if gliding != 0.0 and speed > glide:
        speed = glide
    return down * speed
