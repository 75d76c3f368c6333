"""Groups that step sideways together, turn at their ends and come down."""

from tinrocket.language.subset import kernel
from tinrocket.motion.events import REVERSE, STRIDE, note_body
from tinrocket.motion.stage.intervals import (
    MAX_DUE_PER_STEP,
    fraction_of,
    overdue,
    prolong,
    time_late,
)
from tinrocket.motion.stage.tables import March
from tinrocket.motion.world import TIME_EPSILON, World


@kernel
def survey(world: World, march: March, way: float) -> tuple[int, float, bool]:
    """Return the first present member, the number of absent ones, and whether to turn."""
    leader, gone, turns = -1, 0.0, False
    for n in range(march.first_marcher, march.past_marcher):
        body = world.bodies[world.stage.marchers[n]]
        if body.alive == 0.0:
            gone += 1.0
        else:
            leader = body.index if leader < 0 else leader
            ahead = body.x + way
            past_high = way > 0.0 and ahead > march.most_x + TIME_EPSILON
            past_low = way < 0.0 and ahead < march.least_x - TIME_EPSILON
            turns = turns or past_high or past_low
    return leader, gone, turns


@kernel
def take_step(world: World, march: March, way_x: float, way_y: float) -> None:
    """Move all present members of a group."""
    for n in range(march.first_marcher, march.past_marcher):
        body = world.bodies[world.stage.marchers[n]]
        if body.alive != 0.0:
            body.x += way_x
            body.y += way_y


@kernel
def march_on(world: World) -> None:
    """Take the steps of every group that are due by the end of the step."""
    for number in range(world.stage.march_count):
        march = world.stage.marches[number]
        for _ in range(MAX_DUE_PER_STEP):
            late = overdue(world, march.interval)
            if late < -TIME_EPSILON:
                break
            way = -march.step if march.turned != 0 else march.step
            leader, gone, turns = survey(world, march, way)
            every = prolong(world, march.interval, gone)
            if leader < 0:
                break
            if turns:
                take_step(world, march, 0.0, march.down)
                march.turned = 1 - march.turned
            else:
                take_step(world, march, way, 0.0)
            fraction = fraction_of(world, time_late(march.interval, late))
            note_body(world, REVERSE if turns else STRIDE, world.bodies[leader], fraction)
            if every <= 0.0:
                break
