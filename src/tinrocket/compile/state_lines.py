"""The lines that evaluate timers, conditions and actions."""

from __future__ import annotations

import ast
import math
from typing import TYPE_CHECKING

from tinrocket.compile.bound_craft import Change, ConditionRef, Gate, Not, State, TimerRef
from tinrocket.compile.values import ValueLines
from tinrocket.motion.contacts.touching import is_touching
from tinrocket.motion.signals import ConditionInput
from tinrocket.motion.stage.conditions import stands_at
from tinrocket.scenario.condition import Condition

if TYPE_CHECKING:
    from tinrocket.compile.rule_lines import RuleLines


class StateLines:
    """Writer of the gates of one rule or contact.

    Attributes
    ----------
    lines
        Lines that run in every step, before the values are used.
    """

    def __init__(self, rules: RuleLines) -> None:
        self.rules, self.lines = rules, list[str]()

    def gate(self, gate: Gate) -> str:
        """Return the condition under which a gate lets a rule act."""
        match gate:
            case Change(states, ends):
                both = " and ".join(f"({self.state(state)})" for state in states)
                return self.changed(both, ends=ends)
        return self.state(gate)

    def told(self, told: ConditionInput) -> str:
        """Return the variable that is 1 while a condition or a timer is on, else 0."""
        test = self.state(self.rules.entry.asking.state(told.name))
        if told.when != "held":
            test = self.changed(test, ends=told.when == "released")
        name = self.rules.scope.names.new(told.name)
        self.lines.append(f"{name} = 1.0 if {test} else 0.0")
        return name

    def changed(self, test: str, *, ends: bool) -> str:
        """Return the variable that is true if a signal began, or ended, in this step."""
        names = self.rules.scope.names
        field, now, change = f"was_{len(self.rules.seen) + 1}", names.new("is_on"), names.new("new")
        self.rules.seen.append(field)
        before = f"{self.rules.watched}.{field}"
        turned = (
            f"{now} == 0.0 and {before} != 0.0" if ends else f"{now} != 0.0 and {before} == 0.0"
        )
        self.lines += [
            f"{now} = 1.0 if {test} else 0.0",
            f"{change} = {turned}",
            f"{before} = {now}",
        ]
        return change

    def state(self, state: State) -> str:
        """Return an expression that is true while a state is on."""
        if isinstance(state, Not):
            return f"not ({self.state(state.state)})"
        if isinstance(state, TimerRef):
            lasts = self.rules.entry.rules[state.rule].bound.lasts
            assert lasts is not None
            name, counted = lasts
            memory = self.rules.memories[state.rule]
            return f"{memory}.{name} > {'count' if counted else 'now'}"
        if isinstance(state, ConditionRef):
            return self.condition(state.condition)
        return f"{ast.unparse(self.rules.scope.inputs.value(state))} != 0.0"

    def condition(self, name: str) -> str:
        """Return an expression that is true while a condition is on for the current craft."""
        scope, entry = self.rules.scope, self.rules.entry
        inline = scope.conditions.in_line.get(name)
        if inline is None:
            return f"{scope.game_condition(name)}.on != 0.0"
        if inline.touches is not None:
            row = scope.touch_rows(entry.first, entry.count, inline.touches)
            touch = f"world.contacts.touches[{row}{' + k' if entry.count > 1 else ''}]"
            return f"{scope.call(is_touching)}(world, {touch}, count)"
        if inline.at_edge is not None:
            return f"{scope.call(stands_at)}(body, x, y, {scope.conditions.side(inline.at_edge)})"
        if inline.stick is not None:
            return f"{ast.unparse(scope.inputs.value(scope.conditions.tilted(inline)))} != 0.0"
        if inline.measure is not None:
            return self.compared(inline)
        both = []
        for names, word, negated in (
            (inline.all_of, " and ", False),
            (inline.any_of, " or ", False),
            (inline.none_of, " or ", True),
        ):
            if names:
                parts = word.join(f"({self.state(entry.asking.state(name))})" for name in names)
                both.append(f"not ({parts})" if negated else f"({parts})")
        return both[0] if len(both) == 1 else f"({' and '.join(both)})"

    def compared(self, condition: Condition) -> str:
        """Return the comparison of a value of the craft."""
        scope = self.rules.scope
        _quantity, above, below = scope.conditions.compared(condition)
        values, there = ValueLines(self.rules), []
        if condition.to is not None:
            value, present = values.to_target(condition.measure or "", condition.to)
            there = [present] if present != "True" else []
        elif condition.resource is not None:
            value = values.level(condition.resource)
        else:
            value = values.of_craft(condition.measure or "")
        tests = [(above, ">"), (below, "<")]
        shown = [f"{value} {sign} {bound!r}" for bound, sign in tests if abs(bound) != math.inf]
        return f"({' and '.join((*there, *shown))})"
