"""Fire: shots along the heading, or a ray along it."""

import numpy as np

from tinrocket.language.maths import sincos
from tinrocket.language.records import Floats, Record
from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Argument, Bound, Context, Row, Step, binds
from tinrocket.motion.body import Body
from tinrocket.motion.contacts.clearance import invalidate_rooms
from tinrocket.motion.events import note_rule, note_rule_at
from tinrocket.motion.pools import begin_life, enter, free_of
from tinrocket.motion.timers import moment_of
from tinrocket.motion.world import TIME_EPSILON, World
from tinrocket.scenario import rules

MAX_SHOTS_PER_STEP = 1000
"""Most shots that are due in one step."""
CHANCES = 1024
"""Length of the cycle of a spread's random numbers."""


class Firing(Record):
    """Memory of a gun."""

    ready: float  # when the next shot is due
    held: float  # whether the action was on in the step before
    fired: int  # number of shots so far


@kernel
def listen(memory: Firing, action: float) -> None:
    """Store whether the action was let go."""
    if action == 0.0:
        memory.held = 0.0


@kernel
def next_due(memory: Firing, moment: float, cooldown: float, carries: bool) -> float:
    """Return when the next shot is due, and plan the one after it.

    A shot is due when the cooldown of the one before is over. If it `carries`, the cooldown runs
    from when that one was due, while the action is held, so that no time is lost to steps.
    Otherwise it runs from the step that fires.
    """
    due = memory.ready
    if memory.held == 0.0 or not carries:
        due = moment - TIME_EPSILON
    memory.ready = due + cooldown
    memory.held = 1.0
    return due


@kernel
def astray(memory: Firing, heading: float, spread: float, chances: Floats, count: int) -> float:
    """Return the heading of the next shot, turned at random."""
    turned = heading
    if spread != 0.0:
        turned = heading + spread * chances[memory.fired % count]
    memory.fired += 1
    return turned


class FireNumbers(Record):
    """Numbers and choices of a gun."""

    speed: float
    cooldown: float
    counted: bool
    carries: bool
    inherit: float
    muzzle_x: float
    muzzle_y: float
    pointing: float
    spread: float
    chances_count: int
    shots: int
    exact: bool
    pool: int
    pool_size: int
    look: float


@kernel
def fire(
    world: World,
    body: Body,
    memory: Firing,
    rule: int,
    action: float,
    chances: Floats,
    own: FireNumbers,
) -> None:
    """Make the shots appear that are due in this step.

    Shots due before the step began are late by a time s; exact ones are put ahead by v s. With a
    `look` there are no shots: it is the length of the ray.
    """
    if action != 0.0:
        moment = moment_of(world, own.counted)
        cos_p, sin_p = sincos(body.heading + own.pointing)
        out_x = body.x + own.muzzle_x * cos_p - own.muzzle_y * sin_p
        out_y = body.y + own.muzzle_x * sin_p + own.muzzle_y * cos_p
        fired, refused = 0.0, 0.0
        for _ in range(MAX_SHOTS_PER_STEP):
            if memory.ready > moment:
                break
            due = next_due(memory, moment, own.cooldown, own.carries)
            late = 0.0
            if own.exact and not own.counted:
                late = max(moment - due - TIME_EPSILON, 0.0)
            if own.look > 0.0:
                body.sight = own.look
                fired += 1.0
            else:
                for _shot in range(own.shots):
                    turned = astray(memory, body.heading, own.spread, chances, own.chances_count)
                    along_x, along_y = sincos(turned)
                    ux = own.speed * along_x + own.inherit * body.vx
                    uy = own.speed * along_y + own.inherit * body.vy
                    free = free_of(world.bodies[own.pool], own.pool_size)
                    if free < 0:
                        refused += 1.0
                    else:
                        fired += 1.0
                        shot = world.bodies[own.pool + free]
                        enter(shot, out_x + ux * late, out_y + uy * late, ux, uy)
                        begin_life(shot, turned, world.now - late, world.count)
            if late > 0.0:  # it was due before the step began
                note_rule_at(world, body, rule, fired, refused, late)
                invalidate_rooms(world)
                fired, refused = 0.0, 0.0
            if own.cooldown == 0.0:
                break
        if fired > 0.0 or refused > 0.0:
            invalidate_rooms(world)
            note_rule(world, body, rule, fired, refused)


@binds(rules.Fire)
def bind(rule: rules.Fire, context: Context) -> Bound:
    """Bind shots from a pool, or a ray."""
    pool, size = context.pools[rule.shots] if rule.shots else (0, 0)
    left = -context.heading.clockwise  # left of the direction of the picture
    strays = bool(np.any(rule.spread))
    count = CHANCES if strays else 1
    chances = np.random.default_rng(rule.seed).uniform(-1.0, 1.0, count)
    cooldown, counted = context.span(rule.cooldown)
    action = {"action": context.action(rule.action, rule)}
    arguments: dict[str, Argument] = {
        "speed": context.plain(rule.speed),
        "cooldown": cooldown,
        "counted": counted,
        "carries": rule.carry,
        "inherit": context.plain(rule.inherit),
        "muzzle_x": context.plain(rule.muzzle[0]),
        "muzzle_y": context.plain(left * rule.muzzle[1]),
        "pointing": context.pointing,
        "spread": context.radians(rule.spread) if strays else 0.0,
        "chances": Row(chances),
        "chances_count": count,
        "shots": rule.count,
        "exact": context.exact,
        "pool": pool,
        "pool_size": size,
        "look": 0.0 if rule.range is None else context.plain(rule.range),
    }
    listens = (Step(listen, action),)
    return Bound((Step(fire, action | arguments),), listens=listens, memory=Firing)
