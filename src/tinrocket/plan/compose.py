"""Composing: the kernels of a scenario's rules, in the user's order, as one flat function.

What comes of it is text in the subset: in effect the user's own update, which a person can read,
and a debugger can step through.
"""

import ast
import builtins
import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from tinrocket.kernel.maths import is_finite
from tinrocket.kernel.records import Record
from tinrocket.kernel.subset import KERNELS
from tinrocket.motion.binding import (
    Argument,
    Chances,
    FieldOf,
    IsThere,
    Number,
    Step,
)
from tinrocket.motion.body import Body
from tinrocket.motion.contacts.clearance import anything_near, still_quiet
from tinrocket.motion.contacts.phase import meet
from tinrocket.motion.edges import carry, settle, unsound
from tinrocket.motion.recording import record_all
from tinrocket.motion.rules.closed_form import Gathered
from tinrocket.motion.scaling import PLAIN, rescale
from tinrocket.motion.stage.phase import conduct
from tinrocket.plan.entries import BoundRule, Entry, Wait
from tinrocket.plan.inline import CLOCK, FACE, RESIDENT, Inliner, Names
from tinrocket.plan.inputs import Inputs
from tinrocket.plan.memory import Layout, Place

RESERVED = (
    *(
        *RESIDENT,
        *FACE,
        *CLOCK,
        "world",
        "body",
        "bodies",
        "batch",
        "before",
        "step",
        "moment",
        "k",
    ),
    *("record", "length", "moments", "paced", "uneven", "recording", "limit", "inputs"),
    *("row", "taken", "before_x", "before_y", "before_vx", "before_vy", "fly", "fly_batch"),
    *vars(builtins),
)
LOADED = [f"{name} = body.{name}" for name in RESIDENT]
STORED = [f"body.{name} = {name}" for name in RESIDENT]
NOW = "now = moments[step].now"
SYNCED = ["world.now = now", "world.count = count", "world.step = step"]
# what is not a number is not inside either; sides that are open lie at infinity
INSIDE = "body.low_x <= x and x < body.high_x and body.low_y <= y and y < body.high_y"
OUTSIDE = [f"if not ({INSIDE}):"]


@dataclass(slots=True, eq=False)
class NumberPlace:
    """Where a number of a rule lies.

    Attributes
    ----------
    craft, rule, step, name
        Which it is: craft of the file, rule in its order, step of the rule, parameter.
    place, index, field
        The record that it is read from.
    scaled
        Its row among the numbers that depend on the length of the step, or -1.
    """

    craft: str
    rule: int
    step: int
    name: str
    place: Place
    index: int
    field: str
    number: Number
    scaled: int = -1


@dataclass(slots=True, eq=False)
class Composed:
    """What has come of composing.

    Attributes
    ----------
    text
        The function `fly`.
    globals
        What its names stand for: kernels, numbers, and places of records.
    inputs
        What it listens to.
    numbers
        Where every number lies.
    user_rules
        Functions of the user's that it calls, by their names in the text.
    """

    text: str
    globals: dict[str, Any]
    inputs: Inputs
    numbers: list[NumberPlace]
    user_rules: dict[str, Callable[..., Any]]


@dataclass(slots=True, eq=False)
class Structure:
    """What a composed function is made for.

    Attributes
    ----------
    entries
        The craft; a view is the last of them.
    names
        Of all craft, the view included.
    bodies, world
        Where their records lie.
    carries, meets, stages
        Whether bounds move, bodies may meet, and the stage has something to do.
    may_leave
        Whether an edge takes craft away.
    columns
        How many fields of a craft are recorded, if it is.
    records
        Whether states and events are kept, as of a single flight.
    checks
        Whether to look after each rule if the numbers are still finite.
    """

    entries: Sequence[Entry]
    names: Sequence[str]
    bodies: Place
    world: Place
    carries: bool
    meets: bool
    stages: bool
    may_leave: bool
    columns: int
    records: bool
    checks: bool = False


