"""Numbers of rules that change as the game goes on."""

from tinrocket.language.subset import kernel
from tinrocket.motion.stage.tables import BY_GONE, BY_SCORE
from tinrocket.motion.world import World


@kernel
def change_numbers(world: World) -> None:
    """Compute every number that changes, from the state of the game as the step begins.

    number = from + (to - from) share, with the share clamped to 0 and 1; several changes of one
    number add up.
    """
    stage, ramped = world.stage, world.ramped
    for n in range(world.ramp_count):
        ramp = world.ramps[n]
        ramped[ramp.key] = ramp.begin
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
        ramped[ramp.key] += (ramp.end - ramp.begin) * share
