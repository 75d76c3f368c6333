"""Recording events."""

from typing import Final

from tinrocket.language.maths import hypot
from tinrocket.language.subset import kernel
from tinrocket.motion.body import Body
from tinrocket.motion.world import Event, World
from tinrocket.scenario.event_kinds import code_of

EDGE: Final = 0  # cause: the side
RULE: Final = 1  # cause: the rule that began something
NO_ROOM_FOR_RULE: Final = 2  # its pool is empty; cause: the rule
CONTACT: Final = 3  # cause: the contact
CONDITION: Final = 17  # a condition that acts turned on; cause: the condition

HARD_CONTACT: Final = code_of("hard_hit")
EXPIRE: Final = code_of("expire")  # its lifetime is over
ENTER: Final = code_of("enter")  # a spawner sent it
CROWDED: Final = code_of("spawn_blocked")  # a spawner found no free place
NO_ROOM: Final = code_of("pool_empty")  # no free member of the pool
RESPAWN: Final = code_of("respawn")
REVERSE: Final = code_of("march_turn")  # a march came to its end and turned
STRIDE: Final = code_of("march_step")
LIFE: Final = code_of("life_lost")
ROUND: Final = code_of("round")  # a round began
OVER: Final = code_of("over")  # the game is over; cause: the side that won, or -1
SQUEEZE: Final = code_of("squeeze")  # no room between two bodies, or too many impacts in a step
PARTED: Final = code_of("separation")  # a lasting contact ended; cause: the contact
RESTART: Final = code_of("restart")  # the game restarts


@kernel
def note(world: World, kind: int, craft: int, cause: int) -> Event:
    """Append an event and return it; when the buffer is full, return the spare record behind it."""
    event = world.events[min(world.event_count, world.event_room)]
    world.event_count += 1
    event.step = world.step
    event.kind = kind
    event.craft = craft
    event.cause = cause
    event.other = -1
    event.fraction = 1.0
    event.count = 1.0
    event.x = 0.0
    event.y = 0.0
    event.speed = 0.0
    event.gap = 0.0
    event.normal = 0.0
    return event


@kernel
def place(event: Event, fraction: float, count: float, x: float, y: float, speed: float) -> None:
    """Record an event's time within the step, count, place and speed."""
    event.fraction = fraction
    event.count = count
    event.x = x
    event.y = y
    event.speed = speed


@kernel
def note_body(world: World, kind: int, body: Body, fraction: float) -> Event:
    """Record an event at the place of a craft."""
    event, speed = note(world, kind, body.index, -1), hypot(body.vx, body.vy)
    place(event, fraction, 1.0, body.x, body.y, speed)
    return event


@kernel
def first_of_step(world: World) -> int:
    """Return the row of the first event of the current step."""
    row = min(world.event_count, world.event_room)
    for _ in range(world.event_room):
        if row == 0 or world.events[row - 1].step != world.step:
            break
        row -= 1
    return row


@kernel
def move_event(world: World, to: int, row: int) -> None:
    """Copy an event to an earlier row."""
    if to == row:
        return
    event, moved = world.events[to], world.events[row]
    event.step = moved.step
    event.kind = moved.kind
    event.craft = moved.craft
    event.cause = moved.cause
    event.other = moved.other
    event.fraction = moved.fraction
    event.count = moved.count
    event.x = moved.x
    event.y = moved.y
    event.speed = moved.speed
    event.gap = moved.gap
    event.normal = moved.normal


@kernel
def note_rule(world: World, body: Body, rule: int, began: float, missed: float) -> None:
    """Record the number of starts of a rule at the start of the step, and those without room."""
    note_rule_at(world, body, rule, began, missed, 0.0)


@kernel
def note_rule_at(
    world: World, body: Body, rule: int, began: float, missed: float, late: float
) -> None:
    """Record the number of starts of a rule some time before the start of the step."""
    fraction = -late / world.dt if world.dt > 0.0 else 0.0
    speed = hypot(body.vx, body.vy)
    if began > 0.0:
        event = note(world, RULE, body.index, rule)
        place(event, fraction, began, body.x, body.y, speed)
    if missed > 0.0:
        event = note(world, NO_ROOM_FOR_RULE, body.index, rule)
        place(event, fraction, missed, body.x, body.y, speed)
