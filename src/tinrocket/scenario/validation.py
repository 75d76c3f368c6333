"""Validation of a scenario across its parts."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import TYPE_CHECKING

from tinrocket.errors import nearest
from tinrocket.limits import CRAFT, PIECES, how_to_raise, most
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.condition_checks import condition_problems
from tinrocket.scenario.names import is_negated, plain_name, plain_names
from tinrocket.scenario.outlines import reach_of
from tinrocket.scenario.resource import MOST_RESOURCES
from tinrocket.scenario.stage_checks import stage_problems

if TYPE_CHECKING:
    from tinrocket.scenario.craft import Craft
    from tinrocket.scenario.rules import MotionRule
    from tinrocket.scenario.scenario import Scenario


def _too_large(scenario: Scenario) -> Iterator[str]:
    """Yield groups with too many members, before any is made."""
    craft = {member.name: member.count for member in scenario.craft}
    pieces = {obstacle.name: obstacle.count for obstacle in scenario.obstacle}
    for what, counts, limit in (("craft", craft, CRAFT), ("obstacle", pieces, PIECES)):
        total = sum(counts.values())
        if total > most(limit):
            largest = max(counts, key=lambda name: counts[name])
            yield (
                f"{what}: {total:,} in all, {counts[largest]:,} of them '{largest}'; "
                f"there is room for {most(limit):,}; {how_to_raise()}"
            )


def wrong_with(scenario: Scenario) -> list[str]:
    """Return all problems, each with its path."""
    large = list(_too_large(scenario))
    if large:
        return large
    wrong, listened = [*_names(scenario), *_view(scenario)], _listened(scenario)
    wrong += _sticks(scenario)
    wrong += _resources(scenario)
    for craft in scenario.craft:
        wrong += _places(scenario, craft)
        wrong += [f"craft.{what}" for what in _timers(scenario, craft)]
        for rule in craft.rules:
            where = f"craft.{craft.name}.{rule.label}"
            wrong += [f"{where}: {what}" for what in _rule(scenario, listened, craft, rule)]
        wrong += _closed_form(craft)
    wrong += [*_obstacle_names(scenario), *_contacts(scenario)]
    wrong += [*stage_problems(scenario), *condition_problems(scenario)]
    return wrong if wrong else [*_actions(scenario)]


def _names(scenario: Scenario) -> Iterator[str]:
    counts = Counter(craft.name for craft in scenario.craft)
    counts.update(
        name
        for craft, family in zip(scenario.craft, scenario.fleet.families, strict=True)
        if craft.pool or craft.grid
        for name in family.names
    )
    if len(counts) < counts.total():
        twice = [name for name, count in counts.items() if count > 1]
        yield from (f"craft: two are named '{name}'; give each its own name" for name in twice)
    reserved = [*type(scenario).model_fields, *scenario.tape.pointers]
    for name in [name for name in reserved if name in counts]:
        if name in type(scenario).model_fields:
            yield f"craft: '{name}' is the name of a scenario key; call the craft something else"
        if name in scenario.tape.pointers:
            yield f"craft: '{name}' is also the name of a pointer; call one of them something else"


def _resources(scenario: Scenario) -> Iterator[str]:
    """Yield names of conditions, rules and resources that are ambiguous, or too many."""
    declared = [("condition", condition.name) for condition in scenario.condition]
    declared += [
        (f"craft.{c.name}", r.name) for c in scenario.craft for r in c.rules if r.name and r.times
    ]
    for where, name in declared:
        if is_negated(name):
            yield f"{where}: '{name}' would mean that '{plain_name(name)}' is off; rename it"
    for craft in scenario.craft:
        names = [resource.name for resource in craft.resources]
        for name in sorted({name for name in names if names.count(name) > 1}):
            yield f"craft.{craft.name}.resources: two are named '{name}'"
    if len(scenario.resources) > MOST_RESOURCES:
        yield (
            f"craft: {len(scenario.resources)} names of resources; there may be {MOST_RESOURCES}, "
            f"and craft may share them"
        )


def _view(scenario: Scenario) -> Iterator[str]:
    view = scenario.view
    alone = [craft.name for craft in scenario.craft if not craft.pool and not craft.grid]
    if view is None:
        for craft in scenario.craft:
            if craft.within == "view":
                yield f"craft.{craft.name}.within: there is no view; add a table [view]"
        return
    if view.follow in scenario.fleet and view.follow not in alone:
        which = "; let it follow a craft that is alone" if not alone else nearest("", alone)
        yield f"view.follow: '{view.follow}' is one of many alike, or all of them{which}"
    elif view.follow not in alone:
        yield f"view.follow: there is no craft '{view.follow}'{nearest(view.follow, alone)}"
    elif view.across_edges:
        followed = next(craft for craft in scenario.craft if craft.name == view.follow)
        if not any(scenario.arena_of(followed).period(axis) for axis in AXES):
            yield f"view.across_edges: no edge of '{view.follow}' wraps"
    if view.within == "arena":
        for key, size in (("width", scenario.arena.width), ("height", scenario.arena.height)):
            if getattr(view, key) > size:
                yield (
                    f"view.{key}: {getattr(view, key):g} is more than the arena's {size:g}; "
                    f"make it smaller, or let the view leave the arena with within = 'nothing'"
                )


def _places(scenario: Scenario, craft: Craft) -> Iterator[str]:
    arena = scenario.arena_of(craft)
    if craft.pool is not None:
        return
    up = arena.up
    for axis, reach in zip(AXES, reach_of(craft, up), strict=True):
        (low, high), sides = arena.bounds(axis, reach), arena.sides(axis)
        places = craft.places.along(axis)
        if any(arena.edges.at(side).kind == "open" for side in sides):
            continue
        if not low < high:
            yield (
                f"craft.{craft.name}.{_size_of(craft)} leaves no room between "
                f"'{sides[0]}' and '{sides[1]}'; the arena is too small for the craft"
            )
        elif craft.within == "arena":
            out = [n for n, place in enumerate(places) if not low <= place <= high]
            if not out:
                continue
            first, alike = out[0], craft.count // len(places)
            name = craft.family.names[first if axis == "x" else first * alike]
            others = len(out) * alike - 1
            more = f", and so are {others:,} more of '{craft.name}'" if others else ""
            yield (
                f"craft.{name}.start.{axis}: {places[first]:g} is outside the arena{more}; "
                f"its edges hold this craft between {low:g} and {high:g}"
            )


def _size_of(craft: Craft) -> str:
    return f"radius: {craft.radius:g}" if craft.shape is None else "shape: its size"


def _listened(scenario: Scenario) -> set[str]:
    """Return the actions that any rule listens to."""
    return {name for craft in scenario.craft for rule in craft.rules for name in rule.actions}


def _target(scenario: Scenario, craft: Craft, target: str) -> Iterator[str]:
    names = scenario.fleet.names
    if target == craft.name:
        yield f"'{target}' would head for itself; name another craft or a pointer"
    elif target not in (*names, *scenario.tape.pointers):
        known = [*(name for name in names if name != craft.name), *scenario.tape.pointers]
        yield f"there is no craft or pointer '{target}'{nearest(target, known)}"


def _rule(scenario: Scenario, listened: set[str], craft: Craft, rule: MotionRule) -> Iterator[str]:
    if isinstance(rule.heads_for, str):
        yield from _target(scenario, craft, rule.heads_for)
    for ramp in rule.ramps:
        counted = scenario.sides if ramp.by == "score" else scenario.fleet.called
        if ramp.of is not None and ramp.of not in counted:
            what = "nothing scores for" if ramp.by == "score" else "there is no craft or group"
            yield f"ramps: {what} '{ramp.of}'{nearest(ramp.of, counted)}"
    yield from _follows(scenario, craft, rule)
    for stick in rule.sticks:
        if stick not in scenario.sticks:
            hint = nearest(stick, scenario.sticks) or "; add a table [sticks." + stick + "]"
            yield f"there is no stick '{stick}'{hint}"
    if not rule.actions and rule.when != type(rule).model_fields["when"].default:
        yield (
            f"when = '{rule.when}' waits for an action, and this rule listens to none; "
            f"name one with 'on', or leave 'when' out"
        )
    timers = [other.label for other in craft.rules if other.times]
    conditions = [condition.name for condition in scenario.condition]
    for name in rule.waits_for:
        pressed = name in listened or name in scenario.tape.actions
        if timers.count(name) > 1:
            yield f"there are several timers '{name}' of this craft"
        elif name in timers or name in conditions:
            continue
        elif name == rule.during or not pressed:
            hint = nearest(name, [*timers, *conditions])
            hint = hint or "; a rule 'timer', 'dash' or 'hop' is one"
            yield f"there is no timer or condition '{name}' of this craft{hint}"


def _follows(scenario: Scenario, craft: Craft, rule: MotionRule) -> Iterator[str]:
    """Yield problems of the values that a rule's numbers follow, and of its costs."""
    own = [resource.name for resource in craft.resources]
    named = [("costs", cost.resource) for cost in rule.costs]
    named += [("follows", following.resource) for following in rule.follows if following.resource]
    named += [("resource", rule.fills)] if rule.fills else []
    for where, name in named:
        if name not in own:
            hint = nearest(name, own) or "; add it to the craft's 'resources'"
            yield f"{where}: {craft.name} has no resource '{name}'{hint}"
    for follows in rule.follows:
        if isinstance(follows.to, str):
            yield from (f"follows: {what}" for what in _target(scenario, craft, follows.to))
        if follows.of is not None and follows.of not in scenario.sides:
            yield f"follows: nothing scores for '{follows.of}'{nearest(follows.of, scenario.sides)}"
    if (rule.follows or rule.costs) and craft.stepping == "closed_form":
        yield "a closed form takes numbers that stay as they are; drop 'follows' and 'costs'"
    spent = rule.memorises_acts
    for cost in rule.costs:
        if spent and cost.rate is not None:
            yield "costs: this rule acts at single moments; give the 'amount' of each"


