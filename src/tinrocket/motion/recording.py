"""Writing down how every craft is after a step."""

from tinrocket.language.records import Floats
from tinrocket.language.subset import kernel
from tinrocket.motion.body import Body
from tinrocket.motion.world import World


@kernel
def record_body(row: Floats, at: int, stride: int, columns: int, body: Body) -> None:
    """Write the first columns of a craft, each into a row of its own."""
    row[at] = body.x
    row[at + stride] = body.y
    row[at + 2 * stride] = body.vx
    row[at + 3 * stride] = body.vy
    row[at + 4 * stride] = body.heading
    row[at + 5 * stride] = body.wraps_x
    row[at + 6 * stride] = body.wraps_y
    if columns > 7:
        row[at + 7 * stride] = body.height
        row[at + 8 * stride] = body.alive


@kernel
def record_all(world: World) -> None:
    """Write the states of all craft after the step at hand."""
    columns = world.record_columns
    if columns > 0:
        stride = world.crafts * world.record_length
        for n in range(world.crafts):
            at = n * world.record_length + world.step
            record_body(world.record, at, stride, columns, world.bodies[n])
