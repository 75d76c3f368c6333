"""Mistakes of starting, stopping and driving."""

import math
from collections.abc import Iterator

import numpy as np

from tinrocket.checks.finding import Checks, Found
from tinrocket.checks.subject import Subject, at, fps
from tinrocket.errors import FlightError
from tinrocket.feel_metrics.course import SECONDS
from tinrocket.feel_metrics.manoeuvres.straight import straight_run
from tinrocket.feel_metrics.test_scenarios import NoPlaceError
from tinrocket.scenario.rules import (
    Drag,
    Follow,
    Limit,
    MotionRule,
    StopBelow,
    Torque,
)

CHECKS = Checks([])
LEAST_TURNS = 0.8
"""Reversals per second that count as jitter."""
STEADY = 5.0
"""Time after a release at which a craft should be at rest [s]."""


@CHECKS.add(
    "never-starts",
    "A frame of thrust gives less speed than the threshold below which the craft is stopped, so "
    "that it is stopped in every frame before it gets anywhere.",
    "lower the threshold, or let it act only while nothing drives the craft",
)
def never_starts(subject: Subject) -> Iterator[Found]:
    for craft, rule in subject.rules(StopBelow):
        tops = list(subject.numbers("top speed", craft.name))
        stuck = [rate for rate, top in tops if top.value == 0.0]
        drives = [each_rule for each_rule in craft.rules if each_rule.steering_accel]
        if stuck and drives:
            accel = max(each_rule.steering_accel or 0.0 for each_rule in drives)
            tuned = subject.scenario.tuned_at
            gains = [
                accel / (tuned if subject.scenario.timing_of(craft, drives[0]) == "frame" else rate)
                for rate in stuck
            ]
            yield Found(
                at(craft, rule, "below"),
                f"at {fps(stuck)} it never starts: a frame of thrust gives {min(gains):.3g} "
                f"and is stopped below {rule.below:.3g}",
            )


@CHECKS.add(
    "never-stops",
    "Nothing slows the craft once it is let go: no drag, no brake, no threshold. In space that is "
    "meant; elsewhere it is a rule that was forgotten.",
    "add drag or a brake, or allow this finding with the reason why it glides",
)
def never_stops(subject: Subject) -> Iterator[Found]:
    for craft in subject.scenario.craft:
        for rate, answer in subject.numbers("time to rest", craft.name):
            if answer.note == "never":
                run = dict(subject.numbers("top speed", craft.name))[rate]
                speed = f" at {run.value:.4g} px/s" if not run.note else ""
                yield Found(
                    at(craft),
                    f"let go{speed} it is as fast after {SECONDS:g} s, at {rate:g} fps",
                )
                break


@CHECKS.add(
    "faster-diagonal",
    "Two keys at once add up to a longer direction, so that the craft is faster along a diagonal.",
    "normalise the direction, or limit the whole speed instead of each axis",
)
def faster_diagonal(subject: Subject) -> Iterator[Found]:
    for craft in subject.scenario.craft:
        for rate, answer in subject.numbers("diagonal speed ratio", craft.name):
            if answer.value > 1.05:
                drive = next((rule for rule in craft.rules if {"left", "up"} & {*rule.ways}), None)
                yield Found(
                    at(craft, drive),
                    f"along a diagonal it is {answer.value:.3g} times as fast as straight, at "
                    f"{rate:g} fps",
                )
                break


@CHECKS.add(
    "drag-overshoots",
    "With a share lost of rate times dt, a long frame takes more than all of the speed: it turns "
    "round in each frame, and from twice that on it grows.",
    "use exact timing: v *= exp(-rate * dt)",
)
def drag_overshoots(subject: Subject) -> Iterator[Found]:
    for craft, rule in subject.rules(MotionRule):
        decay = rule.decay_rate(subject.scenario.tuned_at)
        if subject.scenario.timing_of(craft, rule) != "dt" or math.isinf(decay):
            continue
        bad = [rate for rate in subject.rates if decay / rate > 1.0]
        if bad:
            worst = decay / min(bad)
            what = "diverges" if worst > 2.0 else "overshoots"
            yield Found(
                at(craft, rule),
                f"rate times dt is {worst:.3g} at {min(bad):g} fps: it {what}",
            )


