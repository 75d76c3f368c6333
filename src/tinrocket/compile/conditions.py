"""The conditions of a scenario: those evaluated within a rule, and those of the game."""

from __future__ import annotations

import math

from tinrocket.motion import signals
from tinrocket.motion.binding import Context
from tinrocket.motion.signals import Derived, Raw
from tinrocket.motion.stage.conditions import BEARING, DISTANCE, LEVELS
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.condition import OF_CRAFT, TO_TARGET, Condition
from tinrocket.scenario.names import is_negated, plain_name, plain_names
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.stage import Spawner
from tinrocket.scenario.tempo import Tempo

TILTS = ("whole", "x", "y", "either", "both")


class Conditions:
    """Meaning of the names of conditions.

    Attributes
    ----------
    in_line
        Conditions evaluated where a rule uses them: on its own craft, on inputs, or combined.
    of_game
        Rows of the conditions evaluated once per step; also of the actions that they use.
    """

    def __init__(self, scenario: Scenario, context: Context) -> None:
        self.scenario, self.context = scenario, context
        self.known = {condition.name: condition for condition in scenario.condition}
        self.in_line = {
            condition.name: condition
            for condition in scenario.condition
            if condition.delay == 0.0
            and not condition.is_latch
            and (condition.asks_its_craft or condition.stick or condition.named)
        }
        of_game = [
            condition.name for condition in scenario.condition if scenario.is_of_game(condition)
        ]
        requested = [part for name in of_game for part in self.known[name].named]
        waiting: tuple[Spawner | Tempo, ...] = (*scenario.spawner, *scenario.tempo)
        requested += [name for entry in waiting for name in plain_names(*entry.on, *entry.unless)]
        actions = [name for name in requested if name not in self.known]
        self.of_game = {name: row for row, name in enumerate(dict.fromkeys([*actions, *of_game]))}

    @property
    def tell_of_events(self) -> bool:
        """Whether any condition depends on events."""
        return any(condition.event is not None for condition in self.known.values())

    def side(self, name: str) -> int:
        """Return the index of an edge, -1 for any."""
        sides = [side for axis in AXES for side in self.scenario.arena.sides(axis)]
        return -1 if name == "any" else sides.index(name)  # type: ignore[arg-type]

    def tilted(self, condition: Condition) -> Derived:
        """Return the signal of a condition on a stick's tilt."""
        assert condition.stick is not None
        stick = self.scenario.sticks[condition.stick]
        along = Raw(stick.y) if stick.y else 0.0
        above = -math.inf if condition.above is None else condition.above
        below = math.inf if condition.below is None else condition.below
        numbers = (above, below, TILTS.index(condition.tilt))
        return Derived(condition.name, signals.is_tilted, (Raw(stick.x), along, *numbers))

    def member(self, name: str) -> int:
        """Return the row of a condition of the game; counted from -1 downward if it is negated."""
        row = self.of_game[plain_name(name)]
        return -1 - row if is_negated(name) else row

    def given(self, name: str) -> Derived | Raw | None:
        """Return the signal of a condition of the game that depends on an input."""
        condition = self.known.get(name)
        if condition is None:
            return Raw(name)
        return self.tilted(condition) if condition.stick else None

    def compared(self, condition: Condition) -> tuple[int, float, float]:
        """Return the index of a value among those of a craft, and its bounds in kernel units."""
        above = -math.inf if condition.above is None else condition.above
        below = math.inf if condition.below is None else condition.below
        if condition.measure in ("heading", "spin"):
            heading = self.context.heading
            zero = heading.zero if condition.measure == "heading" else 0.0
            ends = [zero + heading.sign * math.radians(bound) for bound in (above, below)]
            above, below = min(ends), max(ends)
        return self._code(condition), above, below

    def _code(self, condition: Condition) -> int:
        """Return the index of a value among those of a craft, -1 if it is not one."""
        if condition.resource is not None:
            return LEVELS + self.scenario.resources.index(condition.resource)
        if condition.measure in TO_TARGET:
            return DISTANCE if condition.measure == "distance" else BEARING
        return OF_CRAFT.index(condition.measure) if condition.measure in OF_CRAFT else -1


class TouchRows:
    """Bodies that conditions test for contact with a craft: a row for each craft."""

    def __init__(self) -> None:
        self.rows: list[tuple[int, str]] = []
        self._known: dict[tuple[int, str], int] = {}

    def add(self, first: int, count: int, target: str) -> int:
        """Return the first row of a number of craft, beginning with a given one."""
        wanted = [(craft, target) for craft in range(first, first + count)]
        begin = self._known.setdefault(wanted[0], len(self.rows))
        if self.rows[begin : begin + count] == wanted:
            return begin
        self.rows += wanted
        return len(self.rows) - count
