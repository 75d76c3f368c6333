"""Spawners: craft of pools appear when due, where there is room."""

from typing import Final

from tinrocket.language.maths import hypot, sincos
from tinrocket.language.subset import kernel
from tinrocket.motion.events import CROWDED, ENTER, NO_ROOM, note, place
from tinrocket.motion.pools import begin_life, enter, free_of
from tinrocket.motion.stage.conditions import is_on
from tinrocket.motion.stage.intervals import (
    MAX_DUE_PER_STEP,
    fraction_of,
    overdue,
    prolong,
    time_late,
    time_played,
)
from tinrocket.motion.stage.tables import (
    BY_NOTHING,
    BY_TIME,
    CHANCES,
    DRAWS,
    EVERY,
    HAPPENS,
    Spawner,
    SpawnerPart,
    point_total,
)
from tinrocket.motion.world import TIME_EPSILON, World

TRIES: Final = 16
"""Number of random places that a spawner tries."""
TURN: Final = 6.283185307179586
"""Full circle [rad]."""


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
def draw(spawner: Spawner, number: int) -> float:
    """Return a random number of this entry, from 0 to 1."""
    return spawner.draws[DRAWS * (spawner.sent % CHANCES) + number]


@kernel
def owner_of(world: World, spawner: Spawner) -> int:
    """Return one of the present craft at which a spawner sends, or -1."""
    there = 0
    for n in range(spawner.first_owner, spawner.past_owner):
        if world.bodies[world.stage.owners[n]].alive != 0.0:
            there += 1
    wanted = min(int(draw(spawner, 1) * float(there)), there - 1)
    for n in range(spawner.first_owner, spawner.past_owner):
        if world.bodies[world.stage.owners[n]].alive != 0.0:
            if wanted == 0:
                return world.stage.owners[n]
            wanted -= 1
    return -1


@kernel
def find_place(world: World, spawner: Spawner, owner: int) -> tuple[bool, float, float]:
    """Return whether there is room at a place picked at random, and that place."""
    x, y = spawner.low_x, spawner.low_y
    for _ in range(TRIES):
        row = 2 * (spawner.tried % CHANCES)
        spawner.tried += 1
        x = spawner.low_x + spawner.chances[row] * (spawner.high_x - spawner.low_x)
        y = spawner.low_y + spawner.chances[row + 1] * (spawner.high_y - spawner.low_y)
        if owner >= 0:
            x, y = world.bodies[owner].x, world.bodies[owner].y
        if spawner.ring != 0:
            far = spawner.ring_low + draw(spawner, 4) * (spawner.ring_high - spawner.ring_low)
            cos_a, sin_a = sincos(TURN * (draw(spawner, 5) + spawner.chances[row]))
            x, y = x + far * cos_a, y + far * sin_a
        if is_clear(world, spawner, x, y):
            return True, x, y
    return False, x, y


@kernel
def spawn_part(
    world: World, spawner: Spawner, part: SpawnerPart, placed: bool, x: float, y: float, late: float
) -> None:
    """Make a member of a spawner appear, if there is room; record the event."""
    start = world.starts[part.pool]
    vx, vy = start.vx, start.vy
    if spawner.vx_low == spawner.vx_low:
        vx = spawner.vx_low + draw(spawner, 2) * (spawner.vx_high - spawner.vx_low)
    if spawner.vy_low == spawner.vy_low:
        vy = spawner.vy_low + draw(spawner, 3) * (spawner.vy_high - spawner.vy_low)
    behind = time_late(spawner.interval, late) if spawner.repeats != 0 else 0.0
    ahead = behind if spawner.puts_ahead != 0 else 0.0
    if spawner.faster_by != BY_NOTHING:
        passed = point_total(world.stage)
        if spawner.faster_by == BY_TIME:
            passed = time_played(world) - ahead
        share = min(max(passed / spawner.faster_over, 0.0), 1.0)
        faster = 1.0 + (spawner.faster_to - 1.0) * share
        vx *= faster
        vy *= faster
    px, py = x + part.offset_x, y + part.offset_y
    craft, kind = part.pool, CROWDED
    if placed:
        free = free_of(world.bodies[part.pool], part.pool_size)
        kind = NO_ROOM
        if free >= 0:
            kind = ENTER
            craft = part.pool + free
            body = world.bodies[craft]
            enter(body, px + ahead * vx, py + ahead * vy, vx, vy)
            body.spin = start.spin
            begin_life(body, start.heading, world.now + world.dt - ahead, world.count + 1.0)
    speed = hypot(vx, vy)
    place(note(world, kind, craft, -1), fraction_of(world, behind), 1.0, px, py, speed)


@kernel
def send(world: World, spawner: Spawner, late: float) -> None:
    """Make the members of a spawner appear, some time after they were due."""
    owner = owner_of(world, spawner)
    if owner < 0 and spawner.first_owner < spawner.past_owner:
        return
    placed, x, y = find_place(world, spawner, owner)
    first, past = spawner.first_part, spawner.past_part
    if spawner.picks_one != 0:
        first = min(first + int(draw(spawner, 0) * float(past - first)), past - 1)
        past = first + 1
    for n in range(first, past):
        spawn_part(world, spawner, world.stage.parts[n], placed, x, y, late)
    spawner.sent += 1


@kernel
def may_send(world: World, spawner: Spawner) -> tuple[bool, bool]:
    """Return whether the gate of a spawner is open, and whether it has just opened."""
    stage, begins = world.stage, spawner.was_on == 0
    for n in range(spawner.first_on, spawner.past_on):
        member = stage.waits[n]
        if not is_on(stage, member):
            spawner.was_on = 0
            return False, False
        kind = stage.conditions[-1 - member if member < 0 else member].kind
        begins = begins or (member >= 0 and (kind == HAPPENS or kind == EVERY))
    for n in range(spawner.past_on, spawner.past_off):
        if is_on(stage, stage.waits[n]):
            spawner.was_on = 0
            return False, False
    spawner.was_on = 1
    return True, begins


@kernel
def spawn(world: World) -> None:
    """Send everything that is due by the end of the step."""
    for number in range(world.stage.spawner_count):
        spawner = world.stage.spawners[number]
        may, begins = may_send(world, spawner)
        if spawner.repeats == 0:
            if may and begins:
                send(world, spawner, 0.0)
            continue
        for _ in range(MAX_DUE_PER_STEP):
            late = overdue(world, spawner.interval)
            if late < -TIME_EPSILON or (spawner.from_sent != 0 and not may):
                break
            every = prolong(world, spawner.interval, 0.0)
            if may:  # a delay makes it less late
                send(world, spawner, late if late <= world.dt else 0.0)
            if spawner.from_sent != 0:
                spawner.interval.due += late
            if every <= 0.0:
                break
