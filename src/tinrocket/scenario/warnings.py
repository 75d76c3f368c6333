"""Warnings: one sentence for each probable mistake of a valid scenario."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import TYPE_CHECKING

from tinrocket.scenario.contact import Contact
from tinrocket.scenario.numbers import Model, frames_in, quantity
from tinrocket.scenario.rules import (
    Limit,
    Move,
    StopBelow,
)

if TYPE_CHECKING:
    from tinrocket.scenario.clock import Clock
    from tinrocket.scenario.craft import Craft
    from tinrocket.scenario.scenario import Scenario

LONG_FRAME = 0.5
"""Mean length of frames from which they are suspected to be milliseconds [s]."""
MANY_TIMES = 20.0
"""Multiple of the run's length from which a time is suspected to be in milliseconds."""
SLOW_PIECES = 5.0
"""Speed of pieces below which it may be meant as a factor [px/s]."""
BELONGS = {
    "largest_angle": ("angle", "by_offset"),
    "into": ("response", "split"),
    "pieces": ("response", "split"),
    "spread": ("response", "split"),
    "piece_speed_factor": ("response", "split"),
    "piece_speed": ("response", "split"),
    "piece_speed_deviation": ("response", "split"),
    "directions": ("response", "split"),
    "restitution": ("response", "bounce"),
    "angle": ("response", "bounce"),
    "velocity_transfer": ("response", "bounce"),
    "normal_transfer": ("response", "bounce"),
    "friction": ("response", "bounce"),
    "speed_factor": ("response", "bounce"),
    "hard_speed_factor": ("response", "bounce"),
    "random_angle": ("response", "bounce"),
}
"""Keys of a contact that have an effect only if another key has a value."""


def doubts(scenario: Scenario, clock: Clock | None = None) -> list[str]:
    """Return the warnings about a scenario flown by a clock."""
    clock = clock or scenario.clock
    rate = clock.fixed_rate or clock.rate or scenario.tuned_at
    if clock.frame_times is not None:
        rate = len(clock.frame_times) / sum(clock.frame_times)
    warned = [*_clock(clock), *_tape(scenario), *_keys(scenario), *_contacts(scenario)]
    warned += _view(scenario)
    warned += [*_times(scenario, scenario.duration)]
    for craft in scenario.craft:
        where = f"craft '{craft.name}'"
        warned += [
            f"{where}: {what}" for what in (*_moves(craft), *_numbers(scenario, craft, rate))
        ]
    return warned


def _clock(clock: Clock) -> Iterator[str]:
    if clock.frame_times is not None:
        mean = sum(clock.frame_times) / len(clock.frame_times)
        if mean > LONG_FRAME:
            yield f"frame times of {mean:.3g} s on average, as if they were milliseconds"


def _tape(scenario: Scenario) -> Iterator[str]:
    tape, end = scenario.tape, scenario.duration
    times = [moment for held in tape.holds.values() for both in held for moment in both]
    times += [moment for taps in tape.taps.values() for moment in taps]
    times += [moment for changes in tape.values.values() for moment, _value in changes]
    seconds = [float(moment) for moment in times if frames_in(moment) is None]
    if any(moment < 0.0 for moment in seconds):
        yield f"the tape begins at {min(seconds):g} s, before the run does"
    begins = [float(down) for held in tape.holds.values() for down, _up in held if _plain(down)]
    begins += [float(tap) for taps in tape.taps.values() for tap in taps if _plain(tap)]
    begins += [float(t) for changes in tape.values.values() for t, _value in changes if _plain(t)]
    if begins and max(begins) >= MANY_TIMES * end:
        yield f"the tape goes on to {max(begins):g} s of {end:g} s: are its times milliseconds?"
    elif begins and max(begins) >= end:
        yield f"the tape goes on to {max(begins):g} s, past the end of the run at {end:g} s"


def _times(model: Model, end: float, where: str = "") -> Iterator[str]:
    """Yield times of the model, and of all models in it, that look like milliseconds."""
    for key in sorted(model.model_fields_set - {"duration", "tape", "clock"}):
        value, path = getattr(model, key), f"{where}{key}"
        field = type(model).model_fields[key]
        mark = quantity(field.annotation, *field.metadata)
        many = value if isinstance(value, tuple) else (value,)
        for number, times in enumerate(many, start=1):
            if isinstance(times, Model):
                name = getattr(times, "label", None) or getattr(times, "name", None) or number
                yield from _times(times, end, f"{path}.{name}." if many is value else f"{path}.")
            elif mark is not None and mark.unit == "s" and _is_far(times, end):
                yield f"{path} = {times:g} s, in a run of {end:g} s: are these milliseconds?"


