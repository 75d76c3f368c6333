"""Spawners: craft of pools appear when they are due, where there is room for them."""

from typing import Final

from tinrocket.kernel.maths import hypot
from tinrocket.kernel.subset import kernel
from tinrocket.motion.events import CROWDED, ENTER, NO_ROOM, note, place
from tinrocket.motion.pools import begin_life, enter, free_of
from tinrocket.motion.stage.intervals import MOST, fraction_of, overdue, prolong, time_late
from tinrocket.motion.stage.tables import CHANCES, Spawner, SpawnerPart
from tinrocket.motion.world import TIME_EPSILON, World

TRIES: Final = 16
"""Random places that a spawner tries before it finds none."""


@kernel
def is_clear(world: World, spawner: Spawner, x: float, y: float) -> bool:
    """Whether a place is far enough from the craft that a spawner keeps clear of."""
    far = spawner.clearance
    for n in range(spawner.first_clear, spawner.past_clear):
        body = world.bodies[world.stage.clear[n]]
        if body.alive != 0.0:
            dx, dy = body.x - x, body.y - y
            if dx * dx + dy * dy < far * far:
                return False
    return True


@kernel
def find_place(world: World, spawner: Spawner) -> tuple[bool, float, float]:
    """Return whether there is room at a place picked at random, and that place."""
    x, y = spawner.low_x, spawner.low_y
    for _ in range(TRIES):
        row = 2 * (spawner.tried % CHANCES)
        spawner.tried += 1
        x = spawner.low_x + spawner.chances[row] * (spawner.high_x - spawner.low_x)
        y = spawner.low_y + spawner.chances[row + 1] * (spawner.high_y - spawner.low_y)
        if is_clear(world, spawner, x, y):
            return True, x, y
    return False, x, y


@kernel
def spawn_part(
    world: World, spawner: Spawner, part: SpawnerPart, found: bool, x: float, y: float, late: float
) -> None:
    """Let one of what a spawner sends appear, if there is room; write down what came of it."""
    start = world.starts[part.pool]
    vx, vy = start.vx, start.vy
    behind = time_late(spawner.interval, late)
    ahead = behind if spawner.puts_ahead != 0 else 0.0
    px = x + part.offset_x + ahead * vx
    py = y + part.offset_y + ahead * vy
    craft, kind = part.pool, CROWDED
    if found:
        free = free_of(world.bodies[part.pool], part.pool_size)
        kind = NO_ROOM
        if free >= 0:
            kind = ENTER
            craft = part.pool + free
            body = world.bodies[craft]
            enter(body, px, py, vx, vy)
            body.spin = start.spin
            begin_life(body, start.heading, world.now + world.dt - ahead, world.count + 1.0)
    speed = hypot(vx, vy)
    place(note(world, kind, craft, -1), fraction_of(world, behind), 1.0, px, py, speed)


@kernel
def spawn(world: World) -> None:
    """Let everything appear that a spawner is due to send by the end of the step."""
    for number in range(world.stage.spawner_count):
        spawner = world.stage.spawners[number]
        for _ in range(MOST):
            late = overdue(world, spawner.interval)
            if late < -TIME_EPSILON:
                break
            every = prolong(world, spawner.interval, 0.0)
            found, x, y = find_place(world, spawner)
            for n in range(spawner.first_part, spawner.past_part):
                spawn_part(world, spawner, world.stage.parts[n], found, x, y, late)
            if every <= 0.0:
                break
