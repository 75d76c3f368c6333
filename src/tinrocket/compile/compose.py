"""Compose the kernels of a scenario's rules, in the user's order, into one flat function.

The result is text in the subset: in effect the user's own update, which a person can read and a
debugger can step through.
"""

import ast
import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

from tinrocket.compile.bound_craft import Entry
from tinrocket.compile.edge_lines import SideLines
from tinrocket.compile.inline import FACE, RESIDENT
from tinrocket.compile.inputs import Inputs
from tinrocket.compile.memory import Layout, Place
from tinrocket.compile.naming import Scope, Structure
from tinrocket.compile.numbers import NumberPlace
from tinrocket.compile.ramp_table import ramp_lines
from tinrocket.compile.rule_lines import LOADED, STORED, RuleLines, indented, loaded_and_stored
from tinrocket.motion.body import Body
from tinrocket.motion.contacts.clearance import anything_near
from tinrocket.motion.contacts.phase import meet
from tinrocket.motion.edges import carry, unsound
from tinrocket.motion.recording import record_all
from tinrocket.motion.scaling import PLAIN, rescale, rescale_rows
from tinrocket.motion.stage.conditions import begin_watching, evaluate_conditions
from tinrocket.motion.stage.phase import conduct
from tinrocket.motion.stage.ramps import change_numbers
from tinrocket.motion.stage.restart import save_beginning
from tinrocket.motion.stage.tempo import pace_craft, pace_of
from tinrocket.motion.tracing import CONTACTS, STAGE, trace_all

NOW = "now = moments[step].now"
TOLD = ["world.now = now", "world.step = step"]
SYNCED = [*TOLD, "world.count = count"]


@dataclass(slots=True, eq=False)
class Composed:
    """A composed function, and what its text refers to.

    Attributes
    ----------
    text
        The function `fly`.
    globals
        Values of its names: kernels, numbers, and addresses of records.
    inputs
        Inputs that it reads.
    numbers
        Memory location of every number.
    user_rules
        Functions of the user's that it calls, by their names in the text.
    """

    text: str
    globals: dict[str, Any]
    inputs: Inputs
    numbers: list[NumberPlace]
    user_rules: dict[str, Callable[..., Any]]


