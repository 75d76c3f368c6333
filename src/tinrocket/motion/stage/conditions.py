"""Conditions of the game: evaluated once per step, with actions as they turn on."""

from typing import Final

from tinrocket.language.intrinsics import INFINITE, sqrt
from tinrocket.language.subset import kernel
from tinrocket.motion.body import Body
from tinrocket.motion.contacts.touching import is_touching
from tinrocket.motion.events import CONDITION, first_of_step, note
from tinrocket.motion.stage.intervals import (
    MAX_DUE_PER_STEP,
    fraction_of,
    overdue,
    prolong,
    time_late,
)
from tinrocket.motion.stage.tables import (
    AT_EDGE,
    COMBINED,
    COUNT_OF,
    EVERY,
    HAPPENS,
    LATCH,
    LIVES_LEFT,
    MEASURE,
    PLAY_TIME,
    SCORE_OF,
    TOUCHES,
    Condition,
    Stage,
    score,
)
from tinrocket.motion.ways import bearing_to, distance_to
from tinrocket.motion.world import TIME_EPSILON, World

NEAR: Final = 1e-6
"""Distance within which a craft is at an edge [px]."""


LEVELS: Final = 8
"""The code of the first resource among the values of a craft."""
DISTANCE: Final = 20
BEARING: Final = 21


@kernel
def is_between(value: float, above: float, below: float) -> bool:
    """Return whether a value lies strictly between two bounds."""
    return value > above and value < below


@kernel
def stands_at(body: Body, x: float, y: float, side: int) -> bool:
    """Return whether a craft is at an edge that stops it.

    Edges are 0 to 3 for low and high x and y, -1 for any.
    """
    low, high = x - body.low_x <= NEAR, body.high_x - x <= NEAR
    near, far = y - body.low_y <= NEAR, body.high_y - y <= NEAR
    any_of_them = side < 0 and (low or high or near or far)
    across = (side == 0 and low) or (side == 1 and high)
    return any_of_them or across or (side == 2 and near) or (side == 3 and far)


@kernel
def value_of(body: Body, quantity: int) -> float:
    """Return a value of a craft by its code."""
    value = sqrt(body.vx * body.vx + body.vy * body.vy)
    if quantity == 1:
        value = body.vx
    elif quantity == 2:
        value = body.vy
    elif quantity == 3:
        value = body.x
    elif quantity == 4:
        value = body.y
    elif quantity == 5:
        value = body.heading
    elif quantity == 6:
        value = body.spin
    elif quantity == 7:
        value = body.height
    elif quantity >= LEVELS:
        value = level_of(body, quantity - LEVELS)
    return value


@kernel
def level_of(body: Body, place: int) -> float:
    """Return the level of a craft's resource, by the index of the resource."""
    level = body.level_1
    if place == 1:
        level = body.level_2
    elif place == 2:
        level = body.level_3
    elif place == 3:
        level = body.level_4
    elif place == 4:
        level = body.level_5
    elif place == 5:
        level = body.level_6
    return level


@kernel
def value_to(world: World, condition: Condition, body: Body) -> float:
    """Return the distance or the bearing of the target of a condition from a craft."""
    x, y, there = condition.to_x, condition.to_y, True
    if condition.to_craft >= 0:
        target = world.bodies[condition.to_craft]
        x, y, there = target.x, target.y, target.alive != 0.0
    if condition.quantity == DISTANCE:
        return distance_to(body, body.x, body.y, x, y, there)
    return bearing_to(body, body.x, body.y, body.heading, x, y, there, condition.sign)


@kernel
def has_happened(world: World, condition: Condition, first: int) -> bool:
    """Return whether a condition matches an event of this step, from a row on."""
    stage = world.stage
    for row in range(first, min(world.event_count, world.event_room)):
        event = world.events[row]
        for n in range(condition.first, condition.past):
            match = stage.matches[n]
            kind = event.kind == match.kind and (match.cause < 0 or event.cause == match.cause)
            whose = event.craft >= match.first_craft and event.craft < match.past_craft
            if kind and whose and (match.other < 0 or event.other == match.other):
                return True
    return False


