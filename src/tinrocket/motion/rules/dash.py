"""Dash: a burst of speed along a direction, with a duration and a cooldown."""

from typing import Final

from tinrocket.language.intrinsics import sqrt
from tinrocket.language.maths import sincos
from tinrocket.language.records import Record
from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Argument, Bound, Context, Step, binds
from tinrocket.motion.body import Body
from tinrocket.motion.events import note_rule
from tinrocket.motion.timers import after, is_over, moment_of
from tinrocket.motion.world import TIME_EPSILON, World
from tinrocket.scenario import rules

ALONG: Final = {"heading": 0, "input": 1, "last": 2}
AFTERWARDS: Final = {"keep": 0, "stop": 1, "restore": 2}
STOP, RESTORE = AFTERWARDS["stop"], AFTERWARDS["restore"]


class Dashing(Record):
    """Memory of a dash."""

    until: float  # when it is over
    ready: float  # when the next may begin
    along_x: float  # its direction
    along_y: float
    before_vx: float  # the velocity before it
    before_vy: float
    held: float  # 1 until the action is let go
    on: float  # 1 while it lasts
    last_x: float  # the direction held last
    last_y: float


@kernel
def listen(memory: Dashing, action: float, input_x: float, input_y: float) -> None:
    """Store the direction held last, and whether the action was let go."""
    if input_x != 0.0 or input_y != 0.0:
        length = sqrt(input_x * input_x + input_y * input_y)
        memory.last_x = input_x / length
        memory.last_y = input_y / length
    if action == 0.0:
        memory.held = 0.0


@kernel
def direction(
    memory: Dashing, heading: float, along: int, input_x: float, input_y: float
) -> tuple[float, float]:
    """Return the direction of a dash that begins: the input's, the last one's or the heading's."""
    steered = input_x != 0.0 or input_y != 0.0
    remembered = memory.last_x != 0.0 or memory.last_y != 0.0
    if along != 0 and (steered or (along == 2 and remembered)):
        return memory.last_x, memory.last_y
    return sincos(heading)


@kernel
def on_axes(
    vx: float, vy: float, new_vx: float, new_vy: float, along_x: bool, along_y: bool
) -> tuple[float, float]:
    """Return a velocity with a new one along the axes that a dash acts on."""
    return new_vx if along_x else vx, new_vy if along_y else vy


@kernel
def afterwards(
    memory: Dashing, way: int, adds: bool, speed: float, vx: float, vy: float
) -> tuple[float, float]:
    """Return the velocity once the dash is over."""
    if way == STOP:
        return 0.0, 0.0
    if way == RESTORE:
        if adds:
            return vx - memory.along_x * speed, vy - memory.along_y * speed
        return memory.before_vx, memory.before_vy
    return vx, vy


class DashNumbers(Record):
    """Numbers and choices of a dash, as its kernel reads them."""

    speed: float
    adds: bool
    along: int
    duration: float
    counted: bool
    cooldown: float
    cooldown_counted: bool
    release: bool
    way: int
    exact: bool
    on_x: bool
    on_y: bool


@kernel
def dash(
    world: World,
    body: Body,
    memory: Dashing,
    rule: int,
    action: float,
    input_x: float,
    input_y: float,
    own: DashNumbers,
) -> None:
    """Begin, hold or end a dash.

    While it lasts, the velocity is held at `speed` along its direction (or was raised by
    it once); then it is kept, zeroed, or restored.  An exact dash that is due to
    end a time s into the step ends there: the craft is put forward by (v - w) s, w being
    the velocity after it, so that the move that follows adds up to v s + w (dt - s).
    """
    moment = moment_of(world, own.counted)
    running = not is_over(memory.until, moment)
    if memory.on != 0.0 and not running:
        memory.on = 0.0
        new_vx, new_vy = afterwards(memory, own.way, own.adds, own.speed, body.vx, body.vy)
        body.vx, body.vy = on_axes(body.vx, body.vy, new_vx, new_vy, own.on_x, own.on_y)
    patient = moment_of(world, own.cooldown_counted)
    if action != 0.0 and memory.held == 0.0 and is_over(memory.ready, patient) and not running:
        along_x, along_y = direction(memory, body.heading, own.along, input_x, input_y)
        memory.along_x = along_x if own.on_x else 0.0
        memory.along_y = along_y if own.on_y else 0.0
        memory.before_vx = body.vx
        memory.before_vy = body.vy
        memory.until = after(moment, own.duration)
        memory.ready = after(patient, own.cooldown)
        memory.held = 1.0 if own.release else 0.0
        running = own.duration > 0.0
        memory.on = 1.0 if running else 0.0
        if own.adds:
            body.vx += memory.along_x * own.speed
            body.vy += memory.along_y * own.speed
        else:
            set_vx, set_vy = memory.along_x * own.speed, memory.along_y * own.speed
            body.vx, body.vy = on_axes(body.vx, body.vy, set_vx, set_vy, own.on_x, own.on_y)
        note_rule(world, body, rule, 1.0, 0.0)
    elif running and not own.adds:
        held_vx, held_vy = memory.along_x * own.speed, memory.along_y * own.speed
        body.vx, body.vy = on_axes(body.vx, body.vy, held_vx, held_vy, own.on_x, own.on_y)
    if own.exact and not own.counted and running:
        left = memory.until + TIME_EPSILON - world.now
        if left < world.dt - TIME_EPSILON:
            new_vx, new_vy = afterwards(memory, own.way, own.adds, own.speed, body.vx, body.vy)
            after_vx, after_vy = on_axes(body.vx, body.vy, new_vx, new_vy, own.on_x, own.on_y)
            body.x += (body.vx - after_vx) * left
            body.y += (body.vy - after_vy) * left
            body.vx = after_vx
            body.vy = after_vy
            memory.on = 0.0


@binds(rules.Dash)
def bind(rule: rules.Dash, context: Context) -> Bound:
    """Bind a dash; its direction is read even while it may not begin."""
    ways: tuple[Argument, Argument] = (0.0, 0.0)
    if rule.along != "heading":
        ways = context.direction(rule, "held")
    action = context.action(rule.action, rule)
    inputs: dict[str, Argument] = {"action": action, "input_x": ways[0], "input_y": ways[1]}
    duration, counted = context.span(rule.duration)
    cooldown, cooldown_counted = context.span(rule.cooldown)
    arguments: dict[str, Argument] = {
        "speed": context.plain(rule.speed),
        "adds": rule.adds,
        "along": ALONG[rule.along],
        "duration": duration,
        "counted": counted,
        "cooldown": cooldown,
        "cooldown_counted": cooldown_counted,
        "release": rule.release,
        "way": AFTERWARDS[rule.after],
        "exact": context.exact,
        "on_x": rule.axis != "y",
        "on_y": rule.axis != "x",
    }
    return Bound(
        (Step(dash, inputs | arguments),),
        listens=(Step(listen, inputs),),
        memory=Dashing,
        lasts=("until", counted),
    )
