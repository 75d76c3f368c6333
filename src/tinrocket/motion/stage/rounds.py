"""Lives, rounds and the end of the game."""

from tinrocket.language.intrinsics import INFINITE
from tinrocket.language.subset import kernel
from tinrocket.motion.body import PAUSED
from tinrocket.motion.events import LIFE, OVER, ROUND, note
from tinrocket.motion.stage.life import put_back
from tinrocket.motion.stage.tables import ENDS_GAME, ENDS_LIFE, ENDS_NOTHING, ENDS_ROUND, Stage
from tinrocket.motion.world import TIME_EPSILON, World


@kernel
def leading(stage: Stage) -> int:
    """Return the side with the most points, or -1 without a single leader."""
    best, side = -INFINITE, -1
    for number in range(stage.sides):
        points = stage.scores[number]
        if points > best:
            best, side = points, number
        elif points == best:
            side = -1
    return side


@kernel
def stand_still(world: World) -> None:
    """Freeze all present craft."""
    for craft in range(world.crafts):
        if world.bodies[craft].alive > 0.0:
            world.bodies[craft].alive = PAUSED


@kernel
def restore(world: World, body: int) -> None:
    """Bring a craft or an obstacle back if it is gone."""
    if body >= world.crafts:
        world.contacts.paths[body].there = 1
    elif world.bodies[body].alive == 0.0:
        put_back(world, body)


@kernel
def pause(world: World) -> None:
    """End a round: put craft back, and freeze everything until the next begins."""
    stage = world.stage
    for row in range(stage.reset_count):
        put_back(world, stage.resets[row])
    for row in range(stage.restored_count):
        restore(world, stage.restored[row])
    if stage.pause == 0.0:
        note(world, ROUND, -1, -1)
        return
    now = world.now + world.dt
    stage.pause_ends = now + stage.pause
    stage.pause_began = now
    stage.pause_began_count = world.count + 1.0
    stand_still(world)


@kernel
def resume(world: World) -> None:
    """Unfreeze everything, as if no time had passed for it."""
    stage = world.stage
    length = world.now + world.dt - stage.pause_began
    counted = world.count + 1.0 - stage.pause_began_count
    stage.pause_ends = 0.0
    stage.paused_for += length
    stage.paused_count += counted
    for craft in range(world.crafts):
        body = world.bodies[craft]
        if body.alive == PAUSED:
            body.alive = 1.0
        body.born += length
        body.born_count += counted
    for craft in range(stage.life_count):
        life = stage.lives[craft]
        life.died += counted if life.respawn_counted != 0 else length
    note(world, ROUND, -1, -1)


@kernel
def winner_by_points(stage: Stage) -> int:
    """Return the last side that has the points to win, or -1."""
    winner = -1
    for side in range(stage.sides):
        if stage.first_to > 0.0 and stage.first_to <= stage.scores[side]:
            winner = side
    return winner


@kernel
def life_is_lost(world: World, end_requested: bool) -> bool:
    """Return whether the craft with lives was removed, or a contact ended a life."""
    stage = world.stage
    losses = stage.lives[stage.living].losses
    lost = end_requested or losses > stage.losses_seen
    stage.losses_seen = losses
    if lost:
        stage.lives_lost += 1.0
        note(world, LIFE, -1, -1)
    return lost


@kernel
def judge(world: World) -> None:
    """Test whether a life is lost, or the round or the game is over."""
    stage = world.stage
    scored = stage.scored != stage.scored_seen
    stage.scored_seen = stage.scored
    winner = winner_by_points(stage)
    end_requested, stage.end_requested = stage.end_requested, ENDS_NOTHING
    over, lost, fraction = winner >= 0 or end_requested == ENDS_GAME, False, 1.0
    if end_requested == ENDS_GAME and winner < 0:
        winner = leading(stage)
    if stage.lives_given > 0.0:
        lost = life_is_lost(world, end_requested == ENDS_LIFE)
        over = over or (lost and stage.lives_lost >= stage.lives_given)
    limit = stage.time_limit + stage.paused_for - world.now
    if not over and stage.time_limit > 0.0 and limit <= world.dt + TIME_EPSILON:
        winner = leading(stage)
        over = True
        fraction = min(max(limit / world.dt, 0.0), 1.0) if world.dt > 0.0 else 1.0
    if over:
        stage.is_over = 1
        stand_still(world)
        event = note(world, OVER, -1, winner)
        event.fraction = fraction
    elif (scored and stage.by_score != 0) or lost or end_requested == ENDS_ROUND:
        pause(world)
