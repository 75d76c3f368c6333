"""The suspects of a scenario."""

import math
from collections.abc import Callable, Iterator
from typing import Any

from tinrocket.own_update.own_scenario import OwnScenario
from tinrocket.scenario.arena import SIDES, Edges
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.numbers import Model, frames_in
from tinrocket.scenario.rules import MotionRule
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.update import Line
from tinrocket.why.own_suspects import own_suspects
from tinrocket.why.pacing_suspects import of_the_clock
from tinrocket.why.suspect import Game, Suspect
from tinrocket.why.update_lines import counted_line, rule_line, view_line


def suspects(scenario: Scenario, clock: Clock) -> list[Suspect]:
    """Return the suspects of a run at a clock."""
    if isinstance(scenario, OwnScenario):
        of_code = own_suspects(scenario)
        return [*of_code, *_of_the_tape(scenario), *of_the_clock(scenario, clock)]
    return [
        *_timings(scenario),
        *_counted(scenario),
        *_carried(scenario),
        *_contacts(scenario),
        *_seams(scenario),
        *_of_the_tape(scenario),
        *of_the_clock(scenario, clock),
    ]


def _exact(craft: int, place: int) -> Callable[[Game], Game]:
    def exact(rule: MotionRule, scenario: Scenario) -> MotionRule:
        timing = scenario.timing_of(scenario.craft[craft], rule)
        units, tuned = rule.units or scenario.units, scenario.tuned_at
        changed = rule.converted("per_second", units, tuned).in_exact_timing(timing, tuned)
        return changed.converted(units, "per_second", tuned)

    return _rule(craft, place, exact)


def _timings(scenario: Scenario) -> Iterator[Suspect]:
    for n, craft in enumerate(scenario.craft):
        for place, rule in enumerate(craft.rules):
            timing = scenario.timing_of(craft, rule)
            if timing != "exact" and not rule.foreign:
                name, line = (
                    f"{craft.name}.{label_of(craft, rule)}",
                    rule_line(scenario, craft, rule),
                )
                yield Suspect(name, "timing", _exact(n, place), where=(n, place), line=line)
    view = scenario.view
    if view is not None and view.eased and scenario.timing_of(view) != "exact":
        yield Suspect("view", "timing", _view_exact, line=view_line(scenario, view))


def label_of(craft: Craft, rule: MotionRule) -> str:
    """Return the name of a rule, with its index among equal names."""
    same = [each_rule for each_rule in craft.rules if each_rule.label == rule.label]
    place = next(n for n, alike in enumerate(same, start=1) if alike is rule)
    return rule.label if len(same) == 1 else f"{rule.label}#{place}"


def _view_exact(game: Game) -> Game:
    scenario, clock = game
    view = scenario.view
    if view is None:
        return game
    units, tuned = scenario.units, scenario.tuned_at
    second = view.converted("per_second", units, tuned)
    changed = second.in_exact_timing(scenario.timing_of(view), tuned)
    return scenario.replaced(view=changed.converted(units, "per_second", tuned)), clock


def _counts(model: Model) -> bool:
    """Return whether any span of a rule or record counts frames."""
    values = [getattr(model, key, None) for key in type(model).spans]
    several = [
        part for value in values for part in (value if isinstance(value, tuple) else (value,))
    ]
    return any(frames_in(part) is not None for part in several)


def _frames_counted(scenario: Scenario) -> Line:
    return Line(
        "count a frame, and act when there were enough",
        f"left -= dt; when left <= 0: act, and left += frames / {scenario.tuned_at:g}",
        runs=False,
    )


CARRIED = Line(
    "last = now, when it acts",
    "last += interval, when it acts: the next is due from when this one was, not from now",
    runs=False,
)
SWEPT = Line(
    "move, then test whether the two overlap",
    "before moving, find when within the step the two first touch; move to there, answer the "
    "contact, and move on for the rest of the step",
    runs=False,
)
OVERSHOOT_KEPT = Line(
    "place = the other side",
    "place -= length of the arena: how far it came beyond is kept",
    runs=False,
)
BUFFERED = Line(
    "test in each frame whether the key is down",
    "keep each press until the next frame has seen it",
    runs=False,
)
IN_SECONDS = Line("count the frames of a script", "count its seconds", runs=False)


def _counted(scenario: Scenario) -> Iterator[Suspect]:
    for n, craft in enumerate(scenario.craft):
        for place, rule in enumerate(craft.rules):
            if _counts(rule):
                name = f"{craft.name}.{label_of(craft, rule)} counted in frames"
                off, line = _rule(n, place, _in_seconds), counted_line(scenario, rule)
                yield Suspect(name, "counted", off, where=(n, place), line=line)
        inner = craft.respawn is not None and _counts(craft.respawn)
        if _counts(craft) or inner:
            name, off = f"{craft.name} counted in frames", _member("craft", n, _craft_in_seconds)
            yield Suspect(name, "counted", off, line=_frames_counted(scenario))
    for key in ("spawner", "march", "condition", "tempo"):
        for n, table in enumerate(getattr(scenario, key)):
            ramp = getattr(table, "ramp", None)
            if _counts(table) or (ramp is not None and _counts(ramp)):
                name, line = f"{key}.{table.name} counted in frames", _frames_counted(scenario)
                yield Suspect(name, "counted", _member(key, n, _in_seconds), line=line)


