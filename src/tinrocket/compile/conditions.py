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
        self.known = {one.name: one for one in scenario.condition}
        self.in_line = {
            one.name: one
            for one in scenario.condition
            if one.delay == 0.0
            and not one.is_latch
            and (one.asks_its_craft or one.stick or one.named)
        }
        of_game = [one.name for one in scenario.condition if scenario.is_of_game(one)]
        requested = [part for name in of_game for part in self.known[name].named]
        waiting: tuple[Spawner | Tempo, ...] = (*scenario.spawner, *scenario.tempo)
        requested += [name for one in waiting for name in plain_names(*one.on, *one.unless)]
        actions = [name for name in requested if name not in self.known]
        self.of_game = {name: row for row, name in enumerate(dict.fromkeys([*actions, *of_game]))}

    @property
    def tell_of_events(self) -> bool:
        """Whether any condition depends on events."""
        return any(one.event is not None for one in self.known.values())

    def side(self, name: str) -> int:
        """Return the index of an edge, -1 for any."""
        sides = [side for axis in AXES for side in self.scenario.arena.sides(axis)]
        return -1 if name == "any" else sides.index(name)  # type: ignore[arg-type]

    def tilted(self, one: Condition) -> Derived:
        """Return the signal of a condition on a stick's tilt."""
        assert one.stick is not None
        stick = self.scenario.sticks[one.stick]
        along = Raw(stick.y) if stick.y else 0.0
        above = -math.inf if one.above is None else one.above
        below = math.inf if one.below is None else one.below
        numbers = (above, below, TILTS.index(one.tilt))
        return Derived(one.name, signals.is_tilted, (Raw(stick.x), along, *numbers))

    def member(self, name: str) -> int:
        """Return the row of a condition of the game; counted from -1 downward if it is negated."""
        row = self.of_game[plain_name(name)]
        return -1 - row if is_negated(name) else row

    def given(self, name: str) -> Derived | Raw | None:
        """Return the signal of a condition of the game that depends on an input."""
        one = self.known.get(name)
        if one is None:
            return Raw(name)
        return self.tilted(one) if one.stick else None

    def compared(self, one: Condition) -> tuple[int, float, float]:
        """Return the index of a value among those of a craft, and its bounds in kernel units."""
        above = -math.inf if one.above is None else one.above
        below = math.inf if one.below is None else one.below
        if one.measure in ("heading", "spin"):
            heading = self.context.heading
            zero = heading.zero if one.measure == "heading" else 0.0
            ends = [zero + heading.sign * math.radians(bound) for bound in (above, below)]
            above, below = min(ends), max(ends)
        return self._code(one), above, below

    def _code(self, one: Condition) -> int:
        """Return the index of a value among those of a craft, -1 if it is not one."""
        if one.resource is not None:
            return LEVELS + self.scenario.resources.index(one.resource)
        if one.measure in TO_TARGET:
            return DISTANCE if one.measure == "distance" else BEARING
        return OF_CRAFT.index(one.measure) if one.measure in OF_CRAFT else -1


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
