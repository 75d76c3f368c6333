"""Drive: the velocity follows a direction given by actions or a stick, axis by axis."""

from tinrocket.core.jit import inlined


@inlined
def approach(value: float, target: float, most: float) -> float:
    """Value moved toward a target by at most `most`, never past it."""
    if value < target:
        return min(value + most, target)
    return max(value - most, target)


@inlined
def drive(value: float, direction: float, speed: float, gain: float, loss: float) -> float:
    """Velocity [px/s] along one axis, moved toward ``direction * speed``.

    By at most `gain` while there is input along the axis, by at most `loss` while there
    is none.  An infinite gain takes on the target at once.
    """
    return approach(value, direction * speed, gain if direction != 0.0 else loss)


@inlined
def brake(value: float, direction: float, loss: float) -> float:
    """Velocity [px/s] along one axis, brought toward rest while there is no input."""
    return approach(value, 0.0, loss) if direction == 0.0 else value
