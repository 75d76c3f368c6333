"""Flap: on a press, the rising speed is set or grows."""

from tinrocket.language.intrinsics import INFINITE
from tinrocket.language.records import Record
from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Bound, Context, Step, binds
from tinrocket.motion.body import Body
from tinrocket.motion.events import note_rule
from tinrocket.motion.timers import after, is_over, moment_of
from tinrocket.motion.world import World
from tinrocket.scenario import rules


class Flapping(Record):
    """Memory of a flap."""

    ready: float  # when the next may begin


class FlapNumbers(Record):
    """Numbers and choices of a flap."""

    speed: float
    adds: bool
    top: float
    up: float
    cooldown: float
    counted: bool


@kernel
def flap(
    world: World,
    body: Body,
    memory: Flapping,
    rule: int,
    action: float,
    own: FlapNumbers,
) -> None:
    """Set the rising speed to `speed`, or raise it by that if it `adds`; never above `top`.

    `up` is 1 where y grows upward, else -1.
    """
    if action != 0.0:
        moment = moment_of(world, own.counted)
        if is_over(memory.ready, moment):
            memory.ready = after(moment, own.cooldown)
            rise = own.up * body.vy + own.speed if own.adds else own.speed
            body.vy = own.up * min(rise, own.top)
            note_rule(world, body, rule, 1.0, 0.0)


@binds(rules.Flap)
def bind(rule: rules.Flap, context: Context) -> Bound:
    """Bind the speeds and a cooldown."""
    cooldown, counted = context.span(rule.cooldown)
    arguments = {
        "action": context.action(rule.action, rule),
        "speed": context.plain(rule.speed),
        "adds": rule.adds,
        "top": INFINITE if rule.max_speed is None else context.plain(rule.max_speed),
        "up": context.heading.up,
        "cooldown": cooldown,
        "counted": counted,
    }
    return Bound((Step(flap, arguments),), memory=Flapping)
