"""Force: a velocity gained in each step, always or while there is input."""

from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Bound, Context, Step, binds
from tinrocket.motion.body import Body
from tinrocket.motion.rules.closed_form import Gathered
from tinrocket.scenario import rules


@kernel
def force(body: Body, on_x: float, on_y: float, gain_x: float, gain_y: float) -> None:
    """V += (input x gain), each axis by itself."""
    body.vx += on_x * gain_x
    body.vy += on_y * gain_y


@kernel
def gather_force(
    gathered: Gathered, on_x: float, on_y: float, gain_x: float, gain_y: float
) -> None:
    """Add to the force of the closed form."""
    gathered.force_x += on_x * gain_x
    gathered.force_y += on_y * gain_y


@binds(rules.Force)
def bind_force(rule: rules.Force, context: Context) -> Bound:
    """Bind a force that always acts."""
    gains = {"gain_x": context.times(rule.x), "gain_y": context.times(rule.y)}
    return Bound((forced(context, 1.0, 1.0, **gains),))


@binds(rules.Lift)
def bind_lift(rule: rules.Lift, context: Context) -> Bound:
    """Bind a lift: upward while held, along x always."""
    gain_x, gain_y = rule.forward, context.heading.up * rule.accel
    gains = {"gain_x": context.times(gain_x), "gain_y": context.times(gain_y)}
    return Bound((forced(context, 1.0, context.action(rule.action, rule), **gains),))


def forced(context: Context, on_x: object, on_y: object, **gains: object) -> Step:
    """Return a force in steps, or gathered for the closed form."""
    made = gather_force if context.closed else force
    return Step(made, {"on_x": on_x, "on_y": on_y, **gains})  # type: ignore[dict-item]
