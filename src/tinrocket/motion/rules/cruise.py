"""Cruise: the velocity is a fixed speed along the heading."""

from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Bound, Context, Step, binds
from tinrocket.motion.body import Body, face
from tinrocket.scenario import rules


@kernel
def cruise(body: Body, speed: float, there: bool) -> None:
    """V = speed (cos h, sin h), or rest if its target is absent."""
    body.vx = 0.0
    body.vy = 0.0
    if there:
        face(body)
        body.vx = speed * body.face_x
        body.vy = speed * body.face_y


@binds(rules.Cruise)
def bind(rule: rules.Cruise, context: Context) -> Bound:
    """Bind the speed."""
    return Bound((Step(cruise, {"speed": context.plain(rule.speed), "there": True}),))