class Composer:
    """Composes one function."""

    def __init__(self, structure: Structure, layout: Layout) -> None:
        self.of, self.layout = structure, layout
        self.names = Names(RESERVED)
        self.inputs = Inputs(self.names)
        self.numbers: list[NumberPlace] = []
        self.user_rules: dict[str, Callable[..., Any]] = {}
        self.names.globals["world"] = structure.world
        self.names.globals["bodies"] = structure.bodies
        self._crafts: dict[int, str] = {}
        one = structure.entries[0]
        alone = len(structure.entries) == 1 and one.count == 1
        self.lone = alone and not (structure.meets or structure.stages or structure.checks)
        self.keeps_to_itself = False
        self.header: list[str] = []
        self.moves: Sequence[str] = ()

    def compose(self) -> Composed:
        """Return the whole of it."""
        blocks = []
        for entry in self.of.entries:
            blocks += [f"# {', '.join(entry.names[:3])}", *self.entry(entry), ""]
        sensed = self.inputs.lines()
        self.keeps_to_itself = not any("world" in line for line in (*self.moves, *sensed))
        asked = self.moves if self.lone else blocks
        lines = [
            *self.begun(),
            "for step in range(world.steps):",
            *indented([*self.clock("\n".join((*asked, *sensed))), *sensed]),
            *indented([*self.carried(), *blocks, *self.ended()]),
            *([*STORED, "world.count = count"] if self.lone else []),
            f"world.failed = {self.call(unsound)}(world)",
        ]
        text = "\n".join(["def fly() -> None:", *indented(lines)])
        return Composed(text, self.names.globals, self.inputs, self.numbers, self.user_rules)

    def call(self, kernel: Callable[..., Any]) -> str:
        """Return the name under which a kernel is called."""
        return self.names.of_global(kernel.__name__, kernel)

    def begun(self) -> list[str]:
        """Return what is looked up once for all steps."""
        lines = [
            "world.event_count = 0",
            "moments = world.moments",
            *(["inputs = world.inputs"] if self.inputs.raw else []),
            "count = world.count",
            "paced = world.dt",
            "if world.steps > 0 and moments[0].dt != paced:",
            "    paced = moments[0].dt",
            f"    {self.call(rescale)}(world, paced)",
            "uneven = world.uneven != 0",
        ]
        if self.of.records:
            lines += ["recording = world.record_columns > 0", "limit = world.event_limit"]
        if self.of.records and self.lone:
            lines += ["record = world.record", "length = world.record_length"]
        return [*lines, *self.header, *LOADED] if self.lone else lines

    def clock(self, text: str) -> list[str]:
        """Return how a step begins, and of its moment what the text asks for."""
        lines = [
            "if uneven:",
            "    if moments[step].dt != paced:",
            "        paced = moments[step].dt",
            f"        {self.call(rescale)}(world, paced)",
        ]
        synced = not (self.lone and self.keeps_to_itself)
        if synced or re.search(r"\bnow\b", text):
            lines.append(NOW)
        if re.search(r"\bdt\b", text):
            lines.append("dt = paced")
        return [*lines, *(SYNCED if synced else []), ""]

    def carried(self) -> list[str]:
        """Return how bounds are moved along."""
        return [f"{self.call(carry)}(world)", ""] if self.of.carries else []

    def ended(self) -> list[str]:
        """Return how a step ends."""
        lines = []
        if self.of.meets:
            quiet, near = self.call(still_quiet), self.call(anything_near)
            lines += [
                f"if not {quiet}(world) and {near}(world):",
                f"    {self.call(meet)}(world)",
            ]
        if self.of.stages:
            lines.append(f"{self.call(conduct)}(world)")
        recorded = [f"{self.call(record_all)}(world)"]
        if self.lone:  # written where it is, because around a call nothing stays in a register
            names = list(Body.fields)[: self.of.columns]
            shown = [name if name in RESIDENT else f"body.{name}" for name in names]
            recorded = ["row = step", f"record[row] = {shown[0]}"]
            for one in shown[1:]:
                recorded += ["row += length", f"record[row] = {one}"]
        if self.of.records:
            lines += ["if recording:", *indented(recorded)]
        lines.append("count += 1.0")
        if not (self.lone and self.keeps_to_itself):
            lines.append("world.count = count")
        if self.of.records:
            lines += ["if world.event_count >= limit:", "    world.steps = step + 1", "    break"]
        return lines

    # One entry

    def entry(self, entry: Entry) -> list[str]:
        """Return the lines that move the craft of an entry: one, or each in a loop."""
        header: list[tuple[str, Place, bool]] = []
        memories: dict[int, str] = {}
        for index, one in enumerate(entry.rules):
            if one.bound.memory is not None:
                name = self.names.new(one.rule.label)
                place = self.layout.reserve(one.bound.memory, entry.count, state=True)
                for row in range(entry.count):
                    place.write(row, **one.bound.begins)
                header.append((name, place, True))
                memories[index] = name
        gathered = ""
        if entry.closed:
            gathered = self.names.new("gathered")
            header.append((gathered, self.layout.reserve(Gathered, entry.count, state=True), True))
        own = _Numbers(self, entry)
        moves = []
        for index, one in enumerate(entry.rules):
            moves += self.rule(index, one, own, memories, gathered)
        if own.fields:
            header.append((own.variable, own.place(), len(entry.alike) > 1))
        return self.framed(entry, header, moves)

    def framed(
        self, entry: Entry, header: Sequence[tuple[str, Place, bool]], moves: Sequence[str]
    ) -> list[str]:
        """Return rules between lines that load a craft, bound it and store it."""
        many = entry.count > 1
        place = f"bodies[{entry.first} + k]" if many else self.craft(entry.first)
        lines = [f"body = {place}"]
        for name, room, each in header:
            known = self.names.of_global(f"{entry.names[0]}_{name}", room)
            lines.append(f"{name} = {known}[k]" if many and each else f"{name} = {known}")
        if self.lone:
            faces = any(FACE[0] in line for line in moves)
            self.header = lines + [f"{name} = body.{name}" for name in FACE if faces]
            self.moves = moves
            return self.moved_alone(entry, moves)
        moved = [
            *LOADED,
            "body.before_x = x",
            "body.before_y = y",
            *self.before(moves),
            *moves,
            *STORED,
            *OUTSIDE,
            *indented(self.settled()),
        ]
        body = [*lines, "if body.alive > 0.0:", *indented(moved)]
        return [f"for k in range({entry.count}):", *indented(body)] if many else body

    def moved_alone(self, entry: Entry, moves: Sequence[str]) -> list[str]:
        """Return rules of a craft that nothing else moves: it stays in variables all along."""
        moved = [
            "before_x = x",
            "before_y = y",
            *self.before(moves),
            *moves,
            *OUTSIDE,
            *indented(["body.before_x = before_x", "body.before_y = before_y", *STORED]),
            *indented([NOW, *SYNCED]),
            *indented([*self.settled(), *LOADED]),
        ]
        if self.of.may_leave:
            return ["if body.alive > 0.0:", *indented(moved)]
        return moved

    def settled(self) -> list[str]:
        """Return what is done with a craft that left its bounds, or whose numbers blew up."""
        return [
            f"if not {self.call(settle)}(world, body):",
            "    world.failed = body.index",
            "    return",
        ]

    @staticmethod
    def before(moves: Iterable[str]) -> list[str]:
        """Return lines that keep the velocity of the step's beginning, if a rule asks for it."""
        text = "\n".join(moves)
        return [f"before_{one} = {one}" for one in ("vx", "vy") if f"before_{one}" in text]

    def rule(
        self,
        index: int,
        one: BoundRule,
        own: "_Numbers",
        memories: dict[int, str],
        gathered: str,
    ) -> list[str]:
        """Return the lines of one rule."""
        given = {"world": ast.Name("world"), "body": ast.Name("body"), "rule": ast.Constant(index)}
        given |= {f"before_{name}": ast.Name(f"before_{name}") for name in ("vx", "vy")}
        if index in memories:
            given["memory"] = ast.Name(memories[index])
        if gathered:
            given["gathered"] = ast.Name(gathered)
        lines = [f"# {one.rule.label}"]
        if self.of.checks:
            lines += ["world.failed = body.index", f"world.failed_rule = {index}"]
        for step in one.bound.listens:
            lines += self.step(step, -1, index, own, given)
        acts = []
        for number, step in enumerate(one.bound.steps):
            acts += self.step(step, number, index, own, given)
        tests = [self.gate(gate, own.entry, memories) for gate in one.gates]
        if tests:
            acts = [f"if {' and '.join(tests)}:", *indented(acts or ["pass"])]
        lines += acts
        if self.of.checks:
            whole = " + ".join((*RESIDENT, "body.spin"))
            lines += [
                f"if not {self.call(is_finite)}({whole}):",
                "    return",
                "world.failed = -1",
            ]
        return lines

    def gate(self, gate: Any, entry: Entry, memories: dict[int, str]) -> str:
        """Return the condition under which a gate lets a rule act."""
        if not isinstance(gate, Wait):
            return f"{ast.unparse(self.inputs.value(gate))} != 0.0"
        lasts = entry.rules[gate.rule].bound.lasts
        assert lasts is not None
        name, counted = lasts
        runs = f"{memories[gate.rule]}.{name} > {'count' if counted else 'now'}"
        return runs if gate.runs else f"not {runs}"

    def step(
        self, step: Step, number: int, index: int, own: "_Numbers", given: dict[str, ast.expr]
    ) -> list[str]:
        """Return the lines of one kernel with what it takes."""
        arguments = {
            name: self.argument(one, own, index, number, name)
            for name, one in step.arguments.items()
        }
        if step.kernel not in KERNELS:
            return self.user_rule(step, arguments, given)
        resident = (*RESIDENT, *FACE) if self.lone else RESIDENT
        done = Inliner(self.names, resident).statements(step.kernel, given | arguments)
        return [line for one in done for line in ast.unparse(one).splitlines()]

    def user_rule(
        self, step: Step, arguments: dict[str, ast.expr], given: dict[str, ast.expr]
    ) -> list[str]:
        """Return a call of a user's rule: the craft is stored for it, and loaded again."""
        name = self.names.of_global(step.kernel.__name__, step.kernel)
        self.user_rules[name] = step.kernel
        own = [given["memory"]] if "memory" in given else []
        shown = ["body", *(ast.unparse(one) for one in (*own, *arguments.values()))]
        return [
            *STORED,
            "body.time = now",
            f"{name}({', '.join(shown)})",
            *LOADED,
        ]

    def argument(self, one: Argument, own: "_Numbers", rule: int, step: int, name: str) -> ast.expr:
        """Return an argument as the expression that stands for it."""
        match one:
            case bool() | int() | float():
                return ast.Constant(one)
            case np.floating():
                return ast.Constant(float(one))
            case Number():
                return own.field(rule, step, name, one)
            case FieldOf(craft, what):
                return ast.Attribute(ast.Name(self.craft(craft)), what)
            case IsThere(craft):
                alive = ast.Attribute(ast.Name(self.craft(craft)), "alive")
                return ast.Compare(alive, [ast.NotEq()], [ast.Constant(0.0)])
            case Chances(values):
                return ast.Name(self.names.of_global("chances", self.layout.row(values)))
        return self.inputs.value(one)

    def craft(self, index: int) -> str:
        """Return the name of a craft's record."""
        if index not in self._crafts:
            self._crafts[index] = self.names.new(self.of.names[index])
            self.names.globals[self._crafts[index]] = (self.of.bodies, index)
        return self._crafts[index]


