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
    counts = Counter(one.name for one in scenario.condition)
    timers = {rule.label for craft in scenario.craft for rule in craft.rules if rule.times}
    for number, one in enumerate(scenario.condition):
        where = f"condition.{one.name}"
        if counts[one.name] > 1:
            wrong.append(f"{where}: two conditions have this name; give each its own")
        if one.name in timers:
            wrong.append(f"{where}: a timer of a craft has this name; rename one of them")
        above = [other.name for other in scenario.condition[:number]]
        wrong += [f"{where}.{what}" for what in _asks(scenario, one)]
        wrong += [f"{where}: {what}" for what in _made_of(scenario, one, above)]
    return [*wrong, *_waiting(scenario)]


def _asks(scenario: Scenario, one: Condition) -> Iterator[str]:
    craft, bodies = scenario.fleet, scenario.bodies
    if one.measure == "score":
        if one.of not in scenario.sides:
            yield f"of: nothing scores for '{one.of}'{nearest(one.of or '', scenario.sides)}"
    elif one.of is not None and one.of not in craft:
        yield f"of: '{one.of}' is no craft or group{nearest(one.of, craft.called)}"
    yield from _measures(scenario, one)
    if one.measure == "lives" and (scenario.rounds is None or scenario.rounds.lives is None):
        yield "measure: no lives are counted; add 'lives' to [rounds]"
    if one.stick is not None and one.stick not in scenario.sticks:
        yield f"stick: there is no stick '{one.stick}'{nearest(one.stick, scenario.sticks)}"
    if one.other is not None and one.other not in bodies:
        yield f"other: {_unknown(one.other, bodies.called)}"
    if one.touches is not None:
        if one.touches not in bodies:
            yield f"touches: {_unknown(one.touches, bodies.called)}"
        elif not any(_meets(scenario, one.touches, contact) for contact in scenario.contact):
            yield f"touches: no contact names '{one.touches}'; one with response 'count' is enough"
    if one.ends == "life" and (scenario.rounds is None or scenario.rounds.lives is None):
        yield "ends: no lives are counted; add 'lives' to [rounds]"


def _measures(scenario: Scenario, one: Condition) -> Iterator[str]:
    """Yield problems of the resource or the target of a condition."""
    about = [scenario.craft[n] for n in scenario.fleet.families_of(one.of)] if one.of else []
    if one.resource is not None:
        if one.resource not in scenario.resources:
            hint = nearest(one.resource, scenario.resources) or "; add it to its 'resources'"
            yield f"resource: no craft has '{one.resource}'{hint}"
        for craft in about:
            if craft.resource(one.resource) is None:
                yield f"resource: {craft.name} has no '{one.resource}'"
    if isinstance(one.to, str) and one.to not in scenario.fleet.own:
        known = [*scenario.fleet.own, *([] if one.of else scenario.tape.pointers)]
        if one.to in scenario.tape.pointers and one.of is not None:
            yield f"to: '{one.to}' is a pointer; leave 'of' out, so that a rule's craft asks"
        elif one.to not in known:
            yield f"to: there is no craft or pointer '{one.to}'{nearest(one.to, known)}"


def _unknown(name: str, known: Iterable[str]) -> str:
    return f"unknown craft, group or obstacle '{name}'{nearest(name, known)}"


def _meets(scenario: Scenario, name: str, contact: Contact) -> bool:
    """Return whether a contact names bodies of a name."""
    bodies = scenario.bodies
    return not set(bodies.numbers(name)).isdisjoint(bodies.numbers(*contact.between))


def _made_of(scenario: Scenario, one: Condition, above: list[str]) -> Iterator[str]:
    known = [other.name for other in scenario.condition]
    for name in one.named:
        if name in known and name not in above:
            yield f"'{name}', which it combines, must be defined above it"
            return
    if one.is_latch and not scenario.is_of_game(one):
        yield (
            "it waits for what belongs to a craft; give that craft a rule 'latch' instead, or name "
            "with 'of' whose it is"
        )
    elif (one.acts or one.delay) and not scenario.is_of_game(one):
        yield (
            "it is evaluated for the craft with the rule that waits for it, so it cannot act by "
            "itself; name a craft or group with 'of'"
        )


def _waiting(scenario: Scenario) -> Iterator[str]:
    """Yield problems of conditions of a craft that gate the stage."""
    known = {one.name: one for one in scenario.condition}
    timers = {rule.label for craft in scenario.craft for rule in craft.rules if rule.times}
    waiting: list[tuple[str, Spawner | Tempo]] = [("spawner", one) for one in scenario.spawner]
    waiting += [("tempo", one) for one in scenario.tempo]
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