def _timers(scenario: Scenario, craft: Craft) -> Iterator[str]:
    """Yield names that could mean a timer of a craft as well as an action.

    The timer is meant.  Where a rule or a contact acts `on` it that is not taken for granted.
    """
    listens = {name: rule for rule in craft.rules for name in rule.own_actions}
    for rule in craft.rules:
        for name in craft.timers.intersection(plain_names(*rule.own_actions)) - {rule.label}:
            if name in craft.pressed:
                yield (
                    f"{craft.name}.{rule.label}: '{name}' is a timer of this craft and the action "
                    f"that starts it; give the timer a 'name' of its own"
                )
    acting = [(f"{craft.name}.{rule.label}", rule.on) for rule in craft.rules]
    acting += [
        (f"{craft.name}", contact.on)
        for contact in scenario.contact
        if craft.goes_by(contact.between[0])
    ]
    for where, names in acting:
        for name in craft.timers.intersection(plain_names(*names)) & listens.keys():
            yield (
                f"{where}: on = '{name}' may mean the timer or the action of rule "
                f"'{listens[name].label}'; give the timer a 'name' of its own"
            )


def _sticks(scenario: Scenario) -> Iterator[str]:
    conditions = {condition.name for condition in scenario.condition}
    for name, stick in scenario.sticks.items():
        for action in stick.actions:
            if action in conditions:
                yield f"sticks.{name}: '{action}' is a condition; a stick needs analog actions"


