"""The end of a step: craft that leave and enter, and the end of rounds and of the game."""

from tinrocket.language.subset import kernel
from tinrocket.motion.contacts.clearance import invalidate_rooms
from tinrocket.motion.stage.conditions import evaluate_conditions, remember_happenings
from tinrocket.motion.stage.life import leave_and_return
from tinrocket.motion.stage.march import march_on
from tinrocket.motion.stage.restart import restart
from tinrocket.motion.stage.rounds import judge, resume
from tinrocket.motion.stage.spawn import spawn
from tinrocket.motion.world import TIME_EPSILON, World


@kernel
def conduct(world: World) -> None:
    """Run the stage at the end of the step.

    In this order: craft that leave or return, conditions, spawners, marches, and the end of a life,
    a round, or the game. In a pause nothing of that happens, and no time passes for it; after the
    game only a restart.
    """
    invalidate_rooms(world)  # it may put a craft anywhere
    stage = world.stage
    if stage.is_over != 0:
        if stage.restarts != 0:
            evaluate_conditions(world)
        if stage.restart_asked != 0:
            restart(world)
        return
    if stage.pause_ends != 0.0:
        if world.now + world.dt >= stage.pause_ends - TIME_EPSILON:
            resume(world)
        return
    leave_and_return(world)
    evaluate_conditions(world)
    spawn(world)
    march_on(world)
    if stage.restart_asked != 0:
        restart(world)
        return
    judge(world)
    remember_happenings(world)