def _in_seconds(model: Any, scenario: Scenario) -> Any:
    return model.in_seconds(scenario.tuned_at)


def _craft_in_seconds(craft: Craft, scenario: Scenario) -> Craft:
    """Return a craft with its own spans in seconds; its rules are suspects of their own."""
    return craft.in_seconds(scenario.tuned_at).replaced(rules=craft.rules)


def _rule(craft: int, place: int, change: Callable[[Any, Scenario], Any]) -> Callable[[Game], Game]:
    """Return a function that changes one rule of a craft."""

    def changed(craft: Craft, scenario: Scenario) -> Craft:
        rules = list(craft.rules)
        rules[place] = change(rules[place], scenario)
        return craft.replaced(rules=tuple(rules))

    return _member("craft", craft, changed)


def _member(
    key: str, number: int, change: Callable[[Any, Scenario], Any]
) -> Callable[[Game], Game]:
    """Return a function that changes one member of a list of the scenario."""

    def off(game: Game) -> Game:
        scenario, clock = game
        ones = list(getattr(scenario, key))
        ones[number] = change(ones[number], scenario)
        return scenario.replaced(**{key: tuple(ones)}), clock

    return off


WHOLE = 1e-9
"""Excess over a whole number of frames that is rounding."""


def _carrying(rule: MotionRule, scenario: Scenario) -> MotionRule:
    """Return a rule that carries over the remainder, at the interval that it had when tuned."""
    changes: dict[str, Any] = {"carry": True}
    cooldown = getattr(rule, "cooldown", None)
    if cooldown is not None and frames_in(cooldown) is None:  # it waits for whole frames
        frames = math.ceil(float(cooldown) * scenario.tuned_at - WHOLE)
        changes["cooldown"] = frames / scenario.tuned_at
    return rule.replaced(**changes)


def _carried(scenario: Scenario) -> Iterator[Suspect]:
    for n, craft in enumerate(scenario.craft):
        for place, rule in enumerate(craft.rules):
            if rule.discards_remainder:
                name = f"{craft.name}.{label_of(craft, rule)} discards the timer's remainder"
                off = _rule(n, place, _carrying)
                yield Suspect(name, "carry", off, where=(n, place), line=CARRIED)
    for n, spawner in enumerate(scenario.spawner):
        if spawner.every is not None and spawner.wait == "sent":
            off = _member("spawner", n, lambda it, _s: it.replaced(wait="due"))
            yield Suspect(
                f"spawner.{spawner.name} discards the timer's remainder", "carry", off, line=CARRIED
            )
        if scenario.timing_of(spawner) != "exact":
            off = _member("spawner", n, lambda it, _s: it.replaced(timing="exact"))
            yield Suspect(f"spawner.{spawner.name}", "carry", off, line=CARRIED)


def _contacts(scenario: Scenario) -> Iterator[Suspect]:
    for n, contact in enumerate(scenario.contact):
        if scenario.detection_of(contact) == "overlap":
            off = _member("contact", n, lambda it, _s: it.replaced(detection="swept"))
            yield Suspect(f"contact {contact.label} by overlap", "detection", off, line=SWEPT)


def _seams(scenario: Scenario) -> Iterator[Suspect]:
    """Yield edges that discard overshoot."""
    if _discards_overshoot(scenario.arena.edges):

        def off(game: Game) -> Game:
            changed = game[0].arena.replaced(edges=_kept(game[0].arena.edges))
            return game[0].replaced(arena=changed), game[1]

        yield Suspect("edges that discard overshoot", "seam", off, line=OVERSHOOT_KEPT)
    for n, craft in enumerate(scenario.craft):
        if craft.edges is not None and _discards_overshoot(craft.edges):
            name = f"edges of {craft.name} that discard overshoot"
            yield Suspect(name, "seam", _member("craft", n, _kept_of), line=OVERSHOOT_KEPT)


def _discards_overshoot(edges: Edges) -> bool:
    return any(edges.at(side).snap for side in SIDES)


def _kept_of(craft: Craft, _scenario: Scenario) -> Craft:
    return craft.replaced(edges=_kept(craft.edges or Edges()))


def _kept(edges: Edges) -> Edges:
    sides: dict[str, Any] = {side: edges.at(side).replaced(snap=False) for side in SIDES}
    return edges.replaced(**sides)


def _of_the_tape(scenario: Scenario) -> Iterator[Suspect]:
    if scenario.tape.counts_frames:

        def seconds(game: Game) -> Game:
            tape = game[0].tape.in_seconds(game[0].tuned_at)
            return game[0].replaced(tape=tape), game[1]

        yield Suspect("a tape counted in frames", "tape", seconds, line=IN_SECONDS)
    presses = scenario.tape.holds or scenario.tape.taps
    if scenario.tape.sampling == "polled" and presses:

        def buffered(game: Game) -> Game:
            tape = game[0].tape.replaced(sampling="buffered")
            return game[0].replaced(tape=tape), game[1]

        yield Suspect("missed taps", "taps", buffered, line=BUFFERED)