@CHECKS.add(
    "rattles-at-rest",
    "An acceleration that is never balanced is turned round in every frame, so that what should "
    "rest trembles about its place.",
    "stop it when a step would carry it past rest",
)
def rattles_at_rest(subject: Subject) -> Iterator[Found]:
    for craft in subject.scenario.craft:
        if any(rule.swings for rule in craft.rules):
            continue  # it is meant to
        course = subject.course(craft)
        try:
            run = straight_run(course)
            flown = run.flown if run else course.fly(seconds=2 * SECONDS)
        except (FlightError, NoPlaceError):
            continue
        late = flown.vt > 2 * SECONDS - STEADY
        for axis, values in (("x", flown.vx[late]), ("y", flown.vy[late])):
            moving = values[np.abs(values) > 1e-6]
            turns = int(np.count_nonzero(np.diff(np.sign(moving))))
            if turns >= STEADY * LEAST_TURNS:
                yield Found(
                    at(craft),
                    f"long after it is let go it turns round {turns / STEADY:.3g} times a second "
                    f"along {axis}, at up to {np.abs(values).max():.3g} px/s",
                )
                break


@CHECKS.add(
    "rules-undo-each-other",
    "One rule sets in every frame what another rule has just changed, so that the first of them "
    "does nothing.",
    "drop one of them, or let the later act only at times",
)
def rules_undo(subject: Subject) -> Iterator[Found]:
    for craft in subject.per_second.craft:
        for place, rule in enumerate(craft.rules):
            for later in craft.rules[place + 1 :]:
                if later.rule == "move":
                    break  # a rule between the two has used the changed value already
                if _undoes(later, rule):
                    yield Found(
                        at(craft, rule),
                        f"what it does is set anew by '{later.label}' after it in each frame",
                    )
                    break


def _undoes(later: MotionRule, rule: MotionRule) -> bool:
    if later.on or later.unless or later.during is not None:
        return False
    if later.sets_velocity_along and rule.pushes_along:
        return rule.pushes_along <= later.sets_velocity_along
    return later.sets_heading and (rule.turns or rule.sets_heading)


@CHECKS.add(
    "no-ceiling",
    "Each hit or point makes it faster and nothing ends that: in a long game it is too fast to "
    "play, and tunnels.",
    "give it a max_speed, or a ramp that ends",
)
def no_ceiling(subject: Subject) -> Iterator[Found]:
    limited = {craft.name for craft, _rule in subject.rules(Limit)}
    for contact in subject.per_second.contact:
        first = [
            member for member in subject.per_second.craft if member.goes_by(contact.between[0])
        ]
        factor = max(contact.speed_factor, contact.hard_speed_factor or 0.0)
        key = "speed_factor" if factor == contact.speed_factor else "hard_speed_factor"
        grows = factor > 1.0 and contact.max_speed is None
        if (
            grows
            and contact.response == "bounce"
            and any(member.name not in limited for member in first)
        ):
            hits = "hard hit" if key == "hard_speed_factor" else "hit"
            yield Found(
                f"contact.{contact.label}.{key}",
                f"each {hits} is {factor:g} times as fast, after 50 hits {factor**50:.3g} times",
            )

    for craft, rule in subject.rules(MotionRule):
        if rule.decay_rate(subject.scenario.tuned_at) < 0.0 and craft.name not in limited:
            yield Found(at(craft, rule), "it makes the craft faster in every frame, without end")


@CHECKS.add(
    "pointer-beats-limit",
    "A craft placed at the pointer moves as fast as a hand flicks it, whatever limits the game "
    "has for all others; walls and balls then meet things that jump.",
    "give 'follow' a speed, or a lag",
)
def pointer_beats_limit(subject: Subject) -> Iterator[Found]:
    for craft, rule in subject.rules(Follow):
        led = rule.target in subject.scenario.tape.pointers
        if led and rule.speed is None and rule.lag is None:
            game = subject.tuned
            single = game is not None and craft.count == 1
            fast = float(game.track(craft.name)["speed"].max()) if game and single else 0.0
            yield Found(
                at(craft, rule),
                f"it is where '{rule.target}' is at once, on the tape at up to {fast:.4g} px/s",
            )


@CHECKS.add(
    "spins-on",
    "Torque builds up a rate of turn, and nothing brakes it: the craft spins on after the key is "
    "let go, ever faster from press to press.",
    "add drag with of = 'spin', or a limit of the spin",
)
def spins_on(subject: Subject) -> Iterator[Found]:
    for craft, rule in subject.rules(Torque):
        braked = any(
            isinstance(each_rule, Drag) and each_rule.of == "spin" for each_rule in craft.rules
        )
        capped = any(
            isinstance(each_rule, Limit) and each_rule.spin is not None for each_rule in craft.rules
        )
        if not braked and not capped:
            yield Found(at(craft, rule), "nothing brakes the rate of turn that it builds up")
