"""Restart: reset craft, obstacles, scores, spawners, and the memory of rules."""

from tinrocket.language.intrinsics import copy_cells
from tinrocket.language.subset import kernel
from tinrocket.motion.events import RESTART, note
from tinrocket.motion.world import World


@kernel
def save_beginning(world: World) -> None:
    """Store the state before the first step."""
    stage = world.stage
    if world.count == 0.0:
        copy_cells(stage.saved, stage.begun, stage.cells)


@kernel
def restart(world: World) -> None:
    """Restore the first state at the end of the step; time and inputs go on."""
    stage = world.stage
    copy_cells(stage.begun, stage.saved, stage.cells)
    ends, count = world.now + world.dt, world.count + 1.0
    stage.paused_for = ends
    stage.paused_count = count
    for craft in range(world.crafts):
        body = world.bodies[craft]
        body.born = ends
        body.born_count = count
    note(world, RESTART, -1, -1)
