"""The lines of an entry's rules: their kernels, inlined, behind the gates that let them act."""

import ast
from collections.abc import Iterable

import numpy as np

from tinrocket.compile.bound_craft import BoundRule, Entry, Not, bound_rule, of_craft
from tinrocket.compile.inline import FACE, RESIDENT, Inliner
from tinrocket.compile.memory import Place
from tinrocket.compile.naming import Scope
from tinrocket.compile.numbers import EntryNumbers
from tinrocket.compile.own_signals import OwnSignals, own_signals_in
from tinrocket.compile.price_lines import Price
from tinrocket.compile.state_lines import StateLines
from tinrocket.compile.values import ValueLines, level_of
from tinrocket.language.maths import is_finite
from tinrocket.language.records import Floats, record
from tinrocket.language.subset import KERNELS
from tinrocket.motion.binding import (
    Argument,
    FieldOf,
    IsThere,
    Level,
    Memory,
    Number,
    OnScreen,
    Row,
    Step,
)
from tinrocket.motion.ramped import Traced
from tinrocket.motion.rules.closed_form import Gathered, move_closed
from tinrocket.motion.scaling import PLAIN, coefficient
from tinrocket.motion.signals import Component, ConditionInput, Derived, states_in
from tinrocket.motion.tracing import BEGIN, TIMER, record_state

LOADED = [f"{name} = body.{name}" for name in RESIDENT]
STORED = [f"body.{name} = {name}" for name in RESIDENT]


