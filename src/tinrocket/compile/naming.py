"""What all lines of one composed function share: its purpose, and its names."""

import builtins
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from tinrocket.compile import batch
from tinrocket.compile.bound_craft import Entry
from tinrocket.compile.conditions import Conditions, TouchRows
from tinrocket.compile.inline import CLOCK, FACE, RESIDENT, Names
from tinrocket.compile.inputs import Inputs
from tinrocket.compile.memory import Layout, Place
from tinrocket.scenario.contact import Contact

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
    *(
        "row",
        "taken",
        "before_x",
        "before_y",
        "before_vx",
        "before_vy",
        "push_x",
        "push_y",
        "bend_x",
        "bend_y",
        "barred",
        "left_room",
        "fly",
        "fly_batch",
    ),
    *vars(builtins),
    *batch.NAMES,
)


@dataclass(slots=True, eq=False)
class Structure:
    """Properties of the scenario that a composed function depends on.

    Attributes
    ----------
    entries
        The bound craft; a view comes last.
    names
        Names of all craft, the view included.
    bodies, world
        Places of their records.
    carries, meets, stages
        Whether bounds move, bodies may meet, and the stage acts.
    may_leave
        Whether anything removes craft, or stops them for good.
    columns
        Number of fields of a craft that are recorded.
    records
        Whether states and events are kept, as of a single flight.
    conditions, condition_table, touching
        Conditions that gate rules and the stage.
    gated
        Gated contacts.
    restarts
        Whether the game may restart.
    ramps
        Whether any number of a rule changes.
    paces
        Whether the game's time may slow down or stop.
    checks
        Whether to check after each rule that all numbers are finite.
    traces
        Whether to record the craft's state after each rule.
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
    conditions: Conditions
    condition_table: Place
    touching: TouchRows
    gated: Sequence[Contact]
    restarts: bool
    ramps: bool
    paces: bool
    checks: bool = False
    traces: bool = False

    @property
    def lone(self) -> bool:
        """Whether there is one craft, moved by its rules and edges alone."""
        busy = self.meets or self.stages or self.checks or self.ramps or self.traces
        return len(self.entries) == 1 and self.entries[0].count == 1 and not busy


class Scope:
    """The names of one function and their values.

    Attributes
    ----------
    of
        Properties of the scenario.
    layout
        Where it reserves memory.
    names, inputs
        Its variables and globals, and the inputs that it reads.
    user_rules
        Functions of the user's that it calls, by their names in the text.
    """

    def __init__(self, structure: Structure, layout: Layout) -> None:
        self.of, self.layout = structure, layout
        self.names = Names(RESERVED)
        self.inputs = Inputs(self.names)
        self.user_rules: dict[str, Callable[..., Any]] = {}
        self.names.globals["world"] = structure.world
        self.names.globals["bodies"] = structure.bodies
        self._crafts: dict[int, str] = {}
        self._conditions: dict[str, str] = {}

    def call(self, kernel: Callable[..., Any]) -> str:
        """Return the name under which a kernel is called."""
        return self.names.of_global(kernel.__name__, kernel)

    def craft(self, index: int) -> str:
        """Return the name of a craft's record."""
        if index not in self._crafts:
            self._crafts[index] = self.names.new(self.of.names[index])
            self.names.globals[self._crafts[index]] = (self.of.bodies, index)
        return self._crafts[index]

    @property
    def conditions(self) -> Conditions:
        """Values of the names of conditions."""
        return self.of.conditions

    def game_condition(self, name: str) -> str:
        """Return the name of the record of a condition of the game."""
        if name not in self._conditions:
            self._conditions[name] = self.names.new(name)
            row = self.conditions.of_game[name]
            self.names.globals[self._conditions[name]] = (self.of.condition_table, row)
        return self._conditions[name]

    def touch_rows(self, first: int, count: int, target: str) -> int:
        """Return the first row of the bodies that so many craft may touch."""
        return self.of.touching.add(first, count, target)