class _Numbers:
    """The numbers of one entry's rules, in a record of their own."""

    def __init__(self, composer: Composer, entry: Entry) -> None:
        self.composer, self.entry = composer, entry
        self.variable = composer.names.new("numbers")
        self.fields: dict[str, type] = {}
        self.found: list[tuple[int, int, str, str]] = []
        self._known: dict[tuple[int, int], str] = {}

    def field(self, rule: int, step: int, name: str, number: Number) -> ast.expr:
        """Return a number as a field of the record."""
        key = (rule, id(number))
        if key not in self._known:
            wanted = f"{self.entry.rules[rule].rule.label}_{name}"
            unique = Names(self.fields).new(wanted)
            self.fields[unique] = float
            self._known[key] = unique
            self.found.append((rule, step, name, unique))
        return ast.Attribute(ast.Name(self.variable), self._known[key])

    def place(self) -> Place:
        """Reserve the records, now that all their fields are known: one for each craft."""
        entry = self.entry
        kind = _number_record(self.fields)
        place = self.composer.layout.reserve(kind, len(entry.alike), state=True)
        for index, (craft, rules) in enumerate(zip(entry.names, entry.alike, strict=True)):
            for rule, step, name, unique in self.found:
                number = rules[rule].bound.steps[step].arguments[name]
                assert isinstance(number, Number)
                one = NumberPlace(craft, rule, step, name, place, index, unique, number)
                self.composer.numbers.append(one)
                if number.scaling == PLAIN:
                    place.write(index, **{unique: float(number.value)})
        return place


def _number_record(fields: dict[str, type]) -> type[Record]:
    return type("Numbers", (Record,), {"__annotations__": dict(fields), "__slots__": ()})


def indented(lines: Iterable[str]) -> list[str]:
    """Return lines one level deeper."""
    return [f"    {line}" if line else line for line in lines]
