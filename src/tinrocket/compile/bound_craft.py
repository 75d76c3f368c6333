"""The craft of a scenario bound to kernels: rules, gates and numbers of each."""

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace

from tinrocket.motion import signals
from tinrocket.motion.angles import Heading
from tinrocket.motion.binding import (
    Argument,
    Bound,
    Context,
    Level,
    Number,
    Row,
    Step,
    bind,
)
from tinrocket.motion.rules.gain import paid
from tinrocket.motion.signals import Derived, Listened, Raw, within
from tinrocket.scenario.arena import SIDES
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.names import is_negated, plain_name
from tinrocket.scenario.numbers import Timing
from tinrocket.scenario.rules import MotionRule, Move
from tinrocket.scenario.scenario import Scenario


@dataclass(frozen=True, slots=True)
class TimerRef:
    """A timer of the craft, by the rule that it belongs to: on while it runs."""

    rule: int


@dataclass(frozen=True, slots=True)
class ConditionRef:
    """A condition by its name."""

    condition: str


@dataclass(frozen=True, slots=True)
class Not:
    """A state that must be off."""

    state: "State"


State = Listened | TimerRef | ConditionRef | Not
"""Named conditions, maybe negated."""


@dataclass(frozen=True, slots=True)
class Change:
    """Edge-triggered gate: on in the step in which all states turn on, or stop being on."""

    states: tuple[State, ...]
    ends: bool


Gate = State | Change
"""Gates of a rule: states that must be on or off for it to act."""


@dataclass(frozen=True, slots=True, eq=False)
class BoundRule:
    """A bound rule with its gates."""

    rule: MotionRule
    bound: Bound
    gates: tuple[Gate, ...]
    acts: tuple[Argument, ...] = ()
    """Signals of a rule that costs something: any of them lets it act."""


@dataclass(frozen=True, slots=True, eq=False)
class Entry:
    """Craft that share one piece of composed text: a craft, a pool, a grid, or several alike craft.

    Attributes
    ----------
    names
        Names of the craft in the file.
    first, count
        Index of the first member among all craft, and the number of members.
    rules
        Rules of the first craft.
    feels_push
        Whether pushes matter within a step: the craft may rest on something, or walls throw it back
        while its path is curved.
    sides_last
        Whether edges act on it after all contacts.
    meets
        Whether any contact names it.
    asking
        Meaning of the names of states for its craft.
    barred
        Gated contacts that may involve these craft.
    alike
        The rules of each craft in the file; they differ in numbers alone.
    paced
        Whether the craft's own time may slow down or stop.
    """

    names: tuple[str, ...]
    first: int
    count: int
    rules: tuple[BoundRule, ...]
    closed: bool
    feels_push: bool
    sides_last: bool
    meets: bool
    asking: "StateNames"
    barred: tuple[int, ...]
    alike: tuple[tuple[BoundRule, ...], ...]
    paced: bool = False

    @property
    def bends(self) -> bool:
        """Whether the path of its craft through a step is a parabola."""
        halves = any(
            isinstance(rule.rule, Move) and rule.rule.method == "half" for rule in self.rules
        )
        return self.feels_push and (self.closed or halves)


