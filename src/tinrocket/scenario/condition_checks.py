"""Checks conditions against the names they test, and against the rules that wait for them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING

from tinrocket.errors import nearest

if TYPE_CHECKING:
    from tinrocket.scenario.condition import Condition
    from tinrocket.scenario.contact import Contact
    from tinrocket.scenario.scenario import Scenario


def condition_problems(scenario: Scenario) -> list[str]:
    """Return a sentence for everything that does not fit, each with its path."""
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


def _unknown(name: str, known: Iterable[str]) -> str:
    return f"unknown craft, group or obstacle '{name}'{nearest(name, known)}"


def _meets(scenario: Scenario, name: str, contact: Contact) -> bool:
    """Whether a contact is with bodies that go by a name."""
    bodies = scenario.bodies
    return not set(bodies.numbers(name)).isdisjoint(bodies.numbers(*contact.between))


def _made_of(scenario: Scenario, one: Condition, above: list[str]) -> Iterator[str]:
    known = [other.name for other in scenario.condition]
    for name in one.named:
        if name in known and name not in above:
            yield f"'{name}', which it combines, must be defined above it"
            return
    if (one.acts or one.delay) and not scenario.is_of_game(one):
        yield (
            "it is evaluated for the craft with the rule that waits for it, so it cannot act by "
            "itself; name a craft or group with 'of'"
        )


def _waiting(scenario: Scenario) -> Iterator[str]:
    """Yield conditions of a craft that the stage waits for."""
    known = {one.name: one for one in scenario.condition}
    timers = {rule.label for craft in scenario.craft for rule in craft.rules if rule.times}
    for spawner in scenario.spawner:
        for name in (*spawner.on, *spawner.unless):
            own = name in known and not scenario.is_of_game(known[name])
            if own or (name in timers and name not in scenario.actions):
                yield (
                    f"spawner.{spawner.name}: '{name}' belongs to a craft; a spawner waits for "
                    f"actions and for conditions with an 'of'"
                )
