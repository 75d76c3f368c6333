"""The place at which a rule sees its target: with an offset, ahead, late, or across a seam."""

from typing import Final

import numpy as np

from tinrocket.language.intrinsics import sqrt
from tinrocket.language.maths import sincos
from tinrocket.language.records import Floats, Record
from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Argument, Bound, Context, FieldOf, Memory, Step
from tinrocket.motion.body import Body
from tinrocket.motion.sides import X_LOW, Y_LOW
from tinrocket.motion.timers import moment_of
from tinrocket.motion.ways import shorter
from tinrocket.motion.world import TIME_EPSILON, World
from tinrocket.scenario.numbers import Target, frames_in
from tinrocket.scenario.rules.targets import Seeing

SAMPLES: Final = 1024
"""Number of places that a delay in seconds stores; it interpolates linearly between them."""
CELLS: Final = 3


class Sighted(Record):
    """Memory of a target."""

    x: float  # the place at which the rule sees it
    y: float
    stored: int  # number of places stored so far
    late: int  # last stored place that is long enough ago
    samples: Floats  # moment, x and y of each, in a ring


class SightNumbers(Record):
    """Numbers and choices of how a rule sees its target."""

    offset_x: float
    offset_y: float
    turns: bool
    rate: float
    clockwise: float
    lead: float
    shot_speed: float
    delay: float
    counted: bool
    room: int
    seldom: float
    in_frames: bool
    per: float
    seams: bool


@kernel
def kept(memory: Sighted, moment: float, x: float, y: float, room: int, seldom: float) -> None:
    """Store a place, unless the last one was stored just before."""
    samples = memory.samples
    last = CELLS * ((memory.stored + room - 1) % room)
    if memory.stored == 0 or moment - samples[last] >= seldom:
        cell = CELLS * (memory.stored % room)
        samples[cell] = moment
        samples[cell + 1] = x
        samples[cell + 2] = y
        memory.stored += 1


@kernel
def delayed(
    memory: Sighted, moment: float, x: float, y: float, delay: float, room: int, seldom: float
) -> tuple[float, float]:
    """Return the place of the target a delay ago, or its first place if the delay is longer."""
    kept(memory, moment, x, y, room, seldom)
    samples, wanted = memory.samples, moment - delay
    for _ in range(room):
        following = CELLS * ((memory.late + 1) % room)
        if memory.late + 1 >= memory.stored or samples[following] > wanted + TIME_EPSILON:
            break
        memory.late += 1
    cell, after = CELLS * (memory.late % room), CELLS * ((memory.late + 1) % room)
    share = 0.0
    if memory.late + 1 < memory.stored and wanted > samples[cell] + TIME_EPSILON:
        share = (wanted - samples[cell]) / (samples[after] - samples[cell])
        x = samples[cell + 1] + (samples[after + 1] - samples[cell + 1]) * share
        y = samples[cell + 2] + (samples[after + 2] - samples[cell + 2]) * share
    else:
        x, y = samples[cell + 1], samples[cell + 2]
    return x, y


@kernel
def turned(x: float, y: float, angle: float, clockwise: float) -> tuple[float, float]:
    """Return (ahead, to the right) of a direction along the axes."""
    cos_a, sin_a = sincos(angle)
    return x * cos_a - clockwise * y * sin_a, x * sin_a + clockwise * y * cos_a


@kernel
def sight(
    world: World,
    body: Body,
    memory: Sighted,
    target_x: float,
    target_y: float,
    target_vx: float,
    target_vy: float,
    target_heading: float,
    there: bool,
    own: SightNumbers,
) -> None:
    """Store the place at which the target is seen: late, then ahead, then with the offset."""
    x, y = target_x, target_y
    if not there:
        memory.stored = 0
        memory.late = 0
    elif own.delay > 0.0:
        moment = moment_of(world, own.counted)
        x, y = delayed(memory, moment, x, y, own.delay, own.room, own.seldom)
    ahead = own.lead
    if own.shot_speed > 0.0:
        across, along = x - body.x, y - body.y
        ahead = sqrt(across * across + along * along) / own.shot_speed
    x += target_vx * ahead
    y += target_vy * ahead
    offset_x, offset_y = own.offset_x, own.offset_y
    if own.turns or own.rate != 0.0:
        passed = world.count * own.per if own.in_frames else world.now
        angle = own.rate * passed + (target_heading if own.turns else 0.0)
        offset_x, offset_y = turned(offset_x, offset_y, angle, own.clockwise)
    x += offset_x
    y += offset_y
    if own.seams:
        x = body.x + shorter(x - body.x, body.walls[X_LOW].kind, body.low_x, body.high_x)
        y = body.y + shorter(y - body.y, body.walls[Y_LOW].kind, body.low_y, body.high_y)
    memory.x = x
    memory.y = y


def looks_plainly(rule: Seeing) -> bool:
    """Return whether a rule heads for the target's place itself; its numbers may be columns."""
    counted = frames_in(rule.delay)
    late = rule.delay if counted is None else counted
    changed = (*rule.offset, rule.lead, late, rule.shot_speed is not None, rule.across_edges)
    return not any(np.any(row) for row in changed)


def seen(rule: Seeing, target: Target, context: Context) -> tuple[dict[str, Argument], Bound]:
    """Return the place at which a rule sees a target, its presence, and the steps for both."""
    plain = context.target(target)
    if looks_plainly(rule):
        return plain, Bound(())
    delay, counted = context.span(rule.delay)
    length = float(np.max(delay.value))
    room = int(length) + 2 if counted else SAMPLES
    craft = context.craft.get(target) if isinstance(target, str) else None
    fields = ("vx", "vy", "heading")
    arguments: dict[str, Argument] = {
        f"target_{name}": 0.0 if craft is None else FieldOf(craft, name) for name in fields
    }
    offset_x, offset_y = rule.offset
    numbers: dict[str, Argument] = {
        "offset_x": context.plain(offset_x),
        "offset_y": context.plain(offset_y),
        "turns": rule.offset_turns,
        "rate": context.plain(context.heading.sign * np.radians(rule.offset_rate)),
        "clockwise": context.heading.clockwise,
        "lead": context.plain(rule.lead * context.unit),
        "shot_speed": context.plain(0.0 if rule.shot_speed is None else rule.shot_speed),
        "delay": delay,
        "counted": counted,
        "room": room,
        "seldom": 0.0 if counted else length / (SAMPLES - 2),
        "in_frames": context.timing == "frame",
        "per": 1.0 / context.frames,
        "seams": rule.across_edges,
    }
    bound = Bound(
        (),
        listens=(Step(sight, plain | arguments | numbers),),
        memory=Sighted,
        rooms={"samples": CELLS * room if length > 0.0 else CELLS},
    )
    return plain | {"target_x": Memory("x"), "target_y": Memory("y")}, bound