def entries(scenario: Scenario) -> list[Entry]:
    """Return the craft of a scenario in order of the file; alike neighbours share an entry."""
    entries_found: list[Entry] = []
    first, before = 0, None
    meeting, shared, fleet = meeting_craft(scenario), context_of(scenario, None), scenario.fleet
    waiting = [fleet.families_of(scenario.contact[n].between[0]) for n in gated(scenario)]
    meeting = fleet.families_of(*(name for contact in scenario.contact for name in contact.between))
    slowed = fleet.families_of(*(name for tempo in scenario.tempo for name in tempo.of))
    for number, craft in enumerate(scenario.craft):
        context = of_craft(shared, craft)
        count = craft.count
        closed = craft.stepping == "closed_form"
        rules = bound_rules(craft, context, scenario.timing)
        feels = feels_push(scenario, craft, meets=number in meeting)
        barred = tuple(n for n, families in enumerate(waiting) if number in families)
        acts = (closed, feels, sides_last(scenario, number), number in meeting)
        alone = count > 1 or number in slowed
        structure = None if alone else (*acts, *barred, *map(signature, rules))
        if structure is not None and structure == before:
            last = entries_found[-1]
            entries_found[-1] = replace(
                last,
                names=(*last.names, craft.name),
                count=last.count + 1,
                alike=(*last.alike, rules),
            )
        else:
            about = (*acts, StateNames.of(craft, context), barred)
            entries_found.append(
                Entry((craft.name,), first, count, rules, *about, (rules,), number in slowed)
            )
        before = structure
        first += count
    return entries_found


def gated(scenario: Scenario) -> list[int]:
    """Return the gated contacts."""
    return [n for n, contact in enumerate(scenario.contact) if contact.on or contact.unless]


def is_curved(craft: Craft) -> bool:
    """Return whether a craft's path through a step is a parabola: half steps or closed form."""
    halves = any(isinstance(rule, Move) and rule.method == "half" for rule in craft.rules)
    return halves or craft.stepping == "closed_form"


def meeting_craft(scenario: Scenario) -> set[int]:
    """Return the indices of craft that may meet others within a step."""
    swept = [contact for contact in scenario.contact if scenario.detection_of(contact) == "swept"]
    return scenario.fleet.families_of(*(name for contact in swept for name in contact.between))


def sides_last(scenario: Scenario, number: int) -> bool:
    """Return whether edges act on a craft after all contacts."""
    chosen = scenario.arena.edges_act == "after_contacts" and bool(scenario.contact)
    return chosen and number not in meeting_craft(scenario)


def feels_push(scenario: Scenario, craft: Craft, *, meets: bool) -> bool:
    """Return whether pushes on a craft matter within a step: it is thrown, or may meet others."""
    edges = scenario.arena_of(craft).edges
    thrown = any(edges.at(side).kind == "bounce" for side in SIDES)
    pushed = any(rule.pushes for rule in craft.rules)
    return pushed and (meets or thrown)


def signature(rule: BoundRule) -> tuple[object, ...]:
    """Return the part of a rule that decides its composed text."""
    steps = (*rule.bound.listens, None, *rule.bound.steps)
    return (
        rule.rule.label,
        rule.gates,
        rule.bound.memory,
        rule.bound.lasts,
        rule.rule.follows,
        *(
            step and (step.kernel, *((n, _shape(v)) for n, v in step.arguments.items()))
            for step in steps
        ),
    )


def _shape(argument: Argument) -> object:
    if isinstance(argument, Number):
        return "number", argument.scaling
    if isinstance(argument, Row):
        return argument.values.tobytes()
    return type(argument), argument


def of_craft(context: Context, craft: Craft) -> Context:
    """Return the context for bindings of a craft, made from the context for all."""
    pointing = context.heading.sign * math.radians(craft.art_offset)
    closed = craft.stepping == "closed_form"
    bounds = {resource.name: (resource.least, resource.most) for resource in craft.resources}
    return replace(context, closed=closed, pointing=pointing, timers=craft.timers, resources=bounds)


def context_of(scenario: Scenario, craft: Craft | None) -> Context:
    """Return the context for bindings of a craft, or the context for all."""
    heading = Heading.of(scenario.arena)
    per_frame = scenario.units == "per_frame"
    screen = None
    view = scenario.view
    if view is not None and view.pointers == "screen":
        # a view that moves after all craft still shows the last frame when they act
        earlier = view.order == "before" and view.pointer_view == "last_frame"
        fields = ("before_x", "before_y") if earlier else ("x", "y")
        screen = len(scenario.fleet), fields, (view.width / 2, view.height / 2)
    shared = Context(
        timing=scenario.timing,
        frames=1.0 if per_frame else scenario.tuned_at,
        unit=scenario.tuned_at if per_frame else 1.0,
        closed=False,
        heading=heading,
        sticks=scenario.sticks,
        craft=scenario.fleet.own,
        pools=pools(scenario),
        pointing=0.0,
        conditions=frozenset(condition.name for condition in scenario.condition),
        timers=frozenset(),
        resources={},
        screen=screen,
    )
    return shared if craft is None else of_craft(shared, craft)


