"""Fall: down the screen at an acceleration, at a speed, or to a terminal speed."""

from tinrocket.language.intrinsics import INFINITE
from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Argument, Bound, Context, Step, binds
from tinrocket.motion.body import Body
from tinrocket.motion.rules.force import forced
from tinrocket.scenario import rules


@kernel
def fall(
    body: Body,
    kept: float,
    target: float,
    gain: float,
    glide: float,
    gliding: float,
    down: float,
) -> None:
    """Turn the falling speed f into ``target + (f - target) kept + gain``.

    With kept = 1 a constant acceleration, with kept = 0 the constant speed `target`, and
    between them the approach df/dt = g (1 - f / target) to a terminal speed, for which kept is
    exp(-g dt / target) or its first-order form.  While `gliding`, never above `glide`.
    """
    speed = target + (down * body.vy - target) * kept + gain
    if gliding != 0.0 and speed > glide:
        speed = glide
    body.vy = down * speed


@binds(rules.Fall)
def bind(rule: rules.Fall, context: Context) -> Bound:
    """Bind a fall; a plain acceleration is a force, which has a closed form."""
    down = -context.heading.up
    accel = 0.0 if rule.accel is None else rule.accel
    if rule.speed is None and rule.terminal is None and rule.glide is None:
        gain_y = context.times(down * accel)
        return Bound((forced(context, 1.0, 1.0, gain_x=0.0, gain_y=gain_y),))
    kept: Argument = 1.0
    gain: Argument = 0.0
    target: Argument = 0.0
    if rule.speed is not None:
        kept, target = 0.0, context.plain(rule.speed)
    elif rule.terminal is not None:
        rate, target = accel / rule.terminal, context.plain(rule.terminal)
        kept = context.kept(rate, at_tuned=1.0 - rate / context.frames)
    else:
        gain = context.times(accel)
    gliding = 0.0 if rule.glide is None else context.action(rule.glide_action, rule)
    arguments: dict[str, Argument] = {"kept": kept, "target": target, "gain": gain, "down": down}
    arguments["glide"] = INFINITE if rule.glide is None else context.plain(rule.glide)
    return Bound((Step(fall, arguments | {"gliding": gliding}),))
