"""Follow and ease: the place goes to a target, by a share of the way or by a top speed."""

import math
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from tinrocket.language.intrinsics import INFINITE, sqrt
from tinrocket.language.subset import kernel
from tinrocket.motion import amounts
from tinrocket.motion.amounts import Amount
from tinrocket.motion.binding import Argument, Bound, Context, Number, Step, binds
from tinrocket.motion.body import Body
from tinrocket.motion.sighting import seen
from tinrocket.scenario import rules
from tinrocket.scenario.view import View


@kernel
def follow(
    body: Body,
    target_x: float,
    target_y: float,
    there: bool,
    share: float,
    most: float,
    per: float,
) -> None:
    """Move a share of the distance to a present target, and at most `most`.

    With the share 1 - exp(-r dt), exp(-r t) of the distance remains after a time t, at every frame
    rate. The velocity is the displacement over the step; `per` is 1 over the step.
    """
    if there:
        way_x = (target_x - body.x) * share
        way_y = (target_y - body.y) * share
        square = way_x * way_x + way_y * way_y
        if square > most * most:
            shorter = most / sqrt(square)
            way_x *= shorter
            way_y *= shorter
        body.vx = way_x * per
        body.vy = way_y * per
        body.x += way_x
        body.y += way_y


@kernel
def follow_x(
    body: Body, target_x: float, there: bool, share: float, most: float, per: float
) -> None:
    """Follow along x alone."""
    if there:
        way_x = min(max((target_x - body.x) * share, -most), most)
        body.vx = way_x * per
        body.x += way_x


@kernel
def follow_y(
    body: Body, target_y: float, there: bool, share: float, most: float, per: float
) -> None:
    """Follow along y alone."""
    if there:
        way_y = min(max((target_y - body.y) * share, -most), most)
        body.vy = way_y * per
        body.y += way_y


def followed(
    axis: str, target: dict[str, Argument], share: Argument, most: Argument, context: Context
) -> Step:
    """Return a follower along one axis or both."""
    arguments: dict[str, Argument] = {"share": share, "most": most, "per": context.per_step()}
    kernels: dict[str, Callable[..., None]] = {"both": follow, "x": follow_x, "y": follow_y}
    unused = {"x": ("target_y",), "y": ("target_x",), "both": ()}[axis]
    return Step(
        kernels[axis],
        {name: value for name, value in target.items() if name not in unused} | arguments,
    )


@binds(rules.Follow)
def bind_follow(rule: rules.Follow, context: Context) -> Bound:
    """Bind following at once, with a lag, or at a top speed."""
    share: Argument = 1.0
    if rule.lag is not None:
        share = context.share(context.per_second(math.log(2.0) / rule.lag))
    most: Argument = INFINITE if rule.speed is None else context.step(rule.speed)
    target, sighted = seen(rule, rule.target, context)
    return replace(sighted, steps=(followed(rule.axis, target, share, most, context),))


@binds(rules.Ease)
def bind_ease(rule: rules.Ease, context: Context) -> Bound:
    """Bind easing by a share of the distance."""
    target, sighted = seen(rule, rule.target, context)
    step = followed(rule.axis, target, eased(rule, context), INFINITE, context)
    return replace(sighted, steps=(step,))


def eased(form: rules.Ease | View, context: Context) -> Argument:
    """Return the share of the distance that a step covers; 1 if no form of it is given."""
    if form.fraction is not None:
        tuned = context.frames * context.unit
        at = tuned if form.fraction_at is None else form.fraction_at
        # the whole distance at once is an infinite rate
        rate: Amount = context.per_second(-amounts.log1p(-form.fraction) * at)
        typed = form.fraction if np.all(at == tuned) else None
        if context.timing == "dt" and np.all(form.fraction >= 1.0):
            return Number(1.0)
        if context.timing == "dt" and isinstance(form.fraction, np.ndarray):
            rate = np.where(form.fraction >= 1.0, context.frames, rate)
        return context.share(rate, typed)
    if form.half_life is not None:
        return context.share(context.per_second(math.log(2.0) / form.half_life))
    return 1.0 if form.rate is None else context.share(context.per_second(form.rate))