class RuleLines:
    """Writer of the lines of one entry's rules.

    Attributes
    ----------
    header
        Records that the lines read: variable, place, and whether each craft of the entry has its
        own.
    numbers
        Numbers that the lines read.
    seen
        Fields that store whether each edge-triggered signal was on in the previous step.
    """

    def __init__(self, scope: Scope, entry: Entry) -> None:
        self.scope, self.entry = scope, entry
        self.header: list[tuple[str, Place, bool]] = []
        self.memories: dict[int, str] = {}
        for index, rule in enumerate(entry.rules):
            if rule.bound.memory is not None:
                self.memories[index] = scope.names.new(rule.rule.label)
                place = scope.layout.reserve(rule.bound.memory, entry.count, state=True)
                for row in range(entry.count):
                    place.write(row, **rule.bound.begins)
                    for field, room in rule.bound.rooms.items():
                        place.write(row, **{field: scope.layout.reserve(Floats, room, state=True)})
                self.header.append((self.memories[index], place, True))
        self.told: dict[ConditionInput, str] = {}
        self.following: dict[tuple[int, int, str], str] = {}
        self.affordable = ""
        self.own = OwnSignals(self)
        self.seen: list[str] = []
        self.watched = scope.names.new("watched")
        self.gathered = ""
        if entry.closed:
            self.gathered = scope.names.new("gathered")
            place = scope.layout.reserve(Gathered, entry.count, state=True)
            self.header.append((self.gathered, place, True))
        self.numbers = EntryNumbers(entry, scope.names)

    def lines(self) -> list[str]:
        """Return the lines of all rules, in the user's order."""
        moves = [self.told_after(BEGIN)] if self.scope.of.traces else []
        if self.entry.feels_push:
            moves += ["push_x = 0.0", "push_y = 0.0"]
        for index, rule in enumerate(self.entry.rules):
            lines = self.rule(index, rule)
            if self.entry.feels_push:
                lines = self.pushing(rule, lines)
            moves += lines
        moves += self.bars()
        if self.scope.of.traces:
            moves += self.timers()
        if self.seen:
            kind = record("Watched", dict.fromkeys(self.seen, float))
            place = self.scope.layout.reserve(kind, self.entry.count, state=True)
            self.header.append((self.watched, place, True))
        if self.numbers.fields:
            place = self.numbers.reserve(self.scope.layout)
            self.header.append((self.numbers.variable, place, len(self.entry.alike) > 1))
        return moves

    def told_after(self, after: int) -> str:
        """Return the line that records the craft's state."""
        return f"{self.scope.call(record_state)}(world, body.index, {after}, {', '.join(RESIDENT)})"

    def timers(self) -> list[str]:
        """Return the lines that record the remaining time of each timer."""
        lines = []
        for index, rule in enumerate(self.entry.rules):
            if rule.bound.lasts is not None:
                name, counted = rule.bound.lasts
                left = f"{self.memories[index]}.{name} - {'count' if counted else 'now'}"
                arguments = f"body.index, {TIMER - index}, max({left}, 0.0), 0.0, 0.0, 0.0, 0.0"
                lines.append(f"{self.scope.call(record_state)}(world, {arguments})")
        return lines

    def bars(self) -> list[str]:
        """Return the lines that switch contacts off for the current craft."""
        lines: list[str] = []
        for number, contact in enumerate(self.scope.of.gated):
            if number not in self.entry.barred:
                continue
            states, asking = StateLines(self), self.entry.asking
            tests = [states.gate(asking.state(name)) for name in contact.on]
            tests += [states.gate(Not(asking.state(name))) for name in contact.unless]
            row = f"{number * self.scope.of.bodies.count} + body.index"
            lines += [
                *states.lines,
                "barred = world.contacts.barred",
                f"barred[{row}] = 0.0 if {' and '.join(tests)} else 1.0",
            ]
        return lines

    def pushing(self, rule: BoundRule, lines: list[str]) -> list[str]:
        """Return the lines of a rule, and those that record its change of velocity as a push."""
        axes = ("x", "y")
        if self.entry.closed and any(step.kernel is move_closed for step in rule.bound.steps):
            share = f"{self.gathered}.kept"
            return [*lines, *(f"push_{axis} = v{axis} - before_v{axis} * {share}" for axis in axes)]
        if self.entry.closed or not rule.rule.pushes:
            return lines
        begun = [f"push_{axis} -= v{axis}" for axis in axes]
        return [*begun, *lines, *(f"push_{axis} += v{axis}" for axis in axes)]

    def rule(self, index: int, bound: BoundRule) -> list[str]:
        """Return the lines of one rule."""
        names = {"world": ast.Name("world"), "body": ast.Name("body"), "rule": ast.Constant(index)}
        names |= {f"before_{name}": ast.Name(f"before_{name}") for name in ("vx", "vy")}
        if index in self.memories:
            names["memory"] = ast.Name(self.memories[index])
        if self.gathered:
            names["gathered"] = ast.Name(self.gathered)
        lines = [f"# {bound.rule.label}"]
        if self.scope.of.checks:
            lines += ["world.failed = body.index", f"world.failed_rule = {index}"]
        states = StateLines(self)
        tests = [states.gate(gate) for gate in bound.gates]
        steps = (*bound.bound.listens, *bound.bound.steps)
        given_to = [argument for step in steps for argument in step.arguments.values()]
        given_to += bound.acts
        for told in dict.fromkeys(state for argument in given_to for state in states_in(argument)):
            self.told[told] = states.told(told)
        own = OwnSignals(self)
        for derived in dict.fromkeys(own_signals_in(given_to)):
            own.make(derived)
        lines += [*states.lines, *own.lines]
        self.own = own
        price = Price(self, index, bound)
        self.affordable = price.affordable if bound.rule.memorises_acts else ""
        for number, step in enumerate(bound.bound.listens):
            lines += self.step(step, -1 - number, index, names)
        acts = [*self.followed(index, bound), *price.before]
        tests += price.tests
        names["acts"] = price.acts
        for number, step in enumerate(bound.bound.steps):
            acts += self.step(step, number, index, names)
        self.affordable = ""
        if tests:
            acts = [f"if {' and '.join(tests)}:", *indented(acts or ["pass"])]
        lines += acts
        if self.scope.of.traces:
            lines.append(self.told_after(index))
        if self.scope.of.checks:
            whole = " + ".join((*RESIDENT, "body.spin"))
            lines += [
                f"if not {self.scope.call(is_finite)}({whole}):",
                "    return",
                "world.failed = -1",
            ]
        return lines

    def followed(self, index: int, rule: BoundRule) -> list[str]:
        """Return the lines that compute the numbers of a rule that follow a value."""
        if not rule.rule.follows:
            return []
        lines: list[str] = []
        traced: dict[str, Traced] = {}
        for follow in rule.rule.follows:
            number = float(getattr(rule.rule, follow.key))
            *made, variable = ValueLines(self).followed(follow, number)
            lines += made
            traced[follow.key] = Traced.of(number, variable)
        scenario, context = self.scope.conditions.scenario, self.scope.conditions.context
        craft = next(each for each in scenario.craft if each.name == self.entry.names[0])
        changed = rule.rule.replaced(**traced, follows=(), ramps=())
        bound = bound_rule(craft, changed, of_craft(context, craft), scenario.timing).bound
        for number, step in enumerate(bound.steps):
            for name, argument in step.arguments.items():
                if isinstance(argument, Number) and isinstance(argument.value, Traced):
                    shown = argument.value.build(self.scope.call)
                    text = ast.unparse(ast.fix_missing_locations(shown))
                    if argument.scaling != PLAIN:
                        text = f"{self.scope.call(coefficient)}({argument.scaling}, {text}, dt)"
                    variable = self.scope.names.new(f"{rule.rule.label}_{name}")
                    lines.append(f"{variable} = {text}")
                    self.following[index, number, name] = variable
        return lines

    def step(self, step: Step, number: int, index: int, given: dict[str, ast.expr]) -> list[str]:
        """Return the lines of one kernel with its arguments."""
        arguments = {
            name: self.argument(value, index, number, name)
            for name, value in step.arguments.items()
        }
        if self.affordable and "action" in arguments:
            test = ast.parse(self.affordable, mode="eval").body
            arguments["action"] = ast.IfExp(test, arguments["action"], ast.Constant(0.0))
        if step.kernel not in KERNELS:
            return self.user_rule(step, arguments, given)
        resident = (*RESIDENT, *FACE) if self.scope.of.lone else RESIDENT
        targets = [self.argument(step.gives, index, number, "")] if step.gives else None
        inliner = Inliner(self.scope.names, resident)
        done = inliner.statements(step.kernel, given | arguments, targets)
        return [line for call in done for line in ast.unparse(call).splitlines()]

    def user_rule(
        self, step: Step, arguments: dict[str, ast.expr], given: dict[str, ast.expr]
    ) -> list[str]:
        """Return a call of a user's rule: the craft is stored before it and loaded after it."""
        name = self.scope.names.of_global(step.kernel.__name__, step.kernel)
        self.scope.user_rules[name] = step.kernel
        own = [given["memory"]] if "memory" in given else []
        shown = ["body", *(ast.unparse(value) for value in (*own, *arguments.values()))]
        return [
            *STORED,
            "body.time = now",
            f"{name}({', '.join(shown)})",
            *LOADED,
        ]

    def argument(self, value: Argument, rule: int, step: int, name: str) -> ast.expr:
        """Return an argument as an expression."""
        if (rule, step, name) in self.following:
            return ast.Name(self.following[rule, step, name])
        match value:
            case bool() | int() | float():
                return ast.Constant(value)
            case Memory(field):
                return ast.Attribute(ast.Name(self.memories[rule]), field)
            case Level(resource):
                return ast.Attribute(ast.Name("body"), level_of(self.scope, resource))
            case np.floating():
                return ast.Constant(float(value))
            case Number():
                return self.numbers.field(rule, step, name, value)
            case ConditionInput():
                return ast.Name(self.told[value])
            case Derived() | Component() if states_in(value):
                return self.own.value(value)
            case FieldOf(craft, what):
                return ast.Attribute(ast.Name(self.scope.craft(craft)), what)
            case OnScreen(place, FieldOf(craft, what), half):
                middle = ast.Attribute(ast.Name(self.scope.craft(craft)), what)
                corner = ast.BinOp(middle, ast.Sub(), ast.Constant(half))
                return ast.BinOp(self.scope.inputs.value(place), ast.Add(), corner)
            case IsThere() if not self.scope.of.may_leave:
                return ast.Constant(True)
            case IsThere(craft):
                alive = ast.Attribute(ast.Name(self.scope.craft(craft)), "alive")
                return ast.Compare(alive, [ast.NotEq()], [ast.Constant(0.0)])
            case Row(values):
                return ast.Name(
                    self.scope.names.of_global("chances", self.scope.layout.row(values))
                )
        return self.scope.inputs.value(value)


def loaded_and_stored(lines: Iterable[str]) -> tuple[list[str], list[str]]:
    """Return the lines that load the fields of a craft that lines mention, and store changed ones.

    The position is always among them: it is tested against the bounds.
    """
    tree = ast.parse("\n".join(lines))
    names = [node for node in ast.walk(tree) if isinstance(node, ast.Name)]
    mentioned = {name.id for name in names} | {"x", "y"}
    changed = {name.id for name in names if isinstance(name.ctx, ast.Store)}
    return (
        [line for name, line in zip(RESIDENT, LOADED, strict=True) if name in mentioned],
        [line for name, line in zip(RESIDENT, STORED, strict=True) if name in changed],
    )


def indented(lines: Iterable[str]) -> list[str]:
    """Return lines indented one level deeper."""
    return [f"    {line}" if line else line for line in lines]