@kernel
def is_craft_so(world: World, condition: Condition) -> bool:
    """Return whether any craft of a condition meets it."""
    stage, kind = world.stage, condition.kind
    for n in range(condition.first, condition.past):
        body = world.bodies[stage.members[n]]
        if body.alive != 0.0:
            if kind == MEASURE:
                value = value_of(body, condition.quantity)
                if condition.quantity >= DISTANCE:
                    value = value_to(world, condition, body)
                if is_between(value, condition.above, condition.below):
                    return True
            elif kind == AT_EDGE:
                if stands_at(body, body.x, body.y, condition.quantity):
                    return True
            elif is_touching(world, world.contacts.touches[stage.touches[n]], world.count + 1.0):
                return True
    return False


@kernel
def value_of_game(world: World, condition: Condition, moment: float) -> float:
    """Return the number of craft, the score of a side, the lives left, or the time at a moment."""
    stage, kind, value = world.stage, condition.kind, 0.0
    if kind == COUNT_OF:
        for n in range(condition.first, condition.past):
            if world.bodies[stage.members[n]].alive != 0.0:
                value += 1.0
    elif kind == SCORE_OF:
        value = stage.scores[condition.quantity]
    elif kind == LIVES_LEFT:
        value = stage.lives_given - stage.lives_lost
    else:
        value = (moment - stage.paused_for) / stage.unit
    return value


@kernel
def is_on(stage: Stage, member: int) -> bool:
    """Return whether a condition is on, by its row; a negative row, from -1, tests if it is off."""
    if member < 0:
        return stage.conditions[-1 - member].on == 0.0
    return stage.conditions[member].on != 0.0


@kernel
def any_begins(stage: Stage, first: int, past: int) -> bool:
    """Return whether any of some conditions turned on in this step, or a negated one turned off."""
    for n in range(first, past):
        member = stage.members[n]
        condition = stage.conditions[-1 - member if member < 0 else member]
        each_time = condition.kind == HAPPENS or condition.kind == EVERY
        if member < 0:
            if condition.on == 0.0 and condition.before != 0.0:
                return True
        elif condition.on != 0.0 and (condition.before == 0.0 or each_time):
            return True
    return False


@kernel
def is_latched(world: World, condition: Condition) -> bool:
    """Return whether a latch is on."""
    stage, was = world.stage, condition.on != 0.0
    if any_begins(stage, condition.past_any, condition.past):
        condition.happened = 0 if condition.happened != 0 else 1
    if any_begins(stage, condition.first, condition.past_all):
        condition.happened = 1
    if any_begins(stage, condition.past_all, condition.past_any):
        condition.happened = 0
    moment = world.count + 1.0 if condition.delay_counted != 0 else world.now + world.dt
    if condition.happened != 0:
        if not was:
            condition.since = moment + condition.delay - TIME_EPSILON
        return True
    return was and moment < condition.since


@kernel
def is_combined(world: World, condition: Condition) -> bool:
    """Return whether all of some conditions are on, any of others, and none of the rest."""
    stage = world.stage
    any_is = condition.past_all == condition.past_any
    for n in range(condition.first, condition.past):
        on = is_on(stage, stage.members[n])
        if n < condition.past_all:
            if not on:
                return False
        elif n < condition.past_any:
            any_is = any_is or on
        elif on:
            return False
    return any_is


@kernel
def asks(world: World, condition: Condition, moment: float) -> bool:
    """Return whether a condition is met: at the start of the game, or the end of a step."""
    kind, so = condition.kind, condition.given != 0.0
    if kind == HAPPENS:
        so = condition.happened != 0 or has_happened(world, condition, first_of_step(world))
        condition.happened = 0
    elif kind == MEASURE or kind == AT_EDGE or kind == TOUCHES:
        so = is_craft_so(world, condition)
    elif kind == COUNT_OF or kind == SCORE_OF or kind == LIVES_LEFT or kind == PLAY_TIME:
        value = value_of_game(world, condition, moment)
        so = is_between(value, condition.above, condition.below)
    elif kind == COMBINED:
        so = is_combined(world, condition)
    return so