def pools(scenario: Scenario) -> dict[str, tuple[int, int]]:
    """Return the index of the first craft of each pool, and the number of its members."""
    each = zip(scenario.fleet.firsts, scenario.craft, strict=True)
    return {family.name: (first, family.pool) for first, family in each if family.pool}


def bound_rules(craft: Craft, context: Context, timing: Timing) -> tuple[BoundRule, ...]:
    """Return a craft's rules bound, with their gates."""
    return tuple(bound_rule(craft, rule, context, timing) for rule in craft.rules)


def bound_rule(craft: Craft, rule: MotionRule, context: Context, timing: Timing) -> BoundRule:
    """Return a rule bound as one of a craft, with its gates."""
    locks = [each_rule.label for each_rule in craft.rules if each_rule.locks_steering]
    own = replace(context, timing=craft.timing_of(rule, timing))
    bound = bind(rule, own)
    gates = tuple(_gates(rule, StateNames.of(craft, context), locks))
    if not rule.costs:
        return BoundRule(rule, bound, gates)
    bound = replace(bound, steps=(*bound.steps, *costs(rule, own)))
    acts = [own.action(name, rule) for name in rule.own_actions if not rule.memorises_acts]
    tilts = [part for stick in rule.sticks for part in own.tilt(stick)]
    return BoundRule(rule, bound, gates, (*acts, *tilts))


def costs(rule: MotionRule, context: Context) -> Iterator[Step]:
    """Yield the steps that subtract the costs of a rule."""
    for cost in rule.costs:
        least, _most = context.resources[cost.resource]
        taken = context.times(cost.rate) if cost.rate is not None else Number(cost.amount or 0.0)
        arguments: dict[str, Argument] = {
            "held": Level(cost.resource),
            "cost": taken,
            "least": least,
        }
        yield Step(paid, arguments, gives=Level(cost.resource))


@dataclass(frozen=True, slots=True)
class StateNames:
    """Meaning of names of states for a craft: a condition, else a timer of it, else an action."""

    timers: Mapping[str, int]
    context: Context

    @classmethod
    def of(cls, craft: Craft, context: Context) -> "StateNames":
        """Return the meaning of names for a craft."""
        timers = {rule.label: number for number, rule in enumerate(craft.rules) if rule.times}
        return cls(timers, context)

    def state(self, name: str) -> State:
        """Return the state that a name refers to."""
        if is_negated(name):
            return Not(self.state(plain_name(name)))
        if name in self.context.conditions:
            return ConditionRef(name)
        if name in self.timers:
            return TimerRef(self.timers[name])
        return signals.action(name, "held")


def _gates(rule: MotionRule, requested: StateNames, locks: list[str]) -> list[Gate]:
    gates: list[Gate] = []
    if rule.on:
        states = tuple(requested.state(name) for name in rule.on)
        if rule.when == "held" or rule.own_actions:
            gates += states
        # two presses in one step count as two
        elif len(states) == 1 and isinstance(states[0], Raw):
            gates.append(signals.action(rule.on[0], rule.when))
        else:
            gates.append(Change(states, rule.when == "released"))
    if isinstance(rule.during, tuple):
        begins, ends = (moment * requested.context.unit for moment in rule.during)
        gates.append(Derived(f"{rule.label}_window", within, (begins, ends)))
    elif rule.during is not None:
        gates.append(requested.state(rule.during))
    barring = [*rule.unless, *(locks if rule.steers else ())]
    return gates + [Not(requested.state(name)) for name in barring]
