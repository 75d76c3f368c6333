"""Mistakes of keys, shots, timers and sticks."""

import ast
import inspect
import math
import textwrap
from collections.abc import Iterator, Mapping

import numpy as np

from tinrocket.checks.finding import Checks, Found
from tinrocket.checks.subject import Subject, at
from tinrocket.errors import FlightError, ScenarioError
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.condition import Condition
from tinrocket.scenario.numbers import Model, frames_in
from tinrocket.scenario.rules import Custom, Fire, Gain
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.user_rules import REGISTERED
from tinrocket.trajectory.simulate import simulate
from tinrocket.trajectory.trajectory import Trajectory

CHECKS = Checks([])


@CHECKS.add(
    "fires-every-frame",
    "Shots leave in each frame in which the key is held, so that a faster screen fires more.",
    "give it a cooldown in seconds",
)
def fires_every_frame(subject: Subject) -> Iterator[Found]:
    for craft, rule in subject.rules(Fire):
        if rule.when == "held" and rule.cooldown == 0.0:
            counts = dict(subject.numbers("shots held", craft.name))
            texts = ", ".join(
                f"{count.value:.3g} at {rate:g} fps" for rate, count in counts.items()
            )
            yield Found(at(craft, rule), f"held, it fires in every frame: {texts} a second")


@CHECKS.add(
    "tapping-beats-holding",
    "Mashing fires faster than holding.",
    "let one cooldown run for both",
)
def tapping_beats_holding(subject: Subject) -> Iterator[Found]:
    for craft, rule in subject.rules(Fire):
        if rule.when == "pressed" and rule.cooldown == 0.0:
            yield Found(at(craft, rule), "each tap fires and nothing ends that: spam pays")
            continue
        held = dict(subject.numbers("shots held", craft.name))
        for rate, tapped in subject.numbers("shots tapped fast", craft.name):
            if rule.when == "held" and tapped.value > 1.1 * held[rate].value > 0.0:
                yield Found(
                    at(craft, rule),
                    f"tapped it fires {tapped.value:.3g} times a second, held "
                    f"{held[rate].value:.3g}, at {rate:g} fps",
                )
                break


@CHECKS.add(
    "counted-in-frames",
    "A span that is counted in frames is shorter on a faster screen.",
    "count it in seconds: subtract dt, and keep the remainder",
)
def counted_in_frames(subject: Subject) -> Iterator[Found]:
    scenario = subject.scenario
    for craft in scenario.craft:
        for rule in craft.rules:
            yield from _counted(rule, at(craft, rule), scenario.tuned_at)
        yield from _counted(craft, at(craft), scenario.tuned_at)
        if craft.respawn is not None:
            yield from _counted(craft.respawn, at(craft, None, "respawn"), scenario.tuned_at)
    for kind in ("spawner", "march", "condition"):
        for table in getattr(scenario, kind):
            yield from _counted(table, f"{kind}.{table.name}", scenario.tuned_at)


def _counted(model: Model, where: str, tuned_at: float) -> Iterator[Found]:
    for key in type(model).spans:
        value = getattr(model, key, None)
        for part in value if isinstance(value, tuple) else (value,):
            frames = frames_in(part)
            if frames is not None:
                yield Found(
                    f"{where}.{key}",
                    f"{frames:g} frames are {frames / tuned_at:.3g} s as tuned and "
                    f"{frames / 144:.3g} s at 144 fps",
                )
                break


@CHECKS.add(
    "amount-each-frame",
    "An amount is given in each step in which the rule acts: while that lasts, a faster screen "
    "gains more.",
    "give it a rate per second, or let it wait for a press or an event",
)
def amount_each_frame(subject: Subject) -> Iterator[Found]:
    scenario, known = subject.scenario, {each.name: each for each in subject.scenario.condition}
    if scenario.clock.fixed_rate is not None:  # as many steps on every screen
        return
    for craft, rule in subject.rules(Gain):
        waits = [known[name] for name in (*rule.on, rule.action) if name in known]
        resource = craft.resource(rule.resource)
        room = math.inf if resource is None else resource.most - resource.least
        if not rule.amount or rule.when != "held" or abs(rule.amount) >= room:
            continue  # what fills or empties it at once is a reset
        if not any(_is_momentary(condition, known) for condition in waits):
            slow, fast = (rule.amount * rate for rate in (scenario.tuned_at, 144.0))
            yield Found(
                f"{at(craft, rule)}.amount",
                f"'{rule.resource}' changes by {slow:.4g} a second as tuned and by {fast:.4g} at "
                f"144 fps, as long as the rule acts",
            )


def _is_momentary(condition: Condition, known: Mapping[str, Condition]) -> bool:
    """Return whether a condition is on in single steps only: as an event happens, or a period ends.

    One made of others is, if one of `all_of` or each of `any_of` is.
    """
    if condition.is_latch:
        return False
    if condition.event is not None or condition.every is not None:
        return True
    all_of = [known[name] for name in condition.all_of if name in known]
    any_of = [_is_momentary(known[n], known) if n in known else False for n in condition.any_of]
    return any(_is_momentary(part, known) for part in all_of) or (bool(any_of) and all(any_of))


