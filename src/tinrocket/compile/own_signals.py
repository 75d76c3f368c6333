"""Signals that depend on states of one craft: computed among its rules, not once for all craft."""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING

from tinrocket.motion.signals import Before, Component, ConditionInput, Derived, Raw, states_in

if TYPE_CHECKING:
    from tinrocket.compile.rule_lines import RuleLines


def own_signals_in(arguments: Iterable[object]) -> Iterator[Derived]:
    """Yield the signals in arguments that depend on the craft, inner ones first."""
    for one in arguments:
        if isinstance(one, Component | Before):
            yield from own_signals_in([one.of])
        elif isinstance(one, Derived) and states_in(one):
            yield from own_signals_in(one.arguments)
            yield one


class OwnSignals:
    """Writer of the signals of one rule that depend on its craft.

    Attributes
    ----------
    lines
        Lines that run in every step, after those that update states.
    """

    def __init__(self, rules: RuleLines) -> None:
        self.rules, self.lines = rules, list[str]()
        self._variables: dict[Derived, list[str]] = {}
        self._before: dict[Raw | Derived | ConditionInput, str] = {}

    def make(self, one: Derived) -> None:
        """Write the lines that compute a signal."""
        inputs, names = self.rules.scope.inputs, self.rules.scope.names
        arguments = [self.value(argument) for argument in one.arguments]
        last = self.before(one) if one.remembers else None
        if last is not None:
            arguments.append(last)
        ends = ["_x", "_y"] if one.results == 2 else [""]
        self._variables[one] = [names.new(one.name + end) for end in ends]
        self.lines += inputs.made(one, arguments, self._variables[one])
        if last is not None:
            self.lines.append(f"{ast.unparse(last)} = {self._variables[one][0]}")
        for argument in one.arguments:
            if isinstance(argument, Before):
                now = ast.unparse(self.value(argument.of))
                self.lines.append(f"{ast.unparse(self.value(argument))} = {now}")

    def value(self, one: object) -> ast.expr:
        """Return the expression of a signal, a state, or a number."""
        match one:
            case ConditionInput():
                return ast.Name(self.rules.told[one])
            case Component(of, index) if states_in(of):
                return ast.Name(self._variables[of][index])
            case Derived() if states_in(one):
                return ast.Name(self._variables[one][0])
            case Before(of):  # the previous inputs are overwritten before rules run
                return self.before(of)
        return self.rules.scope.inputs.value(one)  # type: ignore[arg-type]  # only actions are left

    def before(self, of: Raw | Derived | ConditionInput) -> ast.expr:
        """Return the cell of a signal's value in the craft's previous step; 0 in its first."""
        if of not in self._before:
            self._before[of] = f"was_{len(self.rules.seen) + 1}"
            self.rules.seen.append(self._before[of])
        return ast.Attribute(ast.Name(self.rules.watched), self._before[of])
