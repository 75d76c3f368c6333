"""Move: the position follows the velocity; rotate: the heading follows the rate of turn."""

from collections.abc import Callable

from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Bound, Context, Step, binds
from tinrocket.motion.body import Body, face
from tinrocket.motion.rules.closed_form import move_closed
from tinrocket.scenario import rules


@kernel
def move_x(body: Body, step: float) -> None:
    """P += v step along x, with the velocity at that point of the order of rules.

    After the rules that change the velocity this is semi-implicit Euler, before them
    explicit Euler.
    """
    body.x += body.vx * step


@kernel
def move_y(body: Body, step: float) -> None:
    """The same along y."""
    body.y += body.vy * step


@kernel
def move_half_x(body: Body, before_vx: float, step: float) -> None:
    """P += (v_before + v) / 2 step.

    For a constant acceleration a this is p + v dt + a dt^2 / 2 with the old velocity v: the
    half-acceleration term.
    """
    body.x += 0.5 * (before_vx + body.vx) * step


@kernel
def move_half_y(body: Body, before_vy: float, step: float) -> None:
    """The same along y."""
    body.y += 0.5 * (before_vy + body.vy) * step


@kernel
def move_half_new_x(body: Body, before_vx: float, step: float) -> None:
    """P += (v + (v - v_before) / 2) step: the half-acceleration term beside the new velocity."""
    body.x += (body.vx + 0.5 * (body.vx - before_vx)) * step


@kernel
def move_half_new_y(body: Body, before_vy: float, step: float) -> None:
    """The same along y."""
    body.y += (body.vy + 0.5 * (body.vy - before_vy)) * step


@kernel
def move_verlet_x(body: Body, step: float) -> None:
    """P += v step + a step^2 / 2, with the acceleration that the last step has kept."""
    body.x += (body.vx + 0.5 * body.kept_ax * step) * step


@kernel
def move_verlet_y(body: Body, step: float) -> None:
    """The same along y."""
    body.y += (body.vy + 0.5 * body.kept_ay * step) * step


METHODS: dict[str, dict[str, Callable[..., None]]] = {
    "euler": {"x": move_x, "y": move_y},
    "half": {"x": move_half_x, "y": move_half_y},
    "half_new": {"x": move_half_new_x, "y": move_half_new_y},
    "verlet": {"x": move_verlet_x, "y": move_verlet_y},
}


@kernel
def rotate(body: Body, step: float) -> None:
    """H += spin step."""
    body.heading += body.spin * step


@kernel
def move_by(body: Body, action: float, way: float) -> None:
    """P += way (cos h, sin h)."""
    if action != 0.0:
        face(body)
        body.x += action * way * body.face_x
        body.y += action * way * body.face_y


@binds(rules.Move)
def bind_move(rule: rules.Move, context: Context) -> Bound:
    """Bind a move by Euler's rule, half steps, Verlet or closed form."""
    if context.closed:
        return Bound((Step(move_closed, {"dt": context.step()}),))
    axes, step = "xy" if rule.axis == "both" else rule.axis, context.step()
    return Bound(tuple(Step(METHODS[rule.method][axis], {"step": step}) for axis in axes))


@binds(rules.Rotate)
def bind_rotate(rule: rules.Rotate, context: Context) -> Bound:
    """Bind the step."""
    return Bound((Step(rotate, {"step": context.step()}),))


@binds(rules.MoveBy)
def bind_move_by(rule: rules.MoveBy, context: Context) -> Bound:
    """Bind a distance, at each press or in each frame held."""
    way = context.each(rule.distance, rule.when)
    return Bound((Step(move_by, {"action": context.action(rule.action, rule), "way": way}),))
