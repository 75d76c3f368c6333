"""Latch: on after one press or event, off after another."""

from tinrocket.language.intrinsics import INFINITE
from tinrocket.language.records import Record
from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Bound, Context, Step, binds
from tinrocket.motion.timers import after, is_over, moment_of
from tinrocket.motion.world import World
from tinrocket.scenario import rules


class Latched(Record):
    """Memory of a latch."""

    until: float  # infinite while it is on
    wanted: float  # whether it is to be on
    settled: float  # until when it is on at least


@kernel
def latch(
    world: World,
    memory: Latched,
    starts: float,
    stops: float,
    switches: float,
    lasts: float,
    counted: bool,
) -> None:
    """Turn on, off or over; it stays on for at least `lasts`."""
    moment = moment_of(world, counted)
    if switches != 0.0:
        memory.wanted = 1.0 - memory.wanted
    if starts != 0.0:
        memory.wanted = 1.0
    if stops != 0.0:
        memory.wanted = 0.0
    if memory.wanted != 0.0:
        if memory.until != INFINITE:
            memory.until = INFINITE
            memory.settled = after(moment, lasts)
    elif is_over(memory.settled, moment):
        memory.until = 0.0


@binds(rules.Latch)
def bind(rule: rules.Latch, context: Context) -> Bound:
    """Bind the keys, and the least duration."""
    lasts, counted = context.span(rule.lasts)
    arguments = {
        "starts": context.key(rule.starts, rule.when, rule),
        "stops": context.key(rule.stops, rule.when, rule),
        "switches": context.key(rule.switches, rule.when, rule),
        "lasts": lasts,
        "counted": counted,
    }
    on = {"until": INFINITE, "wanted": 1.0} if rule.begins_on else {}
    return Bound((Step(latch, arguments),), memory=Latched, begins=on, lasts=("until", counted))
