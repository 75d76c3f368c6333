"""Each rule in the core's terms: one function from a data class to instructions."""

import math
from functools import singledispatch

import numpy as np

from tinrocket.core import layout
from tinrocket.core import opcodes as op
from tinrocket.core.custom import Written
from tinrocket.core.lower.instructions import Instruction, Pace, Value, Workshop, span
from tinrocket.core.rules import dash, fire, hop
from tinrocket.scenario import rules
from tinrocket.scenario.registry import REGISTERED
from tinrocket.scenario.view import View

ALWAYS = layout.ONES
CHANCES = 1024
"""Random numbers of a spread, after which they begin anew."""


@singledispatch
def lower_rule(rule: rules.MotionRule, shop: Workshop, pace: Pace) -> list[Instruction]:
    """Return a rule as instructions; its numbers are per second."""
    raise NotImplementedError(f"no arithmetic for the rule {type(rule).__name__}")


def _turning(
    opcode: int, rule: rules.Turn | rules.Pivot | rules.Torque, shop: Workshop, angle: Value
) -> list[Instruction]:
    return [
        Instruction(opcode, (angle,), (shop.action(rule.left, rule), shop.action(rule.right, rule)))
    ]


@lower_rule.register
def _(rule: rules.Turn, shop: Workshop, pace: Pace) -> list[Instruction]:
    rate = shop.heading.clockwise * math.radians(rule.rate)
    return _turning(op.TURN, rule, shop, pace.times(rate))


@lower_rule.register
def _(rule: rules.Torque, shop: Workshop, pace: Pace) -> list[Instruction]:
    accel = shop.heading.clockwise * math.radians(rule.accel)
    return _turning(op.TORQUE, rule, shop, pace.times(accel))


@lower_rule.register
def _(rule: rules.Pivot, shop: Workshop, pace: Pace) -> list[Instruction]:
    angle = shop.heading.clockwise * math.radians(rule.angle)
    return _turning(op.TURN, rule, shop, _each(rule, angle, pace))


def _each(rule: rules.MotionRule, amount: float, pace: Pace) -> Value:
    """Return an amount for each press, or for each frame held."""
    return pace.times(amount * pace.tuned_at) if rule.when == "held" else amount


@lower_rule.register
def _(rule: rules.Rotate, shop: Workshop, pace: Pace) -> list[Instruction]:
    return [Instruction(op.ROTATE, (pace.times(1.0),))]


@lower_rule.register
def _(rule: rules.Stride, shop: Workshop, pace: Pace) -> list[Instruction]:
    way = _each(rule, rule.distance, pace)
    return [Instruction(op.STRIDE, (way,), (shop.action(rule.action, rule),))]


@lower_rule.register
def _(rule: rules.Thrust, shop: Workshop, pace: Pace) -> list[Instruction]:
    gains = pace.times(rule.accel), pace.times(rule.reverse or 0.0)
    reverse = layout.ZEROS if rule.reverse is None else shop.action(rule.reverse_action, rule)
    return [Instruction(op.THRUST, gains, (shop.action(rule.action, rule), reverse))]


@lower_rule.register
def _(rule: rules.Drive, shop: Workshop, pace: Pace) -> list[Instruction]:
    directions = dict(zip("xy", shop.direction(rule), strict=True))
    axes = "xy" if rule.axis == "both" else rule.axis
    if rule.speed is not None:
        gain = math.inf if rule.accel is None else pace.times(rule.accel)
        loss = gain if rule.brake is None else pace.times(rule.brake)
        codes = {"x": op.DRIVE_X, "y": op.DRIVE_Y}
        return [
            Instruction(codes[axis], (rule.speed, gain, loss), (directions[axis],)) for axis in axes
        ]
    accel = pace.times(rule.accel or 0.0)
    pushed = Instruction(op.FORCE, (accel, accel), tuple(directions.values()))
    if rule.brake is None:
        return [pushed]
    codes = {"x": op.BRAKE_X, "y": op.BRAKE_Y}
    lost = pace.times(rule.brake)
    return [pushed, *(Instruction(codes[a], (lost,), (directions[a],)) for a in axes)]


@lower_rule.register
def _(rule: rules.Cruise, shop: Workshop, pace: Pace) -> list[Instruction]:
    return [Instruction(op.CRUISE, (rule.speed,))]


@lower_rule.register
def _(rule: rules.Force, shop: Workshop, pace: Pace) -> list[Instruction]:
    return [Instruction(op.FORCE, (pace.times(rule.x), pace.times(rule.y)), (ALWAYS, ALWAYS))]


