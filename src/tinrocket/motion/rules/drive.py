"""Drive: the velocity follows a direction given by actions or a stick, axis by axis."""

from tinrocket.language.intrinsics import INFINITE
from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Argument, Bound, Context, Step, binds
from tinrocket.motion.body import Body
from tinrocket.motion.rules.force import forced
from tinrocket.scenario import rules


@kernel
def approach(value: float, target: float, most: float) -> float:
    """Return a value moved toward a target by at most `most`, never past it."""
    if value < target:
        return min(value + most, target)
    return max(value - most, target)


@kernel
def driven(value: float, way: float, speed: float, gain: float, loss: float) -> float:
    """Return a velocity moved toward ``way * speed``.

    By at most `gain` while there is input along the axis, by at most `loss` while there is none.
    """
    return approach(value, way * speed, gain if way != 0.0 else loss)


@kernel
def drive_x(body: Body, way: float, speed: float, gain: float, loss: float) -> None:
    """Drive along x."""
    body.vx = driven(body.vx, way, speed, gain, loss)


@kernel
def drive_y(body: Body, way: float, speed: float, gain: float, loss: float) -> None:
    """Drive along y."""
    body.vy = driven(body.vy, way, speed, gain, loss)


@kernel
def brake_x(body: Body, way: float, loss: float) -> None:
    """Come to rest along x while there is no input."""
    if way == 0.0:
        body.vx = approach(body.vx, 0.0, loss)


@kernel
def brake_y(body: Body, way: float, loss: float) -> None:
    """Come to rest along y while there is no input."""
    if way == 0.0:
        body.vy = approach(body.vy, 0.0, loss)


@binds(rules.Drive)
def bind(rule: rules.Drive, context: Context) -> Bound:
    """Bind a force with a brake, or an approach to a speed."""
    ways = dict(
        zip(
            "xy",
            context.direction(rule, rule.when, normalised=rule.normalise, axis=rule.axis),
            strict=True,
        )
    )
    axes = "xy" if rule.axis == "both" else rule.axis
    lost = None if rule.brake is None else context.times(rule.brake)
    if rule.speed is not None:
        gain: Argument = INFINITE if rule.accel is None else context.times(rule.accel)
        speed: Argument = context.plain(rule.speed)
        arguments = {"speed": speed, "gain": gain, "loss": gain if lost is None else lost}
        kernels = {"x": drive_x, "y": drive_y}
        return Bound(tuple(Step(kernels[axis], {"way": ways[axis]} | arguments) for axis in axes))
    accel = context.times(0.0 if rule.accel is None else rule.accel)
    pushed = forced(context, ways["x"], ways["y"], gain_x=accel, gain_y=accel)
    if lost is None:
        return Bound((pushed,))
    brakes = {"x": brake_x, "y": brake_y}
    stops = tuple(Step(brakes[axis], {"way": ways[axis], "loss": lost}) for axis in axes)
    return Bound((pushed, *stops))
