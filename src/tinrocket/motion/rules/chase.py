"""Chase: head for a target at a speed, by acceleration, or by steering."""

from dataclasses import replace

from tinrocket.language.intrinsics import sqrt
from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Bound, Context, Step, binds
from tinrocket.motion.body import Body
from tinrocket.motion.rules.aim import aim, most_turn
from tinrocket.motion.rules.cruise import cruise
from tinrocket.motion.sighting import seen
from tinrocket.scenario import rules


@kernel
def toward(dx: float, dy: float, length: float) -> tuple[float, float]:
    """Return a vector of a length in the direction (dx, dy); zero without a direction."""
    square = dx * dx + dy * dy
    if square == 0.0:
        return 0.0, 0.0
    stretched = length / sqrt(square)
    return dx * stretched, dy * stretched


@kernel
def chase(
    body: Body,
    target_x: float,
    target_y: float,
    there: bool,
    speed: float,
    way: float,
    per: float,
    stops: bool,
) -> None:
    """Set the velocity straight at the target, or to zero if it is absent.

    `way` is the distance of one step and `per` is 1 over its length. A chase that `stops` arrives
    on the spot; another overshoots by up to one step and turns back.
    """
    dx, dy = target_x - body.x, target_y - body.y
    vx, vy = 0.0, 0.0
    if there:
        if stops and dx * dx + dy * dy < way * way:
            vx, vy = dx * per, dy * per
        else:
            vx, vy = toward(dx, dy, speed)
    body.vx = vx
    body.vy = vy


@kernel
def chase_force(body: Body, target_x: float, target_y: float, there: bool, gain: float) -> None:
    """Gain speed toward the target, if it is present."""
    if there:
        gained_x, gained_y = toward(target_x - body.x, target_y - body.y, gain)
        body.vx += gained_x
        body.vy += gained_y


@binds(rules.Chase)
def bind(rule: rules.Chase, context: Context) -> Bound:
    """Bind one of the three ways to chase."""
    target, sighted = seen(rule, rule.target, context)
    if rule.accel is not None:
        pushed = Step(chase_force, target | {"gain": context.times(rule.accel)})
        return replace(sighted, steps=(pushed,))
    speed = 0.0 if rule.speed is None else rule.speed
    if rule.turn is not None:
        turned = Step(aim, target | {"most": most_turn(rule.turn, context)})
        arguments = {"speed": context.plain(speed), "there": target["there"]}
        return replace(sighted, steps=(turned, Step(cruise, arguments)))
    arguments = {
        "speed": context.plain(speed),
        "way": context.step(speed),
        "per": context.per_step(),
        "stops": context.exact,
    }
    return replace(sighted, steps=(Step(chase, target | arguments),))