@lower_rule.register
def _(rule: rules.Drag, shop: Workshop, pace: Pace) -> list[Instruction]:
    if rule.keep is not None:
        at = rule.at or pace.tuned_at
        kept = pace.kept(-math.log(rule.keep) * at, rule.keep ** (at / pace.tuned_at))
    elif rule.half_life is not None:
        kept = pace.kept(math.log(2.0) / rule.half_life)
    else:
        kept = pace.kept(rule.rate or 0.0)
    return [Instruction(op.DRAG if rule.of == "velocity" else op.DRAG_SPIN, (kept,))]


@lower_rule.register
def _(rule: rules.Limit, shop: Workshop, pace: Pace) -> list[Instruction]:
    if rule.speed is not None:
        return [Instruction(op.LIMIT_SPEED, (rule.speed,))]
    if rule.spin is not None:
        return [Instruction(op.LIMIT_SPIN, (math.radians(rule.spin),))]
    tops = (math.inf if top is None else top for top in (rule.x, rule.y))
    return [Instruction(op.LIMIT_AXES, tuple(tops))]


@lower_rule.register
def _(rule: rules.Snap, shop: Workshop, pace: Pace) -> list[Instruction]:
    return [Instruction(op.SNAP, (rule.below,))]


def _most_turn(rate: float | None, pace: Pace) -> Value:
    return math.inf if rate is None else pace.times(math.radians(rate))


@lower_rule.register
def _(rule: rules.Aim, shop: Workshop, pace: Pace) -> list[Instruction]:
    most = (_most_turn(rule.rate, pace),)
    if rule.at is None:
        return [Instruction(op.AIM_ALONG, most, shop.tilt(rule.stick or ""))]
    return [Instruction(op.AIM, most, *shop.target(rule.at))]


def _following(
    rule: rules.Follow | rules.Ease, shop: Workshop, pace: Pace, share: Value, most: Value
) -> list[Instruction]:
    on = float(rule.axis != "y"), float(rule.axis != "x")
    return [Instruction(op.FOLLOW, (share, most, *on, pace.per_step()), *shop.target(rule.target))]


@lower_rule.register
def _(rule: rules.Follow, shop: Workshop, pace: Pace) -> list[Instruction]:
    share = 1.0 if rule.lag is None else pace.share(math.log(2.0) / rule.lag)
    most = math.inf if rule.speed is None else pace.times(rule.speed)
    return _following(rule, shop, pace, share, most)


@lower_rule.register
def _(rule: rules.Ease, shop: Workshop, pace: Pace) -> list[Instruction]:
    return _following(rule, shop, pace, eased(rule, pace), math.inf)


def eased(form: rules.Ease | View, pace: Pace) -> Value:
    """Return the share of the distance that a step covers; 1 if no form of it is given."""
    if form.share is not None:
        at = form.share_at or pace.tuned_at
        if form.share == 1.0:
            return 1.0
        rate = -math.log1p(-form.share) * at
        typed = form.share if at == pace.tuned_at else None
        return pace.share(rate, typed)
    if form.half_life is not None:
        return pace.share(math.log(2.0) / form.half_life)
    return 1.0 if form.rate is None else pace.share(form.rate)


@lower_rule.register
def _(rule: rules.Chase, shop: Workshop, pace: Pace) -> list[Instruction]:
    slots, link = shop.target(rule.target)
    if rule.accel is not None:
        return [Instruction(op.CHASE_FORCE, (pace.times(rule.accel),), slots, link)]
    speed = rule.speed or 0.0
    if rule.turn is not None:
        return [
            Instruction(op.AIM, (_most_turn(rule.turn, pace),), slots, link),
            Instruction(op.CRUISE, (speed,), (), link),
        ]
    numbers = (speed, pace.times(speed), pace.per_step(), pace.exact)
    return [Instruction(op.CHASE, numbers, slots, link)]


@lower_rule.register
def _(rule: rules.Flap, shop: Workshop, pace: Pace) -> list[Instruction]:
    top = math.inf if rule.top is None else rule.top
    numbers = (rule.speed, float(rule.adds), top, shop.heading.up, *span(rule.cooldown))
    return [Instruction(op.FLAP, numbers, (shop.action(rule.action, rule),), memory=1)]