@kernel
def delayed(world: World, condition: Condition, so: bool) -> bool:
    """Return whether it is on, given how long it must last before, or counts after an event."""
    if condition.delay == 0.0:
        return so
    moment = world.count + 1.0 if condition.delay_counted != 0 else world.now + world.dt
    if so and (condition.kind == HAPPENS or condition.since == INFINITE):
        condition.since = moment
    elif not so and condition.kind != HAPPENS:
        condition.since = INFINITE
    on = moment - condition.since >= condition.delay - TIME_EPSILON
    if on and condition.kind == HAPPENS:
        condition.since = INFINITE
    return on


@kernel
def act(world: World, n: int, fraction: float) -> None:
    """Apply the actions of a condition that turns on."""
    stage = world.stage
    condition = stage.conditions[n]
    if condition.acts == 0 or (stage.is_over != 0 and condition.restarts == 0):
        return
    event = note(world, CONDITION, -1, condition.number)
    event.fraction = fraction
    if condition.side >= 0 and stage.is_over == 0:
        score(stage, condition.side, condition.points)
    stage.end_requested = max(stage.end_requested, condition.ends)
    if condition.restarts != 0:
        stage.restart_asked = 1


@kernel
def run_beats(world: World, n: int) -> bool:
    """Run all beats that are due by the end of the step; return whether there were any."""
    condition, any_due = world.stage.conditions[n], False
    for _ in range(MAX_DUE_PER_STEP):
        late = overdue(world, condition.interval)
        if late < -TIME_EPSILON:
            break
        any_due = True
        act(world, n, fraction_of(world, time_late(condition.interval, late)))
        prolong(world, condition.interval, 0.0)
    return any_due


@kernel
def begin_watching(world: World) -> None:
    """Evaluate the conditions of the game before its first step, so that rules read them.

    Their actions are applied at the end of that step.
    """
    stage = world.stage
    if world.count == 0.0:
        for n in range(stage.condition_count):
            condition = stage.conditions[n]
            lasting = condition.kind != EVERY and condition.kind != HAPPENS
            if lasting and condition.kind != LATCH:
                so = asks(world, condition, 0.0)
                if condition.delay == 0.0:
                    condition.on = 1.0 if so else 0.0
                elif so:
                    condition.since = 0.0


@kernel
def evaluate_conditions(world: World) -> None:
    """Evaluate all conditions of the game, and apply the actions of those that turn on."""
    stage, ends = world.stage, world.now + world.dt
    for n in range(stage.condition_count):
        condition = stage.conditions[n]
        seen = world.count > 0.0 or stage.looked != 0
        condition.before = condition.on if seen else 0.0
        if condition.kind == EVERY:
            condition.on = 1.0 if run_beats(world, n) else 0.0
            continue
        if condition.kind == LATCH:
            condition.on = 1.0 if is_latched(world, condition) else 0.0
        else:
            condition.on = 1.0 if delayed(world, condition, asks(world, condition, ends)) else 0.0
        if condition.on != 0.0 and (condition.before == 0.0 or condition.kind == HAPPENS):
            act(world, n, 1.0)
    stage.events_seen = min(world.event_count, world.event_room)
    stage.looked = 1


@kernel
def remember_happenings(world: World) -> None:
    """Keep events for the next step that happened after the conditions were evaluated."""
    stage = world.stage
    for n in range(stage.condition_count):
        condition = stage.conditions[n]
        if condition.kind == HAPPENS and condition.late != 0:
            condition.happened = 1 if has_happened(world, condition, stage.events_seen) else 0
