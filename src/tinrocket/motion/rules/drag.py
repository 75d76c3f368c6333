"""Drag: a share of the velocity, or of the rate of turn, is lost in each step."""

import math

import numpy as np

from tinrocket.kernel.subset import kernel
from tinrocket.motion.binding import Bound, Context, Number, Step, binds
from tinrocket.motion.body import Body
from tinrocket.motion.rules.closed_form import Gathered
from tinrocket.scenario import rules


@kernel
def drag(body: Body, kept: float) -> None:
    """V *= kept, with kept = exp(-r dt) or its first order."""
    body.vx *= kept
    body.vy *= kept


@kernel
def drag_x(body: Body, kept: float) -> None:
    """Along x alone."""
    body.vx *= kept


@kernel
def drag_y(body: Body, kept: float) -> None:
    """Along y alone."""
    body.vy *= kept


@kernel
def drag_spin(body: Body, kept: float) -> None:
    """The same for the rate of turn."""
    body.spin *= kept


@kernel
def gather_drag(gathered: Gathered, kept: float) -> None:
    """Add to the drag that the closed form spends; there a rate is handed over."""
    gathered.resist += kept


@binds(rules.Drag)
def bind(rule: rules.Drag, context: Context) -> Bound:
    """What is kept, from one of three forms."""
    of_flight = gather_drag if context.closed else {"x": drag_x, "y": drag_y}.get(rule.axis, drag)
    made = of_flight if rule.of == "velocity" else drag_spin
    return Bound((Step(made, {"kept": _kept(rule, context)}),))


def _kept(rule: rules.Drag, context: Context) -> Number:
    if rule.keep is not None:
        keep = np.asarray(rule.keep, dtype=np.float64)
        if context.timing == "frame" or np.all(keep <= 0.0):  # below 0 there is no rate
            tuned = context.frames * context.unit
            at = tuned if rule.at is None else rule.at
            with np.errstate(invalid="ignore"):
                powered = np.where(keep < 0.0, keep, np.abs(keep) ** (at / tuned))
            return Number(powered[()])
        tuned = context.frames * context.unit
        at = tuned if rule.at is None else rule.at
        with np.errstate(divide="ignore", invalid="ignore"):
            rate = context.per_second(-np.log(keep) * at)
        return context.kept(rate[()] if isinstance(rate, np.ndarray) else rate)
    if rule.half_life is not None:
        return context.kept(context.per_second(math.log(2.0) / rule.half_life))
    return context.kept(context.per_second(0.0 if rule.rate is None else rule.rate))
