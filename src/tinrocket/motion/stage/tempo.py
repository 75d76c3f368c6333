"""The pace of the game's time: slow motion, hit-stop and pause."""

from tinrocket.language.subset import kernel
from tinrocket.motion.body import HELD, PAUSED, Body
from tinrocket.motion.stage.tables import EVERY, HAPPENS, INPUT, Stage, Tempo
from tinrocket.motion.world import TIME_EPSILON, World


@kernel
def is_asked(stage: Stage, member: int) -> bool:
    """Return whether a condition is on as a step begins; only actions are read anew."""
    condition = stage.conditions[-1 - member if member < 0 else member]
    on = (condition.given if condition.kind == INPUT else condition.on) != 0.0
    return not on if member < 0 else on


@kernel
def is_let(stage: Stage, tempo: Tempo) -> bool:
    """Return whether the conditions of a tempo let it act."""
    for n in range(tempo.first_on, tempo.past_on):
        if not is_asked(stage, stage.waits[n]):
            return False
    barred = False
    for n in range(tempo.past_on, tempo.past_off):
        barred = barred or is_asked(stage, stage.waits[n])
    return not barred


@kernel
def happens(stage: Stage, tempo: Tempo) -> bool:
    """Return whether a tempo is gated by an event, which may happen twice in a row."""
    for n in range(tempo.first_on, tempo.past_on):
        member = stage.waits[n]
        if member >= 0:
            kind = stage.conditions[member].kind
            if kind == HAPPENS or kind == EVERY:
                return True
    return False


@kernel
def runs(world: World, tempo: Tempo, moment: float) -> bool:
    """Return whether a tempo is on at a moment of real time."""
    on = is_let(world.stage, tempo)
    begins = on and (tempo.was_on == 0 or happens(world.stage, tempo))
    tempo.was_on = 1 if on else 0
    if tempo.lasts == 0.0:
        return on
    if tempo.counted != 0:
        moment = world.frames
    if begins:
        tempo.until = moment + tempo.lasts - TIME_EPSILON
    return moment < tempo.until


@kernel
def pace_of(world: World, moment: float, dt: float) -> float:
    """Return how much of a real time dt passes in the game in a step."""
    stage, pace = world.stage, 1.0
    for n in range(stage.tempo_count):
        tempo = stage.tempos[n]
        wanted = tempo.factor if runs(world, tempo, moment) else 1.0
        if tempo.change == 0.0:
            tempo.pace = wanted
        elif wanted < tempo.pace:
            tempo.pace = max(tempo.pace - tempo.change * dt, wanted)
        else:
            tempo.pace = min(tempo.pace + tempo.change * dt, wanted)
        if tempo.first_of == tempo.past_of:
            pace *= tempo.pace
    world.frames += 1.0
    world.behind += dt - dt * pace
    return pace


@kernel
def pace_craft(world: World, dt: float) -> None:
    """Set the step length of craft with a time of their own."""
    stage = world.stage
    for n in range(stage.tempo_count):
        tempo = stage.tempos[n]
        for member in range(tempo.first_of, tempo.past_of):
            world.bodies[stage.paced[member]].pace = 1.0
    for n in range(stage.tempo_count):
        tempo = stage.tempos[n]
        for member in range(tempo.first_of, tempo.past_of):
            world.bodies[stage.paced[member]].pace *= tempo.pace
    for n in range(stage.tempo_count):
        tempo = stage.tempos[n]
        for member in range(tempo.first_of, tempo.past_of):
            hold(stage, world.bodies[stage.paced[member]], dt)


@kernel
def hold(stage: Stage, body: Body, dt: float) -> None:
    """Stop or release a craft, and set the length of its own step."""
    if body.pace == 0.0:
        if body.alive > 0.0:
            body.alive = HELD
    elif body.alive == HELD and stage.is_over == 0:
        body.alive = PAUSED if stage.pause_ends != 0.0 else 1.0
    body.stride = body.own_stride
    if body.own_stride == 0.0 and body.pace != 1.0:
        body.stride = dt * body.pace
