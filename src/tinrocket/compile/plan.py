"""A plan: memory layout and composed step function of a scenario."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
import wasmtime
from numpy.typing import NDArray

from tinrocket.compile.bound_craft import BoundRule, Entry
from tinrocket.compile.memory import Place
from tinrocket.compile.numbers import NumberPlace
from tinrocket.compile.user_rules import in_subset
from tinrocket.compile.wasm import key_of, modules_of
from tinrocket.language.check import Checker
from tinrocket.language.subset import SubsetError
from tinrocket.motion.body import Body, Wall
from tinrocket.motion.signals import Raw
from tinrocket.motion.stage.intervals import MAX_DUE_PER_STEP
from tinrocket.scenario.scenario import Scenario


@dataclass(slots=False, eq=False)
class Plan:
    """A scenario, ready to be flown.

    Attributes
    ----------
    scenario
        The scenario.
    source
        Source of the composed function `fly`; one iteration of its loop is one step.
    names
        Values of the names in it: kernels, numbers, and addresses of records.
    image
        All memory before the first step.
    state
        The cells of the image that hold the state; cells before them never change.
    raw
        Column of each raw value that is passed to the game in every step.
    columns
        Number of fields of each craft that are recorded.
    numbers
        Memory locations of the numbers of rules.
    world, bodies, starts, walls, contacts, scaled, batch, trace
        Places of these records.
    entries
        The craft, bound, in the order in which they move; a view is one of them.
    body_names
        Names of all bodies, by their index.
    unit
        Units of time in a second.
    user_rules
        Functions of the user's, by their names in the source.
    """

    scenario: Scenario
    source: str
    names: Mapping[str, Any]
    image: NDArray[np.float64]
    state: slice
    raw: Mapping[Raw, int]
    columns: int
    numbers: list[NumberPlace]
    world: Place
    bodies: Place
    starts: Place
    walls: Place
    contacts: Place
    scaled: Place
    batch: Place
    trace: Place
    entries: list[Entry]
    body_names: tuple[str, ...]
    unit: float
    user_rules: Mapping[str, Callable[..., Any]] = field(default_factory=dict)

    @property
    def crafts(self) -> int:
        """Number of craft, the view included."""
        return self.bodies.count

    @cached_property
    def plain_because(self) -> str | None:
        """Reason why it can only be flown in plain Python, or None if it can be compiled."""
        for function in self.user_rules.values():
            try:
                source, kinds = in_subset(function, self.memory_of(function))
                Checker().function(source, kinds)
            except (SubsetError, OSError) as error:
                return f"{function.__name__} cannot be compiled ({error})"
        return None

    def memory_of(self, function: Callable[..., Any]) -> type | None:
        """Return the memory record of a user's rule, if it has one."""
        for entry in self.entries:
            for rule in entry.rules:
                if any(step.kernel is function for step in rule.bound.steps):
                    return rule.bound.memory
        return None

    def named(self, craft: int, rule: int) -> tuple[str, str]:
        """Return the names of a craft and one of its rules; empty texts if there is none."""
        if craft < 0:
            return "", ""
        rules = self.entry_of(craft).rules
        return self.body_names[craft], rules[rule].rule.label if rule >= 0 else ""

    def bound(self, craft: str, rule: int) -> BoundRule:
        """Return a rule of a craft, by its name and in its order, as it is bound."""
        entry = next(craft_entry for craft_entry in self.entries if craft in craft_entry.names)
        return entry.alike[entry.names.index(craft)][rule]

    def entry_of(self, craft: int) -> Entry:
        """Return the entry that a craft belongs to."""
        return next(
            entry for entry in self.entries if entry.first <= craft < entry.first + entry.count
        )

    @property
    def meets(self) -> bool:
        """Whether bodies may meet."""
        return bool(self.scenario.contact)

    @property
    def most_sent(self) -> int:
        """Largest number of spawns and marches in one step."""
        scenario = self.scenario
        beats = sum(each.every is not None for each in scenario.condition)
        sent = sum(len(each.spawns) for each in scenario.spawner) + len(scenario.march) + beats
        return MAX_DUE_PER_STEP * sent + len(scenario.condition)

    @property
    def wall_kinds(self) -> NDArray[np.int32]:
        """Kind of each edge for each craft, shape (C, 4)."""
        begin = 2 * Wall.offsets["kind"]
        return self.walls.whole[begin :: 2 * Wall.size].reshape(-1, 4)

    @property
    def wall_places(self) -> NDArray[np.float64]:
        """Place of each edge for each craft [px], shape (C, 4); open edges are infinite."""
        return self.walls.cells[Wall.offsets["at"] :: Wall.size].reshape(-1, 4)

    @property
    def carriers(self) -> NDArray[np.int32]:
        """For each craft, the craft that its edges are relative to, or -1."""
        return self.bodies.whole[2 * Body.offsets["carrier"] :: 2 * Body.size]

    @cached_property
    def key(self) -> str:
        """Digest of everything that decides the modules."""
        return key_of(self)

    def modules(self) -> list[wasmtime.Module]:
        """Return the modules of the plan as machine code; each imports those before it."""
        return modules_of(self)