@CHECKS.add(
    "corner-only-stick",
    "A condition on both axes of a stick at once is met only near the diagonals; past 0.71 "
    "a round stick never gets there.",
    "test the whole tilt, or either axis",
)
def corner_only(subject: Subject) -> Iterator[Found]:
    for condition in subject.scenario.condition:
        if (
            condition.stick is None
            or condition.tilt != "both"
            or condition.above is None
            or condition.above < 0.5
        ):
            continue
        what = "is never met: at most 0.71 of both axes at once"
        if condition.above < math.sqrt(0.5):
            half = 45.0 - math.degrees(math.asin(condition.above))
            what = f"is met only within {half:.2g} degrees of a diagonal"
        yield Found(
            f"condition.{condition.name}", f"tilting both axes past {condition.above:g} {what}"
        )


@CHECKS.add(
    "never-pressed",
    "Something listens to an action that is never pressed on the tape, so that this part of the "
    "motion was never looked at.",
    "press it on the tape, or take the rule away",
)
def never_pressed(subject: Subject) -> Iterator[Found]:
    tape = subject.scenario.tape
    silent = [action for action in subject.scenario.actions if action not in tape.actions]
    for craft in subject.scenario.craft:
        for rule in craft.rules:
            listened = [action for action in rule.actions if action in subject.scenario.actions]
            missing = [action for action in listened if action in silent]
            if missing and missing == listened:
                names = ", ".join(f"'{action}'" for action in missing)
                yield Found(at(craft, rule), f"nothing on the tape presses {names}")


@CHECKS.add(
    "rule-never-acts",
    "The whole tape is flown to the bit as it would be without this rule: a condition never "
    "on, a cooldown that never ends, a limit that is never reached, a later rule that undoes it.",
    "look at what it waits for, or fly something in which it acts",
)
def never_acts(subject: Subject) -> Iterator[Found]:
    game, pressed = subject.tuned, set(subject.scenario.tape.actions)
    if game is None:
        return
    for place, craft in enumerate(subject.scenario.craft):
        for number, rule in enumerate(craft.rules):
            keys = [action for action in rule.own_actions if action in subject.scenario.actions]
            if rule.spends or rule.foreign or (keys and pressed.isdisjoint(keys)):
                continue  # an action that is never pressed has a check of its own
            without = _without(subject.scenario, place, number)
            if without is not None and _same(game, without):
                waits = [*rule.on, *rule.waits_for]
                waiting = f", waiting for {', '.join(waits)}" if waits else ""
                yield Found(at(craft, rule), f"the tape is flown as without it{waiting}")


def _without(scenario: Scenario, craft: int, number: int) -> Trajectory | None:
    """Return the tuned flight without one rule; None if the scenario needs it."""
    old = scenario.craft[craft]
    rules = (*old.rules[:number], *old.rules[number + 1 :])
    if not rules:
        return None
    crafts = list(scenario.craft)
    crafts[craft] = old.replaced(rules=rules)
    listens = scenario.replaced(craft=tuple(crafts)).actions
    tape = scenario.tape.replaced(
        **{
            key: {
                name: moments
                for name, moments in getattr(scenario.tape, key).items()
                if name in listens
            }
            for key in ("holds", "taps", "values", "repeats")
        }
    )
    fields = {name: getattr(scenario, name) for name in type(scenario).model_fields}
    try:
        fewer = Scenario(**fields | {"craft": tuple(crafts), "tape": tape})
        return simulate(fewer, clock=Clock(rate=scenario.tuned_at))
    except (ScenarioError, FlightError):
        return None


def _same(first: Trajectory, other: Trajectory) -> bool:
    """Return whether two flights have the same frames and events, to the bit."""
    columns = [name for name in first.recorded.names if not name.startswith("in.")]
    if not set(columns) <= set(other.recorded.names):
        return False
    shown = all(
        np.array_equal(first.recorded.column(name), other.recorded.column(name), equal_nan=True)
        for name in columns
    )
    kinds = [
        [kind for kind in flight.happened["kind"].tolist() if kind != "lost_tap"]
        for flight in (first, other)
    ]
    return shown and kinds[0] == kinds[1]


@CHECKS.add(
    "steps-past-equal",
    "A wait that compares for equality is missed by a count that steps over the number, as one "
    "that grows by dt does at almost every rate.",
    "compare with >= or <=, and take the overshoot along",
)
def steps_past_equal(subject: Subject) -> Iterator[Found]:
    for craft, rule in subject.rules(Custom):
        known = REGISTERED[rule.function]
        try:
            tree = ast.parse(textwrap.dedent(inspect.getsource(known.function)))
        except (OSError, SyntaxError):  # a function that was typed at a prompt has no source file
            continue
        for node in ast.walk(tree):
            if not isinstance(node, ast.Compare):
                continue
            equal = any(isinstance(operator, ast.Eq | ast.NotEq) for operator in node.ops)
            requested = [
                operand
                for operand in (node.left, *node.comparators)
                if isinstance(operand, ast.Attribute)
            ]
            if equal and any(
                inner.attr in (*known.remembers, "time", "x", "y") for inner in requested
            ):
                yield Found(at(craft, rule), f"it waits for '{ast.unparse(node)}'")
                break
