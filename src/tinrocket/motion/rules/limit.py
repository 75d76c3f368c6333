"""Limit: a top speed for the whole velocity, for each axis, or for the rate of turn."""

from tinrocket.language.intrinsics import INFINITE, sqrt
from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Bound, Context, Step, binds
from tinrocket.motion.body import Body
from tinrocket.scenario import rules

TINY = 1e-160
"""Scale that keeps the square of every finite speed finite."""


@kernel
def limit_speed(body: Body, top: float) -> None:
    """Shorten the velocity to `top` along its own direction."""
    square = body.vx * body.vx + body.vy * body.vy
    if square > top * top:
        if square == INFINITE:  # for a speed of 0
            body.vx *= TINY
            body.vy *= TINY
            square = body.vx * body.vx + body.vy * body.vy
        share = top / sqrt(square)
        body.vx *= share
        body.vy *= share


@kernel
def limit_x(body: Body, top: float) -> None:
    """Hold the velocity along x within `top` either way."""
    body.vx = min(max(body.vx, -top), top)


@kernel
def limit_y(body: Body, top: float) -> None:
    """Hold the velocity along y within `top` either way."""
    body.vy = min(max(body.vy, -top), top)


@kernel
def limit_way(body: Body, top: float, way: float) -> None:
    """Hold the velocity along y within `top` one way: to high y if `way` is 1, else low y."""
    body.vy = way * min(way * body.vy, top)


@kernel
def limit_spin(body: Body, top: float) -> None:
    """Hold the rate of turn within `top` either way."""
    body.spin = min(max(body.spin, -top), top)


@binds(rules.Limit)
def bind(rule: rules.Limit, context: Context) -> Bound:
    """Bind a limit of the whole speed, the rate of turn, or directions along the axes."""
    if rule.speed is not None:
        return Bound((Step(limit_speed, {"top": context.plain(rule.speed)}),))
    if rule.spin is not None:
        return Bound((Step(limit_spin, {"top": context.radians(rule.spin)}),))
    by_axis = ((limit_x, rule.x), (limit_y, rule.y))
    steps = [Step(made, {"top": context.plain(top)}) for made, top in by_axis if top is not None]
    for top, way in ((rule.down, -context.heading.up), (rule.up, context.heading.up)):
        if top is not None:
            steps.append(Step(limit_way, {"top": context.plain(top), "way": way}))
    return Bound(tuple(steps))
