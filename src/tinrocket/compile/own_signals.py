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
    for argument in arguments:
        if isinstance(argument, Component | Before):
            yield from own_signals_in([argument.of])
        elif isinstance(argument, Derived) and states_in(argument):
            yield from own_signals_in(argument.arguments)
            yield argument


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

    def make(self, signal: Derived) -> None:
        """Write the lines that compute a signal."""
        inputs, names = self.rules.scope.inputs, self.rules.scope.names
        arguments = [self.value(argument) for argument in signal.arguments]
        last = self.before(signal) if signal.remembers else None
        if last is not None:
            arguments.append(last)
        ends = ["_x", "_y"] if signal.results == 2 else [""]
        self._variables[signal] = [names.new(signal.name + end) for end in ends]
        self.lines += inputs.made(signal, arguments, self._variables[signal])
        if last is not None:
            self.lines.append(f"{ast.unparse(last)} = {self._variables[signal][0]}")
        for argument in signal.arguments:
            if isinstance(argument, Before):
                now = ast.unparse(self.value(argument.of))
                self.lines.append(f"{ast.unparse(self.value(argument))} = {now}")

    def value(self, signal: object) -> ast.expr:
        """Return the expression of a signal, a state, or a number."""
        match signal:
            case ConditionInput():
                return ast.Name(self.rules.told[signal])
            case Component(of, index) if states_in(of):
                return ast.Name(self._variables[of][index])
            case Derived() if states_in(signal):
                return ast.Name(self._variables[signal][0])
            case Before(of):  # the previous inputs are overwritten before rules run
                return self.before(of)
        return self.rules.scope.inputs.value(signal)  # type: ignore[arg-type]  # only actions are left

    def before(self, of: Raw | Derived | ConditionInput) -> ast.expr:
        """Return the cell of a signal's value in the craft's previous step; 0 in its first."""
        if of not in self._before:
            self._before[of] = f"was_{len(self.rules.seen) + 1}"
            self.rules.seen.append(self._before[of])
        return ast.Attribute(ast.Name(self.rules.watched), self._before[of])
