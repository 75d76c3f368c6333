"""Edges of the arena on a body's path through a step, in order of time."""

from typing import Final

from tinrocket.language.maths import hypot
from tinrocket.language.subset import kernel
from tinrocket.motion.body import STRAIGHT, Body, stride_of
from tinrocket.motion.contacts.impact import NEVER, falls_to_zero
from tinrocket.motion.contacts.paths import advance, halt, lay_path
from tinrocket.motion.contacts.pushed import straighten
from tinrocket.motion.contacts.respond import SETTLES, TINY
from tinrocket.motion.contacts.tables import StepPath
from tinrocket.motion.events import EDGE, note, place
from tinrocket.motion.sides import (
    BOUNCE,
    HOLD,
    LEAP,
    ONTO,
    OPEN,
    REMOVE,
    WRAP,
    X_HIGH,
    X_LOW,
    Y_HIGH,
    Y_LOW,
    bound_of,
)
from tinrocket.motion.world import World

AT_END: Final = 1e-9
"""Fraction of a step beyond which an edge is passed, and not only reached."""
MAX_IMPACTS_WITH_EDGES: Final = 4096
"""Most impacts of a craft with edges in a step, before it is frozen."""


@kernel
def side_moment(body: Body, path: StepPath, side: int) -> float:
    """Return when a body on its path meets an edge from inside, or moves on beyond it."""
    kind = body.walls[side].kind
    if kind == OPEN or (body.airborne != 0.0 and kind != WRAP and kind != LEAP):
        return NEVER
    bound = bound_of(body, side)
    across = side <= X_HIGH
    at = path.x if across else path.y
    way = path.way_x if across else path.way_y
    curve = path.curve_x if across else path.curve_y
    outward = 1.0 if side == X_HIGH or side == Y_HIGH else -1.0
    room, way, curve = outward * (bound - at), outward * way, outward * curve
    if room <= 0.0 and way <= 0.0 and curve <= 0.0:
        return NEVER  # it enters, or stays in place
    rests = way >= -TINY * curve  # rounding aside, it is pushed into the edge from the start
    moment = path.at + falls_to_zero(room, 0.0 if rests and room <= 0.0 else -way, -curve)
    if moment > 1.0 - AT_END and body.movement == STRAIGHT and kind != WRAP:
        left = 1.0 - path.at
        ends = at + outward * (way + curve * left) * left
        # the same test as edges without contacts, to the bit
        if path.at == 0.0 and path.moved == 0:
            ends = body.x if across else body.y
        if outward * (ends - bound) <= 0.0:
            return NEVER  # it reaches the edge, and meets it in the next step
    return moment if moment <= 1.0 else NEVER


@kernel
def foresee_side(body: Body, path: StepPath) -> None:
    """Compute the next edge that a body meets, and when; ties go in the order of the edges."""
    path.side_at = NEVER
    if body.alive <= 0.0 or path.stuck != 0:
        return
    for side in range(4):
        moment = side_moment(body, path, side)
        if moment < path.side_at:
            path.side_at = moment
            path.side = side


@kernel
def comes_to_rest(restitution: float, outward: float, pushed: float) -> bool:
    """Return whether a body rests at a bouncing edge: a push would undo the bounce within the step.

    Parameters
    ----------
    outward, pushed
        Displacement into the edge in a whole step, and the part that the push adds.
    """
    undone = pushed if restitution < 1.0 else SETTLES * pushed
    return pushed > 0.0 and restitution * outward <= undone


@kernel
def has_begun(world: World, touch: float, outward: float) -> bool:
    """Return whether an edge holds a body already: since its last step, or earlier in this one."""
    return touch * outward > 0.0 and abs(touch) >= world.count


