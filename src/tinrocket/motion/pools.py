"""Pools: absent craft that appear when a rule or spawner sends them."""

from tinrocket.language.subset import kernel
from tinrocket.motion.body import Body


@kernel
def free_of(pool: Body, size: int) -> int:
    """Return the first absent member of a pool; -1 if all are present."""
    for n in range(size):
        if pool[n].alive == 0.0:
            return n
    return -1


@kernel
def enter(body: Body, x: float, y: float, vx: float, vy: float) -> None:
    """Make a craft appear at a place."""
    body.x = x
    body.y = y
    body.vx = vx
    body.vy = vy
    body.before_x = x
    body.before_y = y
    body.wraps_x = 0.0
    body.wraps_y = 0.0
    body.height = 0.0
    body.alive = 1.0
    body.spin = 0.0
    body.touch_x = 0.0
    body.touch_y = 0.0
    body.airborne = 0.0
    body.sight = 0.0


@kernel
def begin_life(body: Body, heading: float, now: float, count: float) -> None:
    """Set the heading and the time of a craft that appears."""
    body.heading = heading
    body.born = now
    body.born_count = count
