"""Recording a craft's state after each rule of a step, for traces."""

from typing import Final

from tinrocket.language.subset import kernel
from tinrocket.motion.world import World

BEGIN: Final = -1  # before all rules
EDGES: Final = -2
CONTACTS: Final = -3
STAGE: Final = -4
TIMER: Final = -100  # and further down: remaining time of a timer, in x


@kernel
def record_state(
    world: World, craft: int, after: int, x: float, y: float, vx: float, vy: float, heading: float
) -> None:
    """Record a craft's state, unless the buffer is full."""
    if world.trace_count < world.trace_room:
        row = world.trace[world.trace_count]
        world.trace_count += 1
        body = world.bodies[craft]
        row.craft = float(craft)
        row.after = float(after)
        row.x = x
        row.y = y
        row.vx = vx
        row.vy = vy
        row.heading = heading
        row.spin = body.spin
        row.height = body.height
        row.alive = body.alive
        row.level_1 = body.level_1
        row.level_2 = body.level_2
        row.level_3 = body.level_3
        row.level_4 = body.level_4
        row.level_5 = body.level_5
        row.level_6 = body.level_6


@kernel
def trace_all(world: World, after: int) -> None:
    """Record the state of all craft."""
    for craft in range(world.crafts):
        body = world.bodies[craft]
        record_state(world, craft, after, body.x, body.y, body.vx, body.vy, body.heading)
