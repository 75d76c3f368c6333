"""Accumulate: an acceleration that is kept from step to step."""

from tinrocket.language.records import Record
from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Bound, Context, Step, binds
from tinrocket.motion.body import Body
from tinrocket.scenario import rules


class Kept(Record):
    """Memory: acceleration of all earlier steps, per unit of time."""

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


@kernel
def accumulate_mean(
    body: Body, before_vx: float, before_vy: float, step: float, per: float
) -> None:
    """V = v_before + (a_kept + a) / 2 step, with a = (v - v_before) / step, which is then kept."""
    accel_x, accel_y = (body.vx - before_vx) * per, (body.vy - before_vy) * per
    body.vx = before_vx + 0.5 * (body.kept_ax + accel_x) * step
    body.vy = before_vy + 0.5 * (body.kept_ay + accel_y) * step
    body.kept_ax = accel_x
    body.kept_ay = accel_y


@binds(rules.Accumulate)
def bind(rule: rules.Accumulate, context: Context) -> Bound:
    """Bind the step."""
    arguments = {"step": context.step(), "per": context.per_step()}
    if rule.keeps == "mean":
        return Bound((Step(accumulate_mean, arguments),))
    return Bound((Step(accumulate, arguments),), memory=Kept)
