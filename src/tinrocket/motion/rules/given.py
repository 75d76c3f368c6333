"""Swing and path: places that follow from the time alone."""

import itertools
import math

import numpy as np

from tinrocket.language.intrinsics import floor
from tinrocket.language.maths import sin
from tinrocket.language.records import Floats, Record
from tinrocket.language.subset import kernel
from tinrocket.motion.binding import Argument, Bound, Context, Number, Row, Step, binds
from tinrocket.motion.body import Body
from tinrocket.motion.world import TIME_EPSILON, World
from tinrocket.scenario import rules

TURN = 6.283185307179586
SHAPES = {"sine": 0, "triangle": 1, "square": 2}
REPEATS = {"once": 0, "loop": 1, "back": 2}


class Given(Record):
    """Memory of given motion."""

    begun: float  # whether it has its middle
    born: float  # life of the craft to which it belongs
    x: float  # the middle, or where a path begins
    y: float
    heading: float
    since: float  # when a path began
    runs: float  # whether it moves on


class SwingNumbers(Record):
    """Numbers and choices of a swing."""

    amplitude: float
    period: float
    phase: float
    shape: int
    axis: int
    counted: bool
    in_frames: bool
    frame: float
    per: float


@kernel
def settle_at(body: Body, memory: Given) -> None:
    """Store the place of the craft as it begins, and begins anew."""
    if memory.begun == 0.0 or memory.born != body.born_count:
        memory.begun = 1.0
        memory.born = body.born_count
        memory.x = body.x
        memory.y = body.y
        memory.heading = body.heading
        memory.runs = 0.0


@kernel
def end_of_step(world: World, counted: bool, in_frames: bool, frame: float) -> float:
    """Return the end of a step: in steps, in units of time, or in tuned frames."""
    if counted:
        return world.count + 1.0
    return (world.count + 1.0) * frame if in_frames else world.now + world.dt


@kernel
def begin_of_step(world: World, counted: bool, in_frames: bool, frame: float) -> float:
    """Return the begin of a step in the same unit."""
    if counted:
        return world.count
    return world.count * frame if in_frames else world.now


@kernel
def wave(turns: float, shape: int) -> float:
    """Return a wave of height 1: sin(2 pi turns), its triangle or its square."""
    part = turns - floor(turns)
    if shape == 0:
        return sin(TURN * part)
    if shape == 1:
        return 1.0 - 4.0 * abs(part + 0.25 - floor(part + 0.25) - 0.5)
    return 1.0 if part < 0.5 else -1.0


@kernel
def swing(world: World, body: Body, memory: Given, own: SwingNumbers) -> None:
    """P = p0 + A wave(t / T + phase), with t as the step ends."""
    settle_at(body, memory)
    moment = end_of_step(world, own.counted, own.in_frames, own.frame)
    off = own.amplitude * wave(moment / own.period + own.phase, own.shape)
    if own.axis == 0:
        body.vx = (memory.x + off - body.x) * own.per
        body.x = memory.x + off
    elif own.axis == 1:
        body.vy = (memory.y + off - body.y) * own.per
        body.y = memory.y + off
    else:
        body.heading = memory.heading + off


class PathNumbers(Record):
    """Numbers and points of a path."""

    points: Floats  # share of the length, x and y of each
    count: int
    duration: float
    counted: bool
    in_frames: bool
    frame: float
    per: float
    repeats: int
    eased: bool
    relative: bool
    waits: bool


@kernel
def share_of(passed: float, repeats: int) -> float:
    """Return the share of a path, 0 to 1, after a number of runs, whole or not."""
    if repeats == 0:
        return min(passed, 1.0)
    part = passed - floor(passed)
    if repeats == 1:
        return part
    half = 0.5 * passed - floor(0.5 * passed)
    return 2.0 * half if half < 0.5 else 2.0 - 2.0 * half


@kernel
def place_on(points: Floats, count: int, share: float, eased: bool) -> tuple[float, float]:
    """Return the place at a share of a path's length."""
    leg = 0
    for n in range(1, count - 1):
        if share >= points[3 * n]:
            leg = n
    begin, end = points[3 * leg], points[3 * leg + 3]
    part = (share - begin) / (end - begin) if end > begin else 0.0
    if eased:
        part = part * part * (3.0 - 2.0 * part)
    x = points[3 * leg + 1] + (points[3 * leg + 4] - points[3 * leg + 1]) * part
    return x, points[3 * leg + 2] + (points[3 * leg + 5] - points[3 * leg + 2]) * part


@kernel
def path(world: World, body: Body, memory: Given, action: float, own: PathNumbers) -> None:
    """P = place at t / T along the path, with t as the step ends."""
    settle_at(body, memory)
    moment = end_of_step(world, own.counted, own.in_frames, own.frame)
    if own.waits:
        if action != 0.0:
            memory.x = body.x
            memory.y = body.y
            memory.since = begin_of_step(world, own.counted, own.in_frames, own.frame)
            memory.runs = 1.0
    elif memory.runs == 0.0:
        memory.runs = 1.0
        memory.since = begin_of_step(world, own.counted, own.in_frames, own.frame)
    if memory.runs != 0.0:
        passed = (moment - memory.since) / own.duration
        if passed > 1.0 - TIME_EPSILON and passed < 1.0:
            passed = 1.0
        share = share_of(passed, own.repeats)
        x, y = place_on(own.points, own.count, share, own.eased)
        if own.relative:
            x += memory.x
            y += memory.y
        body.vx = (x - body.x) * own.per
        body.vy = (y - body.y) * own.per
        body.x = x
        body.y = y
        if own.waits and own.repeats == 0 and passed >= 1.0:
            memory.runs = 0.0


def paced(span: object, context: Context) -> tuple[Number, dict[str, Argument]]:
    """Return a span, and its unit."""
    length, counted = context.span(span)
    return length, {
        "counted": counted,
        "in_frames": context.timing == "frame",
        "frame": 1.0 / context.frames,
        "per": context.per_step(),
    }


@binds(rules.Swing)
def bind_swing(rule: rules.Swing, context: Context) -> Bound:
    """Bind a swing; its middle is the first place of the craft."""
    period, counted = paced(rule.period, context)
    turned = rule.axis == "heading"
    amplitude = context.heading.sign * np.radians(rule.amplitude) if turned else rule.amplitude
    arguments: dict[str, Argument] = {
        "amplitude": context.plain(amplitude),
        "period": period,
        "phase": context.plain(rule.phase / 360.0),
        "shape": SHAPES[rule.shape],
        "axis": ("x", "y", "heading").index(rule.axis),
    }
    return Bound((Step(swing, arguments | counted),), memory=Given)


@binds(rules.Path)
def bind_path(rule: rules.Path, context: Context) -> Bound:
    """Bind a path; each leg takes its share of the time by length."""
    legs = [math.dist(a, b) for a, b in itertools.pairwise(rule.points)]
    along = np.append(0.0, np.cumsum(legs)) / math.fsum(legs)
    duration, counted = paced(rule.duration, context)
    arguments: dict[str, Argument] = {
        "action": context.action(rule.action, rule) if rule.action else 1.0,
        "points": Row(np.column_stack([along, rule.points])),
        "count": len(rule.points),
        "duration": duration,
        "repeats": REPEATS[rule.repeats],
        "eased": rule.easing == "eased",
        "relative": rule.relative,
        "waits": bool(rule.action),
    }
    return Bound((Step(path, arguments | counted),), memory=Given)