@kernel
def meet_side(world: World, n: int) -> None:
    """Apply an edge to a body that has reached it, and record that."""
    body, path = world.bodies[n], world.contacts.paths[n]
    side = path.side
    advance(world, n, path.side_at)
    wall, bound = body.walls[side], bound_of(body, side)
    kind, across = wall.kind, side <= X_HIGH
    speed = hypot(body.vx, body.vy)
    velocity = body.vx if across else body.vy
    way = path.way_x if across else path.way_y
    curve = path.curve_x if across else path.curve_y
    outward = 1.0 if side == X_HIGH or side == Y_HIGH else -1.0
    pushed = 2.0 * curve
    if body.movement == STRAIGHT:  # its push is part of its path already
        pushed = path.pace * (body.push_x if across else body.push_y)
    if path.heaped != 0:  # any body of a heap may press on it
        pushed = outward * path.pace * hypot(body.push_x, body.push_y)
    before, held, counts, lap = bound, 0.0, True, 0.0
    touch = body.touch_x if across else body.touch_y
    if kind == WRAP:
        lap = outward
        bound = opposite_of(body, side)
    elif kind == LEAP:
        lap, way, curve = outward, 0.0, 0.0
        bound = opposite_of(body, side)
    elif kind == REMOVE:
        body.alive = 0.0
        path.there = 0
    elif kind == BOUNCE and not comes_to_rest(wall.restitution, way * outward, pushed * outward):
        velocity, way = -wall.restitution * velocity, -wall.restitution * way
    elif kind == ONTO:
        velocity, way, curve = -wall.restitution * velocity, 0.0, 0.0
    else:
        held = outward
        counts = not has_begun(world, touch, outward)
        if kind == HOLD and curve * outward > 0.0:
            velocity += 2.0 * curve * (1.0 - path.at) / path.pace
        if kind != HOLD and velocity * outward > 0.0:
            velocity = 0.0
        way = 0.0
        if curve * outward > 0.0:
            curve = 0.0
    x = before if across else path.x
    y = path.y if across else before
    if across:
        path.x, path.way_x, path.curve_x, body.vx = bound, way, curve, velocity
        body.wraps_x += lap
        body.before_x -= lap * (body.high_x - body.low_x)
        if held != 0.0:
            body.touch_x = held * (world.count + 1.0)
    else:
        path.y, path.way_y, path.curve_y, body.vy = bound, way, curve, velocity
        body.wraps_y += lap
        body.before_y -= lap * (body.high_y - body.low_y)
        if held != 0.0:
            body.touch_y = held * (world.count + 1.0)
    if counts and path.close <= 1:
        place(note(world, EDGE, n, side), path.at, 1.0, x, y, speed)


@kernel
def lie_still(world: World, n: int) -> None:
    """Stop a craft at the edges that bear it, and record new ones."""
    body, path = world.bodies[n], world.contacts.paths[n]
    if path.lies_x != 0 and path.side_load_x > 0.0:
        toward, side = float(path.lies_x), X_LOW if path.lies_x < 0 else X_HIGH
        body.vx = min(body.vx * toward, 0.0) * toward
        path.way_x = min(path.way_x * toward, 0.0) * toward
        if not has_begun(world, body.touch_x, toward):
            place(note(world, EDGE, n, side), path.at, 1.0, path.x, path.y, 0.0)
        body.touch_x = toward * (world.count + 1.0)
    if path.lies_y != 0 and path.side_load_y > 0.0:
        toward, side = float(path.lies_y), Y_LOW if path.lies_y < 0 else Y_HIGH
        body.vy = min(body.vy * toward, 0.0) * toward
        path.way_y = min(path.way_y * toward, 0.0) * toward
        if not has_begun(world, body.touch_y, toward):
            place(note(world, EDGE, n, side), path.at, 1.0, path.x, path.y, 0.0)
        body.touch_y = toward * (world.count + 1.0)


@kernel
def opposite_of(body: Body, side: int) -> float:
    """Return the place of the opposite edge."""
    if side == X_LOW:
        return body.high_x
    if side == X_HIGH:
        return body.low_x
    return body.high_y if side == Y_LOW else body.low_y


@kernel
def meets_side(world: World, body: Body) -> bool:
    """Return whether a craft meets an edge on its parabola through the current step."""
    path, vx, vy = world.contacts.paths[body.index], body.vx, body.vy
    wx, wy = body.x - body.before_x, body.y - body.before_y
    lay_path(path, body, body.before_x, body.before_y, wx, wy, stride_of(body, world.dt))
    foresee_side(body, path)
    body.vx = vx
    body.vy = vy
    return path.side_at <= 1.0


@kernel
def fly_between_sides(world: World, n: int) -> None:
    """Fly the current step of a craft that meets only edges, on its parabola.

    Edges that push it have already set its last place along their axis.
    """
    body, path = world.bodies[n], world.contacts.paths[n]
    wx, wy = body.x - body.before_x, body.y - body.before_y
    lay_path(path, body, body.x - wx, body.y - wy, wx, wy, stride_of(body, world.dt))
    straighten(body, path)
    for _ in range(MAX_IMPACTS_WITH_EDGES):
        foresee_side(body, path)
        if path.side_at > 1.0:
            break
        meet_side(world, n)
    if path.side_at <= 1.0:
        halt(path)
    advance(world, n, 1.0)
    body.x = path.x
    body.y = path.y
