"""Timer: runs for a while after a press; other rules act during it, or unless it runs."""

from tinrocket.language.records import Record
from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Argument, Bound, Context, Step, binds
from tinrocket.motion.timers import after, moment_of
from tinrocket.motion.world import World
from tinrocket.scenario import rules


class Running(Record):
    """Memory of a timer."""

    until: float  # when it is over


@kernel
def timer(world: World, memory: Running, action: float, duration: float, counted: bool) -> None:
    """Restart at each press."""
    if action != 0.0:
        memory.until = after(moment_of(world, counted), duration)


@binds(rules.Timer)
def bind(rule: rules.Timer, context: Context) -> Bound:
    """Bind the duration."""
    duration, counted = context.span(rule.duration)
    action: Argument = context.action(rule.action, rule) if rule.action else 1.0
    arguments = {"action": action, "duration": duration, "counted": counted}
    return Bound((Step(timer, arguments),), memory=Running, lasts=("until", counted))
