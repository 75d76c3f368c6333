"""Validation of conditions against names and rules."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING

from tinrocket.errors import nearest
from tinrocket.scenario.names import plain_names

if TYPE_CHECKING:
    from tinrocket.scenario.condition import Condition
    from tinrocket.scenario.contact import Contact
    from tinrocket.scenario.scenario import Scenario
    from tinrocket.scenario.stage import Spawner
    from tinrocket.scenario.tempo import Tempo


def condition_problems(scenario: Scenario) -> list[str]:
    """Return all problems, each with its path."""
    wrong = []
    counts = Counter(condition.name for condition in scenario.condition)
    timers = {rule.label for craft in scenario.craft for rule in craft.rules if rule.times}
    for number, each in enumerate(scenario.condition):
        where = f"condition.{each.name}"
        if counts[each.name] > 1:
            wrong.append(f"{where}: two conditions have this name; give each its own")
        if each.name in timers:
            wrong.append(f"{where}: a timer of a craft has this name; rename one of them")
        above = [other.name for other in scenario.condition[:number]]
        wrong += [f"{where}.{what}" for what in _asks(scenario, each)]
        wrong += [f"{where}: {what}" for what in _made_of(scenario, each, above)]
    return [*wrong, *_waiting(scenario)]


def _asks(scenario: Scenario, condition: Condition) -> Iterator[str]:
    craft, bodies = scenario.fleet, scenario.bodies
    if condition.measure == "score":
        if condition.of not in scenario.sides:
            known = nearest(condition.of or "", scenario.sides)
            yield f"of: nothing scores for '{condition.of}'{known}"
    elif condition.of is not None and condition.of not in craft:
        yield f"of: '{condition.of}' is no craft or group{nearest(condition.of, craft.called)}"
    yield from _measures(scenario, condition)
    if condition.measure == "lives" and (scenario.rounds is None or scenario.rounds.lives is None):
        yield "measure: no lives are counted; add 'lives' to [rounds]"
    if condition.stick is not None and condition.stick not in scenario.sticks:
        known = nearest(condition.stick, scenario.sticks)
        yield f"stick: there is no stick '{condition.stick}'{known}"
    if condition.other is not None and condition.other not in bodies:
        yield f"other: {_unknown(condition.other, bodies.called)}"
    if condition.touches is not None:
        if condition.touches not in bodies:
            yield f"touches: {_unknown(condition.touches, bodies.called)}"
        elif not any(_meets(scenario, condition.touches, contact) for contact in scenario.contact):
            yield (
                f"touches: no contact names '{condition.touches}'; "
                f"one with response 'count' is enough"
            )
    if condition.ends == "life" and (scenario.rounds is None or scenario.rounds.lives is None):
        yield "ends: no lives are counted; add 'lives' to [rounds]"


def _measures(scenario: Scenario, condition: Condition) -> Iterator[str]:
    """Yield problems of the resource or the target of a condition."""
    about = (
        [scenario.craft[n] for n in scenario.fleet.families_of(condition.of)]
        if condition.of
        else []
    )
    if condition.resource is not None:
        if condition.resource not in scenario.resources:
            hint = nearest(condition.resource, scenario.resources) or "; add it to its 'resources'"
            yield f"resource: no craft has '{condition.resource}'{hint}"
        for craft in about:
            if craft.resource(condition.resource) is None:
                yield f"resource: {craft.name} has no '{condition.resource}'"
    if isinstance(condition.to, str) and condition.to not in scenario.fleet.own:
        known = [*scenario.fleet.own, *([] if condition.of else scenario.tape.pointers)]
        if condition.to in scenario.tape.pointers and condition.of is not None:
            yield f"to: '{condition.to}' is a pointer; leave 'of' out, so that a rule's craft asks"
        elif condition.to not in known:
            yield f"to: there is no craft or pointer '{condition.to}'{nearest(condition.to, known)}"


def _unknown(name: str, known: Iterable[str]) -> str:
    return f"unknown craft, group or obstacle '{name}'{nearest(name, known)}"


def _meets(scenario: Scenario, name: str, contact: Contact) -> bool:
    """Return whether a contact names bodies of a name."""
    bodies = scenario.bodies
    return not set(bodies.numbers(name)).isdisjoint(bodies.numbers(*contact.between))


def _made_of(scenario: Scenario, condition: Condition, above: list[str]) -> Iterator[str]:
    known = [other.name for other in scenario.condition]
    for name in condition.named:
        if name in known and name not in above:
            yield f"'{name}', which it combines, must be defined above it"
            return
    if condition.is_latch and not scenario.is_of_game(condition):
        yield (
            "it waits for what belongs to a craft; give that craft a rule 'latch' instead, or name "
            "with 'of' whose it is"
        )
    elif (condition.acts or condition.delay) and not scenario.is_of_game(condition):
        yield (
            "it is evaluated for the craft with the rule that waits for it, so it cannot act by "
            "itself; name a craft or group with 'of'"
        )


def _waiting(scenario: Scenario) -> Iterator[str]:
    """Yield problems of conditions of a craft that gate the stage."""
    known = {condition.name: condition for condition in scenario.condition}
    timers = {rule.label for craft in scenario.craft for rule in craft.rules if rule.times}
    waiting: list[tuple[str, Spawner | Tempo]] = [
        ("spawner", waiting_spawner) for waiting_spawner in scenario.spawner
    ]
    waiting += [("tempo", waiting_tempo) for waiting_tempo in scenario.tempo]
    called = scenario.fleet.called
    for tempo in scenario.tempo:
        for name in tempo.of:
            if name not in scenario.fleet:
                hint = nearest(name, called)
                yield f"tempo.{tempo.name}.of: there is no craft or group '{name}'{hint}"
    for kind, spawner in waiting:
        for name in plain_names(*spawner.on, *spawner.unless):
            own = name in known and not scenario.is_of_game(known[name])
            if own or (name in timers and name not in scenario.actions):
                yield (
                    f"{kind}.{spawner.name}: '{name}' belongs to a craft; a {kind} waits for "
                    f"actions and for conditions with an 'of'"
                )
