"""The inputs of a plan: the raw values of a frame, and the signals derived from them in a step."""

import ast
from collections.abc import Sequence

from tinrocket.compile.inline import Inliner, Names
from tinrocket.compile.memory import Layout, Place
from tinrocket.language.records import Record, record
from tinrocket.motion.signals import Before, Component, Derived, Listened, Raw


class Inputs:
    """Variables of the signals that a composed function needs, each computed once.

    Attributes
    ----------
    raw
        Column of each raw value that is passed to the game in every step.
    """

    def __init__(self, names: Names) -> None:
        self.names = names
        self.raw: dict[Raw, int] = {}
        self._variables: dict[Raw | Derived, list[str]] = {}
        self._order: list[Raw | Derived] = []
        self._before: dict[Raw | Derived, str] = {}

    def value(self, listened: Listened | Before | float | bool) -> ast.expr:
        """Return a signal as the variable that holds it."""
        if isinstance(listened, Component):
            return ast.Name(self._held(listened.of)[listened.index])
        if isinstance(listened, Before):
            return ast.Attribute(ast.Name("before"), self._kept(listened.of))  # type: ignore[arg-type]
        if isinstance(listened, Raw | Derived):
            return ast.Name(self._held(listened)[0])
        return ast.Constant(listened)

    def _kept(self, raw: Raw | Derived) -> str:
        self._held(raw)
        if raw not in self._before:
            self._before[raw] = self._held(raw)[0]
        return self._before[raw]

    def _held(self, signal: Raw | Derived) -> list[str]:
        if signal not in self._variables:
            if isinstance(signal, Raw):
                self.raw[signal] = len(self.raw)
                self._variables[signal] = [self.names.new(signal.label)]
            else:
                for argument in signal.arguments:
                    self.value(argument)  # type: ignore[arg-type]  # no state of a craft is here
                ends = ["_x", "_y"] if signal.results == 2 else [""]
                self._variables[signal] = [self.names.new(signal.name + end) for end in ends]
            self._order.append(signal)
        return self._variables[signal]

    def lines(self) -> list[str]:
        """Return the lines that read the raw values of a step and make the signals of them."""
        lines = []
        if self.raw:
            lines.append(f"taken = step * {len(self.raw)}")
        for signal in self._order:
            variables = self._variables[signal]
            if isinstance(signal, Raw):
                lines.append(f"{variables[0]} = inputs[taken + {self.raw[signal]}]")
                continue
            arguments = [self.value(argument) for argument in signal.arguments]  # type: ignore[arg-type]
            if signal.remembers:
                arguments.append(self.value(Before(signal)))
            lines += self.made(signal, arguments, variables)
        if self._before:
            for raw, name in self._before.items():
                lines.append(f"before.{name} = {self._variables[raw][0]}")
        return [*lines, ""] if lines else []

    def made(
        self, signal: Derived, arguments: Sequence[ast.expr], variables: Sequence[str]
    ) -> list[str]:
        """Return the lines that make a signal of what its kernel takes."""
        parameters = [name for name in _parameters(signal) if name != "world"]
        given = dict(zip(parameters, arguments, strict=True))
        given["world"] = ast.Name("world")
        inliner = Inliner(self.names)
        shown = inliner.expression(signal.kernel, given)
        if shown is not None:
            return [f"{variables[0]} = {ast.unparse(shown)}"]
        name = self.names.of_global(signal.kernel.__name__, signal.kernel)
        passed = ", ".join(ast.unparse(given[name]) for name in _parameters(signal))
        return [f"{', '.join(variables)} = {name}({passed})"]

    def memory(self, layout: Layout) -> Place | None:
        """Reserve room for the raw values of the step before."""
        if not self._before:
            return None
        kind: type[Record] = record("Before", dict.fromkeys(self._before.values(), float))
        return layout.reserve(kind, lasting=True)


def _parameters(signal: Derived) -> list[str]:
    code = signal.kernel.__code__
    return list(code.co_varnames[: code.co_argcount])