def _closed_form(craft: Craft) -> Iterator[str]:
    if craft.stepping != "closed_form":
        return
    for rule in craft.rules:
        if not rule.has_closed_form:
            yield (
                f"craft.{craft.name}.stepping: the rule '{rule.label}' has no closed form together "
                f"with the others; only turn, thrust, linear drag and constant acceleration have"
            )
    moves = sum(rule.spends for rule in craft.rules)
    if moves != 1:
        yield (
            f"craft.{craft.name}.stepping: a closed form needs exactly one rule 'move', "
            f"and there are {moves}"
        )


def _obstacle_names(scenario: Scenario) -> Iterator[str]:
    counts = Counter(craft.name for craft in scenario.craft if craft.pool or craft.grid)
    counts.update(scenario.fleet.names)
    for obstacle, family in zip(scenario.obstacle, scenario.still, strict=True):
        counts.update({obstacle.name, *family.names})
    if len(counts) == counts.total():
        return
    twice = {name for name, count in counts.items() if count > 1}
    for obstacle, family in zip(scenario.obstacle, scenario.still, strict=True):
        if obstacle.name in twice:
            yield f"obstacle.{obstacle.name}: something else has this name; give each its own"
        elif mine := twice.intersection(family.names):
            name = min(mine)
            yield (
                f"obstacle.{obstacle.name}: something else is called '{name}' as well as its piece"
            )


def _contacts(scenario: Scenario) -> Iterator[str]:
    fleet, bodies = scenario.fleet, scenario.bodies
    for number, contact in enumerate(scenario.contact, start=1):
        first, second = contact.between
        if first not in fleet:
            which = f"unknown craft or group '{first}'"
            if first in bodies:
                which = f"'{first}' is an obstacle, which does not respond"
            yield f"contact#{number}.between: {which}{nearest(first, fleet.called)}"
        if second not in bodies:
            hint = nearest(second, bodies.called)
            yield f"contact#{number}.between: unknown craft, group or obstacle '{second}'{hint}"
        if contact.detection == "sight":
            eyes = [scenario.craft[n] for n in fleet.families_of(first)]
            if not any(r.looks_ahead for c in eyes for r in c.rules):
                yield (
                    f"contact#{number}.detection: '{first}' has no rule 'fire' with a 'range', "
                    f"so it sees nothing"
                )


def _actions(scenario: Scenario) -> Iterator[str]:
    listened = scenario.actions
    for action in scenario.tape.actions:
        if action not in listened:
            hint = nearest(action, listened) if listened else "; no rule listens to any"
            yield f"tape: no rule listens to the action '{action}'{hint}"
    values = [*scenario.tape.holds, *scenario.tape.taps]
    for name, stick in scenario.sticks.items():
        for action in stick.actions:
            if action in values:
                yield f"sticks.{name}: '{action}' is held or tapped; a stick needs analog values"
