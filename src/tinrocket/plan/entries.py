"""The craft of a scenario bound to kernels: for each of the file its rules, gates and numbers."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

from tinrocket.motion.angles import Heading
from tinrocket.motion.binding import Argument, Bound, Chances, Context, Number, bind
from tinrocket.motion.signals import Derived, Listened, within
from tinrocket.scenario.arena import SIDES
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.numbers import Timing
from tinrocket.scenario.rules import Dash, MotionRule, Move
from tinrocket.scenario.scenario import Scenario


@dataclass(frozen=True, slots=True)
class Wait:
    """A timer of the craft, named by the rule that it belongs to, and how it must stand."""

    rule: int
    runs: bool


Gate = Listened | Wait
"""What must let a rule act."""


@dataclass(frozen=True, slots=True, eq=False)
class BoundRule:
    """A rule with all that decides whether it acts."""

    rule: MotionRule
    bound: Bound
    gates: tuple[Gate, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Entry:
    """Craft that are moved by the same text: one, all of a pool or grid, or several alike.

    Attributes
    ----------
    names
        Of the craft of the file.
    first, count
        Index of its first member among all craft, and how many there are.
    rules
        Of the first of them.
    feels_push
        Whether it matters within a step what pushes it: it may lie on something, or is thrown
        back by walls while its path is curved.
    alike
        The rules of each craft of the file: they differ in nothing but numbers.
    """

    names: tuple[str, ...]
    first: int
    count: int
    rules: tuple[BoundRule, ...]
    closed: bool
    feels_push: bool
    alike: tuple[tuple[BoundRule, ...], ...]


def entries(scenario: Scenario) -> list[Entry]:
    """Return the craft of a scenario in the order of the file, alike neighbours as one."""
    found: list[Entry] = []
    first, before = 0, None
    giving = giving_craft(scenario)
    for craft in scenario.craft:
        context = context_of(scenario, craft)
        count = len(craft.members)
        closed = craft.stepping == "closed_form"
        rules = bound_rules(craft, context, scenario.timing)
        feels = feels_push(scenario, craft, giving)
        structure = (closed, feels, *map(signature, rules)) if count == 1 else None
        if structure is not None and structure == before:
            last = found[-1]
            found[-1] = replace(
                last,
                names=(*last.names, craft.name),
                count=last.count + 1,
                alike=(*last.alike, rules),
            )
        else:
            found.append(Entry((craft.name,), first, count, rules, closed, feels, (rules,)))
        before = structure
        first += count
    return found


def is_curved(craft: Craft) -> bool:
    """Whether a craft's path through a step is a parabola: it moves by halves or in closed form."""
    halves = any(isinstance(rule, Move) and rule.method == "half" for rule in craft.rules)
    return halves or craft.stepping == "closed_form"


def meeting_craft(scenario: Scenario) -> set[str]:
    """Return the names by which craft are called that may meet others within a step."""
    swept = [one for one in scenario.contact if (one.detection or scenario.detection) == "swept"]
    return {name for one in swept for name in one.between}


def giving_craft(scenario: Scenario) -> set[str]:
    """Return the names of craft that may lie on something, as they give way to what they meet."""
    swept = [one for one in scenario.contact if (one.detection or scenario.detection) == "swept"]
    first = {one.between[0] for one in swept if one.response in ("bounce", "block")}
    return first | {one.name for one in scenario.craft if one.mass is not None}


def feels_push(scenario: Scenario, craft: Craft, giving: set[str]) -> bool:
    """Whether it matters within a step what pushes a craft."""
    edges = scenario.arena_of(craft).edges
    thrown = any(getattr(edges, side).kind == "bounce" for side in SIDES)
    pushed = any(rule.pushes for rule in craft.rules)
    gives = not giving.isdisjoint((craft.name, *craft.groups))
    return pushed and (gives or (thrown and is_curved(craft)))


def signature(one: BoundRule) -> tuple[object, ...]:
    """Return what of a rule decides the text that is composed of it."""
    steps = (*one.bound.listens, None, *one.bound.steps)
    return (
        one.rule.label,
        one.gates,
        one.bound.memory,
        one.bound.lasts,
        *(
            step and (step.kernel, *((n, _shape(v)) for n, v in step.arguments.items()))
            for step in steps
        ),
    )


def _shape(one: Argument) -> object:
    if isinstance(one, Number):
        return "number", one.scaling
    if isinstance(one, Chances):
        return one.values.tobytes()
    return type(one), one


def context_of(scenario: Scenario, craft: Craft | None) -> Context:
    """Return what bindings of a craft may ask."""
    heading = Heading.of(scenario.arena)
    index = {one.name: number for number, one in enumerate(scenario.all_craft)}
    per_frame = scenario.units == "per_frame"
    return Context(
        timing=scenario.timing,
        frames=1.0 if per_frame else scenario.tuned_at,
        unit=scenario.tuned_at if per_frame else 1.0,
        closed=craft is not None and craft.stepping == "closed_form",
        heading=heading,
        sticks=scenario.sticks,
        craft=index,
        pools=pools(scenario, index),
        pointing=heading.sign * math.radians(craft.art_offset) if craft else 0.0,
    )


def pools(scenario: Scenario, index: Mapping[str, int]) -> dict[str, tuple[int, int]]:
    """Return the first craft of each pool, and how many there are."""
    return {one.name: (index[one.members[0].name], one.pool) for one in scenario.craft if one.pool}


def bound_rules(craft: Craft, context: Context, timing: Timing) -> tuple[BoundRule, ...]:
    """Return a craft's rules bound, with their gates."""
    bound = [
        bind(rule, replace(context, timing=_timing(rule, craft, timing))) for rule in craft.rules
    ]
    timers = {rule.label: number for number, rule in enumerate(craft.rules) if rule.times}
    locks = [rule.label for rule in craft.rules if isinstance(rule, Dash) and not rule.steering]
    return tuple(
        BoundRule(rule, one, tuple(_gates(rule, timers, locks, context)))
        for rule, one in zip(craft.rules, bound, strict=True)
    )


def _timing(rule: MotionRule, craft: Craft, timing: Timing) -> Timing:
    if craft.stepping == "closed_form":
        return "exact"
    return rule.timing or craft.timing or timing


def _gates(
    rule: MotionRule, timers: Mapping[str, int], locks: list[str], context: Context
) -> list[Gate]:
    gates: list[Gate] = []
    if rule.on is not None:
        gates.append(context.action(rule.on, rule))
    if isinstance(rule.during, tuple):
        begins, ends = (moment * context.unit for moment in rule.during)
        gates.append(Derived(f"{rule.label}_window", within, (begins, ends)))
    elif rule.during is not None:
        gates.append(Wait(timers[rule.during], runs=True))
    barring = ([rule.unless] if rule.unless else []) + (locks if rule.steers else [])
    return gates + [Wait(timers[name], runs=False) for name in barring]