def _is_far(value: object, end: float) -> bool:
    return isinstance(value, float) and MANY_TIMES * end <= value < math.inf


def _plain(moment: float | str) -> bool:
    return frames_in(moment) is None


def _keys(scenario: Scenario) -> Iterator[str]:
    """Yield actions that the tape never presses, if it presses any."""
    pressed = set(scenario.tape.actions)
    silent = [action for action in scenario.actions if action not in pressed]
    if pressed and silent:
        names = ", ".join(f"'{action}'" for action in silent)
        yield f"nothing on the tape presses {names}"


def _contacts(scenario: Scenario) -> Iterator[str]:
    alone = {craft.name for craft in scenario.craft if craft.pool is None and craft.grid is None}
    shared = [name for craft in scenario.craft for name in craft.groups]
    for contact in scenario.contact:
        where = f"contact '{contact.label}'"
        first, second = contact.between
        if first == second and (first in alone or shared.count(first) == 1):
            yield f"{where}: '{first}' is a single craft and cannot collide with itself"
        yield from (f"{where}: {what}" for what in _idle(contact))


def _view(scenario: Scenario) -> Iterator[str]:
    view = scenario.view
    if view is None or view.pointer_view == "latest":
        return
    if view.pointers != "screen":
        yield "view.pointer_view does nothing without pointers = 'screen'"
    elif view.order == "after":
        yield "view.pointer_view does nothing with order = 'after': that is the last frame's view"


def _idle(contact: Contact) -> Iterator[str]:
    for key, (other, value) in BELONGS.items():
        usual = type(contact).model_fields[key].default
        if getattr(contact, key) != usual and getattr(contact, other) != value:
            yield f"'{key}' does nothing without {other} = '{value}'"
    if contact.friction and contact.angle == "by_offset":
        yield "'friction' does nothing with angle = 'by_offset', which sets the direction itself"
    if contact.removes is not None and contact.response not in ("remove", "split"):
        yield f"'removes' does nothing with response = '{contact.response}'"
    if contact.piece_speed is not None and contact.piece_speed < SLOW_PIECES:
        yield (
            f"'piece_speed' of {contact.piece_speed:g} is a speed, not a factor; "
            f"the factor is 'piece_speed_factor'"
        )
    if contact.points != 1 and contact.scores is None:
        yield "'points' without 'scores' count for no side; name the side with 'scores'"


def _moves(craft: Craft) -> Iterator[str]:
    moves = [rule for rule in craft.rules if isinstance(rule, Move)]
    placed = any(rule.places or rule.foreign for rule in craft.rules)
    speeds = [
        rule for rule in craft.rules if rule.pushes or rule.impulse or rule.sets_velocity_along
    ]
    start = craft.start
    if not moves and not placed and (speeds or start.vx or start.vy):
        yield "no rule 'move', so its velocity takes it nowhere"
    for axis in ("x", "y"):
        along = [rule for rule in moves if rule.axis in ("both", axis)]
        if len(along) > 1:
            times = "twice" if len(along) == 2 else f"{len(along)} times"
            yield f"{times} a rule 'move' along {axis}, so it moves farther than its velocity"
            return


def _numbers(scenario: Scenario, craft: Craft, rate: float) -> Iterator[str]:
    per_second = scenario.per_second()
    same = next(member for member in per_second.craft if member.name == craft.name)
    gains = [
        rule.steering_accel / rate
        for rule in same.rules
        if rule.steering_accel and not rule.sets_velocity_along
    ]
    for rule in same.rules:
        timing = scenario.timing_of(craft, rule)
        if isinstance(rule, Limit) and 0.0 in (rule.speed, rule.x, rule.y, rule.spin):
            yield f"'{rule.label}' of 0 keeps it from moving"
        if isinstance(rule, StopBelow) and gains and rule.below >= min(gains):
            yield (
                f"'{rule.label}' of {rule.below:g} is no less than one frame of thrust at "
                f"{rate:g} fps gives, {min(gains):.3g}: it never starts"
            )
        decay = rule.decay_rate(scenario.tuned_at)
        if timing == "dt" and rate < decay < math.inf:
            yield (
                f"'{rule.label}': rate · dt is {decay / rate:.3g} at {rate:g} fps; above 1 it "
                f"overshoots and turns round in every frame; exact timing does not"
            )
