"""Friction: a fixed deceleration of the velocity, or of a part of it, never past rest."""

from collections.abc import Callable

from tinrocket.language.intrinsics import sqrt
from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Bound, Context, Step, binds
from tinrocket.motion.body import Body, face
from tinrocket.scenario import rules


@kernel
def less(value: float, loss: float) -> float:
    """Return a value brought toward 0 by a loss, never past it."""
    return max(value - loss, 0.0) if value > 0.0 else min(value + loss, 0.0)


@kernel
def friction(body: Body, action: float, loss: float) -> None:
    """|v| -= loss, never past rest."""
    speed = sqrt(body.vx * body.vx + body.vy * body.vy)
    if action != 0.0 and speed > 0.0:
        left = max(speed - loss, 0.0) / speed
        body.vx *= left
        body.vy *= left


@kernel
def friction_x(body: Body, action: float, loss: float) -> None:
    """|v_x| -= loss, never past rest."""
    if action != 0.0:
        body.vx = less(body.vx, loss)


@kernel
def friction_y(body: Body, action: float, loss: float) -> None:
    """|v_y| -= loss, never past rest."""
    if action != 0.0:
        body.vy = less(body.vy, loss)


@kernel
def friction_ahead(body: Body, action: float, loss: float) -> None:
    """|v| -= loss along the heading alone, never past rest."""
    if action != 0.0:
        face(body)
        ahead = body.vx * body.face_x + body.vy * body.face_y
        lost = ahead - less(ahead, loss)
        body.vx -= lost * body.face_x
        body.vy -= lost * body.face_y


@kernel
def friction_across(body: Body, action: float, loss: float) -> None:
    """|v| -= loss across the heading alone, never past rest: grip."""
    if action != 0.0:
        face(body)
        across = body.vy * body.face_x - body.vx * body.face_y
        lost = across - less(across, loss)
        body.vx += lost * body.face_y
        body.vy -= lost * body.face_x


KERNELS: dict[str, Callable[[Body, float, float], None]] = {
    "both": friction,
    "x": friction_x,
    "y": friction_y,
    "ahead": friction_ahead,
    "across": friction_across,
}


@binds(rules.Friction)
def bind(rule: rules.Friction, context: Context) -> Bound:
    """Bind a deceleration, times the step."""
    action = context.action(rule.action, rule) if rule.action else 1.0
    arguments = {"action": action, "loss": context.times(rule.decel)}
    return Bound((Step(KERNELS[rule.axis], arguments),))