class Composer:
    """Composes one function."""

    def __init__(self, structure: Structure, layout: Layout) -> None:
        self.of, self.scope = structure, Scope(structure, layout)
        self.sides = SideLines(self.scope)
        self.numbers: list[NumberPlace] = []
        self.keeps_to_itself = False
        self.header: list[str] = []
        self.moves: Sequence[str] = ()

    def compose(self) -> Composed:
        """Return the composed function."""
        early = self.of.entries[0].names == ("view",)  # then moving bounds follow the view at once
        blocks = []
        for entry in self.of.entries:
            blocks += [f"# {', '.join(entry.names[:3])}", *self.entry(entry), ""]
            if entry is self.of.entries[0] and early:
                blocks += self.carried()
        ended = self.ended()
        sensed = self.scope.inputs.lines()
        self.keeps_to_itself = not any("world" in line for line in (*self.moves, *sensed))
        requested = self.moves if self.of.lone else blocks
        step = [*([] if early else self.carried()), *blocks, *ended]
        if self.of.paces:
            step = self.paced(step)
        lines = [
            *self.begun(),
            "for step in range(world.steps):",
            *indented([*self.clock("\n".join((*requested, *sensed))), *sensed]),
            *indented([*step, *self.recorded()]),
            *([*STORED, "world.count = count"] if self.of.lone else []),
            f"world.failed = {self.scope.call(unsound)}(world)",
        ]
        text = "\n".join(["def fly() -> None:", *indented(lines)])
        return Composed(
            text, self.scope.names.globals, self.scope.inputs, self.numbers, self.scope.user_rules
        )

    def begun(self) -> list[str]:
        """Return the lines that look up values once for all steps."""
        lines = [
            "world.event_count = 0",
            "moments = world.moments",
            *(["inputs = world.inputs"] if self.scope.inputs.raw else []),
            "count = world.count",
            "paced = world.dt",
            "if world.steps > 0 and moments[0].dt != paced:",
            "    paced = moments[0].dt",
            f"    {self.scope.call(rescale)}(world, paced)",
            "uneven = world.uneven != 0",
        ]
        if self.of.conditions.of_game:
            lines += [*self.carried()[:1], f"{self.scope.call(begin_watching)}(world)"]
        if self.of.restarts:
            lines.append(f"{self.scope.call(save_beginning)}(world)")
        if self.of.records:
            lines += ["recording = world.record_columns > 0", "limit = world.event_limit"]
        if self.of.records and self.of.lone:
            lines += ["record = world.record", "length = world.record_length"]
        return [*lines, *self.header, *LOADED] if self.of.lone else lines

    def clock(self, text: str) -> list[str]:
        """Return the lines that begin a step, with the times that the text uses."""
        lines = [
            "if uneven:",
            "    if moments[step].dt != paced:",
            "        paced = moments[step].dt",
            f"        {self.scope.call(rescale)}(world, paced)",
        ]
        if self.of.paces:
            lines = []
        if not self.of.records and self.of.conditions.tell_of_events:
            lines.append("world.event_count = 0")
        synced = not (self.of.lone and self.keeps_to_itself)
        if synced or re.search(r"\bnow\b", text):
            lines.append(f"{NOW} - world.behind" if self.of.paces else NOW)
        if re.search(r"\bdt\b", text):
            lines.append("dt = paced")
        ramps: list[str] = []
        if self.of.ramps:
            ramps.append(f"{self.scope.call(change_numbers)}(world)")
            conditions = self.of.conditions
            ramps += ramp_lines(conditions.scenario, conditions.context, self.numbers, self.scope)
        stirs = ["left_room = False"] if self.of.meets else []
        return [*lines, *(TOLD if synced else []), *ramps, *stirs, ""]

    def carried(self) -> list[str]:
        """Return the lines that move bounds along."""
        return [f"{self.scope.call(carry)}(world)", ""] if self.of.carries else []

    def ended(self) -> list[str]:
        """Return the lines that end a step."""
        lines = []
        if self.of.meets:
            near = self.scope.call(anything_near)
            lines += [
                "if world.crossed == count + 1.0 or (",
                f"    (left_room or world.contacts.all_clear == 0) and {near}(world)",
                "):",
                f"    if not {self.scope.call(meet)}(world):",
                "        world.failed = 0",
                "        return",
                *self.told(CONTACTS),
                *self.checked(),
                *self.sides.last(),
            ]
        if self.of.stages:
            lines += self.given()
            lines += [f"{self.scope.call(conduct)}(world)", *self.told(STAGE)]
        lines.append("count += 1.0")
        if not (self.of.lone and self.keeps_to_itself):
            lines.append("world.count = count")
        return lines

    def paced(self, step: Sequence[str]) -> list[str]:
        """Return the lines of a step in a game whose time may slow down or stop."""
        arguments = "moments[step].now, moments[step].dt"
        groups = any(entry.paced for entry in self.of.entries)
        held = [f"{self.scope.call(pace_craft)}(world, paced)"] if groups else []
        return [
            *self.given(),
            f"pace = moments[step].dt * {self.scope.call(pace_of)}(world, {arguments})",
            "if pace != paced:",
            "    paced = pace",
            f"    {self.scope.call(rescale)}(world, paced)",
            "if paced > 0.0:",
            *indented(["dt = paced", *held, *step]),
            "else:",
            f"    {self.scope.call(evaluate_conditions)}(world)",
        ]

    def recorded(self) -> list[str]:
        """Return the lines that record the step, and end the call when the event buffer is full."""
        lines: list[str] = []
        recorded = [f"{self.scope.call(record_all)}(world)"]
        if self.of.lone:  # inlined here, because no local stays in a register across a call
            names = list(Body.fields)[: self.of.columns]
            shown = [name if name in RESIDENT else f"body.{name}" for name in names]
            recorded = ["row = step", f"record[row] = {shown[0]}"]
            for shown_place in shown[1:]:
                recorded += ["row += length", f"record[row] = {shown_place}"]
        if self.of.records:
            lines += ["if recording:", *indented(recorded)]
        if self.of.records:
            lines += ["if world.event_count >= limit:", "    world.steps = step + 1", "    break"]
        return lines

    def checked(self) -> list[str]:
        """Return lines that check after contacts that all numbers are finite, if required."""
        lines = [
            "world.failed_rule = -1",
            f"world.failed = {self.scope.call(unsound)}(world)",
            "if world.failed >= 0:",
            "    return",
        ]
        return lines if self.of.checks else []

    def told(self, after: int) -> list[str]:
        """Return the line that records the state of all craft, if required."""
        return [f"{self.scope.call(trace_all)}(world, {after})"] if self.of.traces else []

    def given(self) -> list[str]:
        """Return lines that update the conditions of the game that depend on inputs."""
        lines = []
        for name in self.of.conditions.of_game:
            signal = self.of.conditions.given(name)
            if signal is not None:
                value = ast.unparse(self.scope.inputs.value(signal))
                lines.append(f"{self.scope.game_condition(name)}.given = {value}")
        return lines

    # One entry

    def entry(self, entry: Entry) -> list[str]:
        """Return the lines that move the craft of an entry: one, or each in a loop."""
        rules = RuleLines(self.scope, entry)
        moves = rules.lines()
        first = self.timed
        self.numbers += rules.numbers.places
        if entry.paced:
            rescaled = f"{self.scope.call(rescale_rows)}(world, {first}, {self.timed}, dt)"
            slowed = ["dt = paced * body.pace", "world.dt = dt", rescaled]
            moves = [*slowed, *moves, "dt = paced", "world.dt = dt"]
        return self.framed(entry, rules.header, moves)

    @property
    def timed(self) -> int:
        """How many of the numbers so far depend on the length of the step."""
        return sum(number.number.scaling != PLAIN for number in self.numbers)

    def framed(
        self, entry: Entry, header: Sequence[tuple[str, Place, bool]], moves: Sequence[str]
    ) -> list[str]:
        """Return rules between lines that load a craft, bound it and store it."""
        many = entry.count > 1
        place = f"bodies[{entry.first} + k]" if many else self.scope.craft(entry.first)
        lines = [f"body = {place}"]
        for name, room, each in header:
            known = self.scope.names.of_global(f"{entry.names[0]}_{name}", room)
            lines.append(f"{name} = {known}[k]" if many and each else f"{name} = {known}")
        if self.of.lone:
            faces = any(FACE[0] in line for line in moves)
            self.header = lines + [f"{name} = body.{name}" for name in FACE if faces]
            self.moves = moves
            return self.moved_alone(entry, moves)
        loaded, stored = loaded_and_stored([*self.before(moves), *moves])
        moved = [
            *loaded,
            "body.before_x = x",
            "body.before_y = y",
            *self.before(moves),
            *moves,
            *stored,
            *self.pushed(entry),
            *self.sides.first(entry),
        ]
        if self.of.may_leave:
            moved = ["if body.alive > 0.0:", *indented(moved)]
        body = [*lines, *moved]
        return [f"for k in range({entry.count}):", *indented(body)] if many else body

    def moved_alone(self, entry: Entry, moves: Sequence[str]) -> list[str]:
        """Return rules of a craft moved by its rules and edges alone: it stays in locals."""
        moved = [
            "before_x = x",
            "before_y = y",
            *self.before(moves),
            *moves,
            *self.sides.alone(entry, [*self.pushed(entry), *STORED, NOW, *SYNCED], LOADED),
        ]
        if self.of.may_leave:
            return ["if body.alive > 0.0:", *indented(moved)]
        return moved

    @staticmethod
    def pushed(entry: Entry) -> list[str]:
        """Return lines that keep the step's acceleration, if a rule uses it."""
        return ["body.push_x = push_x", "body.push_y = push_y"] if entry.feels_push else []

    @staticmethod
    def before(moves: Iterable[str]) -> list[str]:
        """Return lines that keep the velocity at the step's start, if a rule uses it."""
        text = "\n".join(moves)
        return [f"before_{name} = {name}" for name in ("vx", "vy") if f"before_{name}" in text]
