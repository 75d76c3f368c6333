"""Accumulate: an acceleration that is kept from step to step."""

from tinrocket.language.records import Record
from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Bound, Context, Step, binds
from tinrocket.motion.body import Body
from tinrocket.scenario import rules


class Kept(Record):
    """What has been added in all steps before, per unit of time."""

    x: float
    y: float


@kernel
def accumulate(
    body: Body, memory: Kept, before_vx: float, before_vy: float, step: float, per: float
) -> None:
    """A += (v - v_before) / step; v = v_before + A step."""
    memory.x += (body.vx - before_vx) * per
    memory.y += (body.vy - before_vy) * per
    body.vx = before_vx + memory.x * step
    body.vy = before_vy + memory.y * step


@binds(rules.Accumulate)
def bind(rule: rules.Accumulate, context: Context) -> Bound:
    """Nothing but the step."""
    given = {"step": context.step(), "per": context.per_step()}
    return Bound((Step(accumulate, given),), memory=Kept)