@lower_rule.register
def _(rule: rules.Fall, shop: Workshop, pace: Pace) -> list[Instruction]:
    down = -shop.heading.up
    if rule.accel is not None and rule.terminal is None and rule.glide is None:
        return [Instruction(op.FORCE, (0.0, pace.times(down * rule.accel)), (ALWAYS, ALWAYS))]
    kept: Value = 1.0
    gain: Value = 0.0
    target = 0.0
    if rule.speed is not None:
        kept, target = 0.0, rule.speed
    elif rule.terminal is not None:
        rate, target = (rule.accel or 0.0) / rule.terminal, rule.terminal
        kept = pace.kept(rate, at_tuned=1.0 - rate / pace.tuned_at)
    else:
        gain = pace.times(rule.accel or 0.0)
    glide = 0.0 if rule.glide is None else rule.glide
    slot = layout.ZEROS if rule.glide is None else shop.action(rule.glide_action, rule)
    return [Instruction(op.FALL, (kept, target, gain, glide, down), (slot,))]


@lower_rule.register
def _(rule: rules.Lift, shop: Workshop, pace: Pace) -> list[Instruction]:
    gains = pace.times(rule.forward), pace.times(shop.heading.up * rule.accel)
    return [Instruction(op.FORCE, gains, (ALWAYS, shop.action(rule.action, rule)))]


@lower_rule.register
def _(rule: rules.Dash, shop: Workshop, pace: Pace) -> list[Instruction]:
    along = {"heading": dash.ALONG_HEADING, "input": dash.ALONG_INPUT, "last": dash.ALONG_LAST}
    after = {"keep": dash.AFTER_KEEP, "stop": dash.AFTER_STOP, "restore": dash.AFTER_RESTORE}
    numbers = (
        rule.speed,
        float(rule.adds),
        along[rule.along],
        *span(rule.duration),
        *span(rule.cooldown),
        float(rule.release),
        after[rule.after],
        pace.exact,
    )
    still = (layout.ZEROS, layout.ZEROS)
    direction = still if rule.along == "heading" else shop.direction(rule)
    slots = (shop.action(rule.action, rule), *direction)
    return [Instruction(op.DASH, numbers, slots, memory=dash.MEMORY)]


@lower_rule.register
def _(rule: rules.Hop, shop: Workshop, pace: Pace) -> list[Instruction]:
    duration, counted = span(rule.duration)
    seconds = duration / shop.tuned_at if counted else duration
    numbers = (
        rule.height,
        4.0 * rule.height / seconds,
        pace.times(8.0 * rule.height / seconds**2),
        pace.times(1.0),
        duration,
        counted,
        *span(rule.cooldown),
        pace.exact,
        float(not rule.contacts),
    )
    return [Instruction(op.HOP, numbers, (shop.action(rule.action, rule),), memory=hop.MEMORY)]


@lower_rule.register
def _(rule: rules.Timer, shop: Workshop, pace: Pace) -> list[Instruction]:
    slots = (shop.action(rule.action, rule),)
    return [Instruction(op.TIMER, span(rule.duration), slots, memory=1)]


@lower_rule.register
def _(rule: rules.Fire, shop: Workshop, pace: Pace) -> list[Instruction]:
    pool, size = shop.pools[rule.shots] if rule.shots else (0, 0)
    up = -shop.heading.clockwise  # which way is left of where the picture points
    chances = np.random.default_rng(rule.seed).uniform(-1.0, 1.0, CHANCES if rule.spread else 0)
    numbers = (
        rule.speed,
        *span(rule.cooldown),
        float(rule.carry),
        rule.inherit,
        rule.muzzle[0],
        up * rule.muzzle[1],
        shop.pointing,
        math.radians(rule.spread),
        float(rule.count),
        pace.exact,
        float(pool),
        float(size),
        rule.range or 0.0,
        float(chances.size),
        *chances.tolist(),
    )
    return [Instruction(op.FIRE, numbers, (shop.action(rule.action, rule),), memory=fire.MEMORY)]


@lower_rule.register
def _(rule: rules.Custom, shop: Workshop, pace: Pace) -> list[Instruction]:
    known = REGISTERED[rule.function]
    written = Written(known.function, len(known.inputs) + len(known.numbers))
    if written not in shop.written:
        shop.written.append(written)
    numbers = [rule.numbers.get(name, default) for name, default in known.numbers.items()]
    slots = tuple(shop.action(action, rule) for action in rule.own_actions)
    which = float(shop.written.index(written))
    links = (len(slots), len(numbers))
    return [Instruction(op.CUSTOM, (which, pace.times(1.0), *numbers), slots, links)]


@lower_rule.register
def _(rule: rules.Move, shop: Workshop, pace: Pace) -> list[Instruction]:
    code = op.MOVE_HALF if rule.method == "half" else op.MOVE_EULER
    return [Instruction(code, (pace.times(1.0),))]
