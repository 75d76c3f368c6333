"""Drag: a share of the velocity, or of the rate of turn, is lost in each step."""

import math
from collections.abc import Callable

import numpy as np

from tinrocket.language.subset import kernel
from tinrocket.motion import amounts
from tinrocket.motion.amounts import Amount
from tinrocket.motion.binding import Bound, Context, Number, Step, binds
from tinrocket.motion.body import Body, face
from tinrocket.motion.rules.closed_form import Gathered
from tinrocket.scenario import rules


@kernel
def drag(body: Body, kept: float) -> None:
    """V *= kept, with kept = exp(-r dt) or its first order."""
    body.vx *= kept
    body.vy *= kept


@kernel
def drag_x(body: Body, kept: float) -> None:
    """V_x *= kept."""
    body.vx *= kept


@kernel
def drag_y(body: Body, kept: float) -> None:
    """V_y *= kept."""
    body.vy *= kept


@kernel
def drag_ahead(body: Body, kept: float) -> None:
    """V *= kept, along the heading alone."""
    face(body)
    lost = (body.vx * body.face_x + body.vy * body.face_y) * (1.0 - kept)
    body.vx -= lost * body.face_x
    body.vy -= lost * body.face_y


@kernel
def drag_across(body: Body, kept: float) -> None:
    """V *= kept, across the heading alone: grip."""
    face(body)
    lost = (body.vy * body.face_x - body.vx * body.face_y) * (1.0 - kept)
    body.vx += lost * body.face_y
    body.vy -= lost * body.face_x


PARTS: dict[str, Callable[[Body, float], None]] = {
    "x": drag_x,
    "y": drag_y,
    "ahead": drag_ahead,
    "across": drag_across,
}


@kernel
def drag_spin(body: Body, kept: float) -> None:
    """Spin *= kept."""
    body.spin *= kept


@kernel
def gather_drag(gathered: Gathered, kept: float) -> None:
    """Add a rate to the drag of the closed form."""
    gathered.resist += kept


@binds(rules.Drag)
def bind(rule: rules.Drag, context: Context) -> Bound:
    """Bind the share kept, from one of three forms."""
    of_flight = gather_drag if context.closed else PARTS.get(rule.axis, drag)
    made = of_flight if rule.of == "velocity" else drag_spin
    return Bound((Step(made, {"kept": _kept(rule, context)}),))


def _powered(keep: Amount, frames: float) -> Amount:
    """Return the share kept in a number of frames; a negative base has no fractional power."""
    if frames == 1.0:
        return keep
    if isinstance(keep, np.ndarray):
        powered: Amount = np.where(keep < 0.0, keep, amounts.power(np.abs(keep), frames))
        return powered
    return keep if keep < 0.0 else amounts.power(abs(keep), frames)


def _kept(rule: rules.Drag, context: Context) -> Number:
    if rule.keep is not None:
        keep, tuned = rule.keep, context.frames * context.unit
        at = tuned if rule.at is None else rule.at
        if context.timing == "frame" or np.all(keep <= 0.0):  # below 0 there is no rate
            return Number(_powered(keep, at / tuned))
        return context.kept(context.per_second(-amounts.log(keep) * at))
    if rule.half_life is not None:
        return context.kept(context.per_second(math.log(2.0) / rule.half_life))
    return context.kept(context.per_second(0.0 if rule.rate is None else rule.rate))
