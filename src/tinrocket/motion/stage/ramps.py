"""Numbers of rules that change as the game goes on."""

from tinrocket.kernel.subset import kernel
from tinrocket.motion.scaling import PLAIN, coefficient
from tinrocket.motion.stage.tables import BY_GONE, BY_SCORE
from tinrocket.motion.world import World


@kernel
def change_numbers(world: World) -> None:
    """Work out every number that changes, by how the game stands as the step begins.

    number = from + (to - from) share, with the share held within 0 and 1.
    """
    stage = world.stage
    for n in range(world.ramp_count):
        ramp = world.ramps[n]
        passed = world.now - stage.paused_for
        if ramp.by == BY_SCORE:
            passed = stage.scores[ramp.side]
        elif ramp.by == BY_GONE:
            passed = 0.0
            for member in range(ramp.first, ramp.past):
                if world.bodies[world.ramp_members[member]].alive == 0.0:
                    passed += 1.0
        share = min(max(passed / ramp.over, 0.0), 1.0)
        value = ramp.begin + (ramp.end - ramp.begin) * share
        values, coefficients = ramp.value, ramp.coefficient
        values[0] = value
        if ramp.kind != PLAIN:
            coefficients[0] = coefficient(ramp.kind, value, world.dt)
