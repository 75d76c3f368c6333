"""The lines of an entry's rules: their kernels, inlined, behind the gates that let them act."""

import ast
from collections.abc import Iterable
from typing import Any

import numpy as np

from tinrocket.kernel.maths import is_finite
from tinrocket.kernel.subset import KERNELS
from tinrocket.motion.binding import Argument, Chances, FieldOf, IsThere, Number, Step
from tinrocket.motion.rules.closed_form import Gathered, move_closed
from tinrocket.plan.entries import BoundRule, Entry, Wait
from tinrocket.plan.inline import FACE, RESIDENT, Inliner
from tinrocket.plan.memory import Place
from tinrocket.plan.numbers import EntryNumbers
from tinrocket.plan.scope import Scope

LOADED = [f"{name} = body.{name}" for name in RESIDENT]
STORED = [f"body.{name} = {name}" for name in RESIDENT]


class RuleLines:
    """Writes the rules of one entry.

    Attributes
    ----------
    header
        Records that the lines read: their variables, where they lie, and whether each craft of
        the entry has its own.
    numbers
        The numbers that they read.
    """

    def __init__(self, scope: Scope, entry: Entry) -> None:
        self.scope, self.entry = scope, entry
        self.header: list[tuple[str, Place, bool]] = []
        self.memories: dict[int, str] = {}
        for index, one in enumerate(entry.rules):
            if one.bound.memory is not None:
                self.memories[index] = scope.names.new(one.rule.label)
                place = scope.layout.reserve(one.bound.memory, entry.count, state=True)
                for row in range(entry.count):
                    place.write(row, **one.bound.begins)
                self.header.append((self.memories[index], place, True))
        self.gathered = ""
        if entry.closed:
            self.gathered = scope.names.new("gathered")
            place = scope.layout.reserve(Gathered, entry.count, state=True)
            self.header.append((self.gathered, place, True))
        self.numbers = EntryNumbers(entry, scope.names)

    def lines(self) -> list[str]:
        """Return all of them, in the user's order."""
        moves = []
        if self.entry.feels_push:
            moves += ["push_x = 0.0", "push_y = 0.0"]
        for index, one in enumerate(self.entry.rules):
            lines = self.rule(index, one)
            if self.entry.feels_push:
                lines = self.pushing(one, lines)
            moves += lines
        if self.numbers.fields:
            place = self.numbers.reserve(self.scope.layout)
            self.header.append((self.numbers.variable, place, len(self.entry.alike) > 1))
        return moves

    def pushing(self, one: BoundRule, lines: list[str]) -> list[str]:
        """Return the lines of a rule between those that take down what it adds as a push."""
        axes = ("x", "y")
        if self.entry.closed and any(step.kernel is move_closed for step in one.bound.steps):
            kept = f"{self.gathered}.kept"
            return [*lines, *(f"push_{axis} = v{axis} - before_v{axis} * {kept}" for axis in axes)]
        if self.entry.closed or not one.rule.pushes:
            return lines
        begun = [f"push_{axis} -= v{axis}" for axis in axes]
        return [*begun, *lines, *(f"push_{axis} += v{axis}" for axis in axes)]

    def rule(self, index: int, one: BoundRule) -> list[str]:
        """Return the lines of one rule."""
        given = {"world": ast.Name("world"), "body": ast.Name("body"), "rule": ast.Constant(index)}
        given |= {f"before_{name}": ast.Name(f"before_{name}") for name in ("vx", "vy")}
        if index in self.memories:
            given["memory"] = ast.Name(self.memories[index])
        if self.gathered:
            given["gathered"] = ast.Name(self.gathered)
        lines = [f"# {one.rule.label}"]
        if self.scope.of.checks:
            lines += ["world.failed = body.index", f"world.failed_rule = {index}"]
        for step in one.bound.listens:
            lines += self.step(step, -1, index, given)
        acts = []
        for number, step in enumerate(one.bound.steps):
            acts += self.step(step, number, index, given)
        tests = [self.gate(gate) for gate in one.gates]
        if tests:
            acts = [f"if {' and '.join(tests)}:", *indented(acts or ["pass"])]
        lines += acts
        if self.scope.of.checks:
            whole = " + ".join((*RESIDENT, "body.spin"))
            lines += [
                f"if not {self.scope.call(is_finite)}({whole}):",
                "    return",
                "world.failed = -1",
            ]
        return lines

    def gate(self, gate: Any) -> str:
        """Return the condition under which a gate lets a rule act."""
        if not isinstance(gate, Wait):
            return f"{ast.unparse(self.scope.inputs.value(gate))} != 0.0"
        lasts = self.entry.rules[gate.rule].bound.lasts
        assert lasts is not None
        name, counted = lasts
        runs = f"{self.memories[gate.rule]}.{name} > {'count' if counted else 'now'}"
        return runs if gate.runs else f"not {runs}"

    def step(self, step: Step, number: int, index: int, given: dict[str, ast.expr]) -> list[str]:
        """Return the lines of one kernel with what it takes."""
        arguments = {
            name: self.argument(one, index, number, name) for name, one in step.arguments.items()
        }
        if step.kernel not in KERNELS:
            return self.user_rule(step, arguments, given)
        resident = (*RESIDENT, *FACE) if self.scope.of.lone else RESIDENT
        done = Inliner(self.scope.names, resident).statements(step.kernel, given | arguments)
        return [line for one in done for line in ast.unparse(one).splitlines()]

    def user_rule(
        self, step: Step, arguments: dict[str, ast.expr], given: dict[str, ast.expr]
    ) -> list[str]:
        """Return a call of a user's rule: the craft is stored for it, and loaded again."""
        name = self.scope.names.of_global(step.kernel.__name__, step.kernel)
        self.scope.user_rules[name] = step.kernel
        own = [given["memory"]] if "memory" in given else []
        shown = ["body", *(ast.unparse(one) for one in (*own, *arguments.values()))]
        return [
            *STORED,
            "body.time = now",
            f"{name}({', '.join(shown)})",
            *LOADED,
        ]

    def argument(self, one: Argument, rule: int, step: int, name: str) -> ast.expr:
        """Return an argument as the expression that stands for it."""
        match one:
            case bool() | int() | float():
                return ast.Constant(one)
            case np.floating():
                return ast.Constant(float(one))
            case Number():
                return self.numbers.field(rule, step, name, one)
            case FieldOf(craft, what):
                return ast.Attribute(ast.Name(self.scope.craft(craft)), what)
            case IsThere(craft):
                alive = ast.Attribute(ast.Name(self.scope.craft(craft)), "alive")
                return ast.Compare(alive, [ast.NotEq()], [ast.Constant(0.0)])
            case Chances(values):
                return ast.Name(
                    self.scope.names.of_global("chances", self.scope.layout.row(values))
                )
        return self.scope.inputs.value(one)


def indented(lines: Iterable[str]) -> list[str]:
    """Return lines one level deeper."""
    return [f"    {line}" if line else line for line in lines]
