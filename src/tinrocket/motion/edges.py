"""Edges of the arena acting on a craft, one axis at a time."""

from tinrocket.language.intrinsics import floor
from tinrocket.language.maths import expm1, hypot, is_finite, log, log1p, pow  # noqa: A004
from tinrocket.language.subset import kernel
from tinrocket.motion.body import CURVED, Body, Wall
from tinrocket.motion.contacts.pushed import ALONG_X, ALONG_Y, pushing
from tinrocket.motion.contacts.walls import comes_to_rest, fly_between_sides, meets_side
from tinrocket.motion.events import EDGE, note, place
from tinrocket.motion.sides import (
    BOUNCE,
    CLAMP,
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
from tinrocket.motion.world import Arrival, World


@kernel
def wrap(position: float, low: float, high: float) -> tuple[float, float]:
    """Return a position folded into [low, high), and the number of laps removed.

    position = folded + laps * (high - low), however many arena widths were crossed.
    """
    period = high - low
    laps = floor((position - low) / period)
    folded = position - laps * period
    if folded < low:  # the subtraction rounded down
        folded = low
    elif folded >= high:  # or up, onto the seam itself
        folded = low
        laps += 1.0
    return folded, laps


@kernel
def skip_bounces(overshoot: float, span: float, near: float, far: float) -> tuple[float, float]:
    """Return how many pairs of bounces to skip, and the overshoot left after them.

    A craft that is `overshoot` past the near wall bounces there, crosses the `span`,
    bounces off the far wall and comes back.  Distances shrink with the restitutions (`near`,
    `far`), so one such pair turns an overshoot d into q d - c, with q = near far and c = span (1 +
    far). The sum is in closed form, so that a million crossings in one frame cost no more than two.
    """
    q = near * far
    c = span * (1.0 + far)
    if q * overshoot <= c:
        return 0.0, overshoot
    if q == 1.0:
        pairs = max(floor(overshoot / c) - 1.0, 0.0)
        left = overshoot - pairs * c
    else:  # d after k pairs is d q^k - c (1 - q^k) / (1 - q), which holds up for q next to 1
        shrinks = log(q)
        pairs = max(floor(-log1p(overshoot * (1.0 - q) / c) / shrinks) - 1.0, 0.0)
        left = overshoot * pow(q, pairs) + c * expm1(pairs * shrinks) / (1.0 - q)
    # a huge overshoot, whose digits are rounding, still ends within two pairs
    return pairs, min(max(left, 0.0), c * (1.0 + q) / (q * q))


@kernel
def meet_walls(
    position: float,
    velocity: float,
    touch: float,
    low: float,
    high: float,
    airborne: bool,
    walls: Wall,
) -> tuple[float, float, float, float, float, float]:
    """Put a craft that left [low, high] along one axis where its two edges put it.

    A wrap keeps the speed and removes whole arena widths from the position. A bounce keeps
    `restitution` of the speed, and of the distance past the wall: the rest of the frame is flown at
    the speed after the bounce, or not at all if the edge snaps the craft onto the wall.
    A clamp puts the craft on the wall and removes the velocity into it; a hold leaves the
    velocity, which keeps pushing.  An edge that removes lets the craft pass and counts it.

    Parameters
    ----------
    position, velocity
        Along the axis, after the step's motion rules.
    touch
        -1 or 1 if the low or the high wall held the craft in the previous step, else 0.
    low, high
        Places of the walls in this step.
    airborne
        Whether the craft is above the walls: only wraps act on it.
    walls
        The low one; the high one follows it.

    Returns
    -------
    position, velocity
        After the walls.
    laps
        Arena widths taken off the position by wrapping.
    touch
        -1 or 1 for this step, or 0.
    hits_low, hits_high
        Number of crossings or impacts of each edge.  A clamping wall counts only its first
        touch.
    """
    kind_low, kind_high = walls.kind, walls[1].kind
    if kind_low == WRAP:
        position, laps = wrap(position, low, high)
        return position, velocity, laps, 0.0, max(-laps, 0.0), max(laps, 0.0)
    hits_low, hits_high, held = 0.0, 0.0, 0.0
    if kind_low == LEAP:
        if position > high:
            return low, velocity, 1.0, held, hits_low, 1.0
        if position < low:
            return high, velocity, -1.0, held, 1.0, hits_high
        return position, velocity, 0.0, held, hits_low, hits_high
    if airborne:
        return position, velocity, 0.0, held, hits_low, hits_high
    back_low, back_high = walls.restitution, walls[1].restitution
    if kind_low == BOUNCE and kind_high == BOUNCE:
        span = high - low
        if position > high:
            pairs, left = skip_bounces(position - high, span, back_high, back_low)
            position = high + left
        else:
            pairs, left = skip_bounces(low - position, span, back_low, back_high)
            position = low - left
        if pairs != 0.0:
            velocity *= pow(back_low * back_high, pairs)
        hits_low += pairs
        hits_high += pairs
    for _ in range(1000):
        if position >= low and position <= high:
            break
        upper = position > high
        wall = high if upper else low
        kind = kind_high if upper else kind_low
        restitution = back_high if upper else back_low
        if kind == OPEN:
            break
        hits = 1.0
        if kind == CLAMP or kind == HOLD:
            held = 1.0 if upper else -1.0
            hits = 0.0 if touch * held > 0.0 else 1.0
            if kind == CLAMP and velocity * held > 0.0:
                velocity = 0.0
            position = wall
        elif kind == ONTO:
            position = wall
            velocity = -restitution * velocity
        elif kind != REMOVE:
            position = wall - restitution * (position - wall)
            velocity = -restitution * velocity
        if upper:
            hits_high += hits
        else:
            hits_low += hits
        if kind == REMOVE:
            break
    return position, velocity, 0.0, held, hits_low, hits_high


@kernel
def note_side(world: World, body: Body, side: int, hits: float, arrival: Arrival) -> None:
    """Record the impact with an edge, and remove a craft if the edge does so.

    Moment and place are those at which the straight path of this step meets the wall; the speed is
    that on arrival.
    """
    x0, y0 = body.before_x, body.before_y
    along_x, along_y = arrival.x - x0, arrival.y - y0
    along = along_x if side <= X_HIGH else along_y
    behind = bound_of(body, side) - (x0 if side <= X_HIGH else y0)
    fraction = min(max(behind / along, 0.0), 1.0) if along != 0.0 else 0.0
    event, speed = note(world, EDGE, body.index, side), hypot(arrival.vx, arrival.vy)
    place(event, fraction, hits, x0 + fraction * along_x, y0 + fraction * along_y, speed)
    if body.walls[side].kind == REMOVE:
        body.alive = 0.0


@kernel
def rests_at(
    wall: Wall, high: bool, position: float, before: float, bound: float, pushed: float
) -> bool:
    """Return whether a craft that moves straight rests at an edge it has passed, on one axis.

    Its push would undo the bounce, as in contacts.
    """
    outward = 1.0 if high else -1.0
    passed = outward * (position - bound) > 0.0
    way = outward * (position - before)
    return passed and wall.kind == BOUNCE and comes_to_rest(wall.restitution, way, outward * pushed)


@kernel
def meet_x(world: World, body: Body, arrival: Arrival) -> None:
    """Put a craft that left its bounds along x where its edges put it."""
    touch = body.touch_x if abs(body.touch_x) == world.count else 0.0
    low, high = body.low_x, body.high_x
    x, vx, laps, held, hits_low, hits_high = body.x, 0.0, 0.0, 0.0, 0.0, 0.0
    pushed = body.push_x * world.dt
    if rests_at(body.walls, False, x, body.before_x, low, pushed):
        x, held, hits_low = low, -1.0, 0.0 if touch < 0.0 else 1.0
    elif rests_at(body.walls[1], True, x, body.before_x, high, pushed):
        x, held, hits_high = high, 1.0, 0.0 if touch > 0.0 else 1.0
    else:
        x, vx, laps, held, hits_low, hits_high = meet_walls(
            body.x, body.vx, touch, low, high, body.airborne != 0.0, body.walls
        )
    body.x = x
    body.vx = vx
    body.wraps_x += laps
    body.touch_x = held * (world.count + 1.0)
    if hits_low > 0.0:
        note_side(world, body, X_LOW, hits_low, arrival)
    if hits_high > 0.0:
        note_side(world, body, X_HIGH, hits_high, arrival)


@kernel
def meet_y(world: World, body: Body, arrival: Arrival) -> None:
    """Put a craft that left its bounds along y where its edges put it."""
    touch = body.touch_y if abs(body.touch_y) == world.count else 0.0
    low, high = body.low_y, body.high_y
    y, vy, laps, held, hits_low, hits_high = body.y, 0.0, 0.0, 0.0, 0.0, 0.0
    pushed = body.push_y * world.dt
    if rests_at(body.walls[2], False, y, body.before_y, low, pushed):
        y, held, hits_low = low, -1.0, 0.0 if touch < 0.0 else 1.0
    elif rests_at(body.walls[3], True, y, body.before_y, high, pushed):
        y, held, hits_high = high, 1.0, 0.0 if touch > 0.0 else 1.0
    else:
        y, vy, laps, held, hits_low, hits_high = meet_walls(
            body.y, body.vy, touch, low, high, body.airborne != 0.0, body.walls[2]
        )
    body.y = y
    body.vy = vy
    body.wraps_y += laps
    body.touch_y = held * (world.count + 1.0)
    if hits_low > 0.0:
        note_side(world, body, Y_LOW, hits_low, arrival)
    if hits_high > 0.0:
        note_side(world, body, Y_HIGH, hits_high, arrival)


@kernel
def take_down(arrival: Arrival, body: Body) -> None:
    """Store the state of a craft before edges act."""
    arrival.x = body.x
    arrival.y = body.y
    arrival.vx = body.vx
    arrival.vy = body.vy
    arrival.before_x = body.before_x
    arrival.before_y = body.before_y
    arrival.wraps_x = body.wraps_x
    arrival.wraps_y = body.wraps_y
    arrival.touch_x = body.touch_x
    arrival.touch_y = body.touch_y
    arrival.alive = body.alive


@kernel
def bounces(walls: Wall) -> bool:
    """Return whether any of the four edges bounces."""
    across = walls.kind == BOUNCE or walls[1].kind == BOUNCE
    return across or walls[2].kind == BOUNCE or walls[3].kind == BOUNCE


@kernel
def settle(world: World, body: Body) -> bool:
    """Put a craft that left its bounds where its edges put it, and record that.

    On a parabola it may have left them and returned. A craft that began on the far edge of a wrap,
    and has not moved, stays there.


    Returns
    -------
    Whether its numbers are finite; if not, nothing is changed.
    """
    if not is_finite(body.x + body.y + body.vx + body.vy + body.heading):
        return False
    thrown = body.movement == CURVED and bounces(body.walls)
    inside_x = body.low_x <= body.x and body.x < body.high_x
    if inside_x and body.low_y <= body.y and body.y < body.high_y:
        if not thrown or not meets_side(world, body):
            return True
    arrival = world.arrivals[body.index]
    take_down(arrival, body)
    arrival.count = world.count + 1.0
    if body.meets != 0:
        world.crossed = world.count + 1.0
    if thrown:
        path = world.contacts.paths[body.index]
        path.pushed = pushing(body)
        if path.pushed & ALONG_X != 0:
            meet_x(world, body, arrival)
        if path.pushed & ALONG_Y != 0:
            meet_y(world, body, arrival)
        fly_between_sides(world, body.index)
        return True
    rests_x = body.x == body.before_x and body.x == body.high_x and body.walls[0].kind == WRAP
    rests_y = body.y == body.before_y and body.y == body.high_y and body.walls[2].kind == WRAP
    wraps_x, wraps_y = body.wraps_x, body.wraps_y
    if not (rests_x or (body.low_x <= body.x and body.x < body.high_x)):
        meet_x(world, body, arrival)
    if not (rests_y or (body.low_y <= body.y and body.y < body.high_y)):
        meet_y(world, body, arrival)
    if body.wraps_x != wraps_x:
        body.before_x -= (body.wraps_x - wraps_x) * (body.high_x - body.low_x)
    if body.wraps_y != wraps_y:
        body.before_y -= (body.wraps_y - wraps_y) * (body.high_y - body.low_y)
    return True


@kernel
def carry(world: World) -> None:
    """Move bounds that are relative to another craft to its present place."""
    for n in range(world.crafts):
        body = world.bodies[n]
        if body.carrier >= 0:
            carrier = world.bodies[body.carrier]
            body.low_x = _carried(body.walls, carrier.x)
            body.high_x = _carried(body.walls[1], carrier.x)
            body.low_y = _carried(body.walls[2], carrier.y)
            body.high_y = _carried(body.walls[3], carrier.y)


@kernel
def _carried(wall: Wall, place: float) -> float:
    return wall.at + place


@kernel
def unsound(world: World) -> int:
    """Return the first craft with numbers that are not finite, or -1.

    A place that is not finite is noticed at once, because it lies in no bounds. Other fields make a
    place so as soon as they matter, and are checked at the end of a call.
    """
    for n in range(world.crafts):
        body = world.bodies[n]
        whole = body.x + body.y + body.vx + body.vy + body.heading + body.spin
        if body.alive != 0.0 and not is_finite(whole):
            return n
    return -1
