"""Craft at the end of their lifetime, and those that come back."""

from tinrocket.language.subset import kernel
from tinrocket.motion.body import CURVED, Body, stride_of
from tinrocket.motion.edges import wrap
from tinrocket.motion.events import EXPIRE, RESPAWN, note_body
from tinrocket.motion.sides import WRAP
from tinrocket.motion.stage.tables import Life
from tinrocket.motion.world import TIME_EPSILON, World


@kernel
def put_back(world: World, craft: int) -> None:
    """Put a craft back to how it started, at the end of the step."""
    body, start = world.bodies[craft], world.starts[craft]
    body.x = start.x
    body.y = start.y
    body.vx = start.vx
    body.vy = start.vy
    body.heading = start.heading
    body.wraps_x = start.wraps_x
    body.wraps_y = start.wraps_y
    body.height = start.height
    body.alive = start.alive
    body.spin = start.spin
    body.touch_x = 0.0
    body.touch_y = 0.0
    body.airborne = 0.0
    body.sight = 0.0
    body.born = world.now + world.dt
    body.born_count = world.count + 1.0


@kernel
def expire(world: World, life: Life, body: Body) -> None:
    """Remove a craft if its lifetime is over by the end of the step."""
    left = body.born + life.lifetime - world.now
    fraction = left / world.dt if world.dt > 0.0 else 1.0
    if life.lifetime_counted != 0:
        fraction = body.born_count + life.lifetime - world.count
    if fraction <= 1.0 + TIME_EPSILON:
        body.alive = 0.0
        moment = min(max(fraction, 0.0), 1.0)
        event = note_body(world, EXPIRE, body, moment)
        event.x = between(body.before_x, body.x, bend_x(world, body), moment)
        event.y = between(body.before_y, body.y, bend_y(world, body), moment)
        if body.walls.kind == WRAP:
            event.x, _laps = wrap(event.x, body.low_x, body.high_x)
        if body.walls[2].kind == WRAP:
            event.y, _laps = wrap(event.y, body.low_y, body.high_y)


@kernel
def between(begin: float, end: float, bend: float, moment: float) -> float:
    """Return the place of a craft within a step: on the chord, or on its parabola."""
    return begin + (end - begin) * moment - bend * moment * (1.0 - moment)


@kernel
def bend_x(world: World, body: Body) -> float:
    """Return half of what a push adds to the displacement along x, on a parabola."""
    return 0.5 * body.push_x * stride_of(body, world.dt) if body.movement == CURVED else 0.0


@kernel
def bend_y(world: World, body: Body) -> float:
    """Return half of what a push adds to the displacement along y, on a parabola."""
    return 0.5 * body.push_y * stride_of(body, world.dt) if body.movement == CURVED else 0.0


@kernel
def come_back(world: World, life: Life, body: Body) -> None:
    """Bring back a craft that has waited long enough."""
    ends = world.count + 1.0 if life.respawn_counted != 0 else world.now + world.dt
    if body.alive != 0.0:
        life.gone = 0
    elif life.gone == 0:
        life.gone = 1
        life.died = ends
    waited = life.gone != 0 and ends - life.died >= life.respawn - TIME_EPSILON
    if waited and life.respawns < life.respawn_times:
        put_back(world, body.index)
        if life.respawn_elsewhere != 0:
            body.x = life.respawn_x
            body.y = life.respawn_y
        life.gone = 0
        life.respawns += 1.0
        note_body(world, RESPAWN, body, 1.0)


@kernel
def leave_and_return(world: World) -> None:
    """Remove craft at the end of their lifetime, and bring back those that are due."""
    for craft in range(world.stage.life_count):
        life, body = world.stage.lives[craft], world.bodies[craft]
        if life.lifetime > 0.0 and body.alive != 0.0:
            expire(world, life, body)
        if body.alive == 0.0 and life.was_gone == 0:
            life.losses += 1.0
        if life.respawn >= 0.0:
            come_back(world, life, body)
        life.was_gone = 1 if body.alive == 0.0 else 0
