"""Recording the state of every craft after a step."""

from tinrocket.language.records import Floats
from tinrocket.language.subset import kernel
from tinrocket.motion.body import Body
from tinrocket.motion.world import World


@kernel
def record_levels(row: Floats, at: int, stride: int, columns: int, body: Body) -> None:
    """Write the level of each resource."""
    row[at + 9 * stride] = body.level_1
    if columns > 10:
        row[at + 10 * stride] = body.level_2
    if columns > 11:
        row[at + 11 * stride] = body.level_3
    if columns > 12:
        row[at + 12 * stride] = body.level_4
    if columns > 13:
        row[at + 13 * stride] = body.level_5
    if columns > 14:
        row[at + 14 * stride] = body.level_6


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
    if columns > 9:
        record_levels(row, at, stride, columns, body)


@kernel
def record_all(world: World) -> None:
    """Write the states of all craft after the current step."""
    columns = world.record_columns
    if columns > 0:
        stride = world.crafts * world.record_length
        for n in range(world.crafts):
            at = n * world.record_length + world.step
            record_body(world.record, at, stride, columns, world.bodies[n])
