"""Fill the table of the conditions of the game."""

import math
from collections.abc import Iterable, Mapping

from tinrocket.compile.conditions import Conditions, TouchRows
from tinrocket.compile.event_matches import matches_of
from tinrocket.compile.memory import Layout, Place
from tinrocket.compile.time_spans import interval, length_of
from tinrocket.motion.stage import tables as stage
from tinrocket.scenario.condition import Condition
from tinrocket.scenario.event_kinds import BY_NAME

ENDS = {
    None: stage.ENDS_NOTHING,
    "life": stage.ENDS_LIFE,
    "round": stage.ENDS_ROUND,
    "game": stage.ENDS_GAME,
}
GAME: Mapping[str, int] = {
    "count": stage.COUNT_OF,
    "lives": stage.LIVES_LEFT,
    "time": stage.PLAY_TIME,
}


class ConditionTable:
    """Builder of the table of the game's conditions."""

    def __init__(
        self, conditions: Conditions, table: Place, touching: TouchRows, layout: Layout
    ) -> None:
        self.of, self.scenario, self.table = conditions, conditions.scenario, table
        self.touching, self.layout = touching, layout
        self.members: list[int] = []
        self.touches: list[int] = []
        self.matches: list[tuple[int, int, int, int, int]] = []

    def fill(self, whole: Place) -> None:
        """Write all rows, and their address into the stage."""
        table = self.table
        for name, row in self.of.of_game.items():
            condition = self.of.known.get(name)
            table.write(row, kind=stage.INPUT, side=-1, since=math.inf)
            if condition is None:
                continue
            first = len(self.matches) if condition.event else len(self.members)
            table.write(row, **self.requested(condition), **self.effects(condition))
            past = len(self.matches) if condition.event else len(self.members)
            table.write(row, first=first, past=past)
            if condition.every is not None:
                every, counted = length_of(condition.every, self.of.context)
                table.write(row, interval=interval(every, counted, every, self.layout))
        matches = self.layout.reserve(stage.Match, len(self.matches))
        fields = ("kind", "cause", "first_craft", "past_craft", "other")
        for row, match in enumerate(self.matches):
            matches.write(row, **dict(zip(fields, match, strict=True)))
        whole.write(
            conditions=table,
            condition_count=len(self.of.of_game),
            members=self.layout.indices(self.members),
            touches=self.layout.indices(self.touches),
            matches=matches,
            unit=self.of.context.unit,
        )

    def requested(self, condition: Condition) -> dict[str, float]:
        """Return the quantity that a condition tests, and list its craft."""
        about = self.scenario.fleet.numbers(condition.of) if condition.of else []
        place, above, below = self.of.compared(condition)
        fields: dict[str, float] = {"above": above, "below": below, "quantity": place}
        if condition.named:
            first = len(self.members)
            parts = [condition.all_of, condition.any_of, condition.none_of]
            if condition.is_latch:
                parts = [condition.starts, condition.stops, condition.switches]
            self.list(self.of.member(name) for part in parts for name in part)
            past_all = first + len(parts[0])
            past_any = past_all + len(parts[1])
            kind = stage.LATCH if condition.is_latch else stage.COMBINED
            return {"kind": kind, "past_all": past_all, "past_any": past_any}
        if condition.event is not None:
            self.matches += matches_of(self.scenario, condition)
            late = BY_NAME[condition.event].late
            return {"kind": stage.HAPPENS, "late": int(late)}
        if condition.every is not None:
            return {"kind": stage.EVERY}
        if condition.stick is not None:
            return {"kind": stage.INPUT}
        if condition.measure == "score":
            return fields | {
                "kind": stage.SCORE_OF,
                "quantity": self.scenario.sides.index(condition.of or ""),
            }
        if condition.measure is not None and condition.measure in GAME:
            self.list(about)
            return fields | {"kind": GAME[condition.measure]}
        if condition.at_edge is not None:
            self.list(about)
            return {"kind": stage.AT_EDGE, "quantity": self.of.side(condition.at_edge)}
        if condition.touches is not None:
            for craft in about:
                row = self.touching.add(craft, 1, condition.touches)
                self.list([craft], row)
            return {"kind": stage.TOUCHES}
        self.list(about)
        return fields | self.target(condition) | {"kind": stage.MEASURE}

    def target(self, condition: Condition) -> dict[str, float]:
        """Return the body or place to which a distance or a bearing is measured."""
        known: dict[str, float] = {"to_craft": -1, "sign": self.of.context.heading.sign}
        if isinstance(condition.to, str):
            return known | {"to_craft": self.of.context.craft[condition.to]}
        return (
            known
            if condition.to is None
            else known | {"to_x": condition.to[0], "to_y": condition.to[1]}
        )

    def list(self, members: Iterable[int], touch: int = 0) -> None:
        """Add a craft to the list of those that conditions test."""
        for member in members:
            self.members.append(member)
            self.touches.append(touch)

    def effects(self, condition: Condition) -> dict[str, float]:
        """Return the event that a condition records as it begins."""
        lasting = condition.lasts if condition.is_latch else condition.delay
        delay, counted = length_of(lasting, self.of.context)
        return {
            "delay": delay,
            "delay_counted": counted,
            "number": self.scenario.condition.index(condition),
            "acts": int(condition.acts),
            "side": self.scenario.sides.index(condition.scores) if condition.scores else -1,
            "points": float(condition.points),
            "ends": ENDS[condition.ends],
            "restarts": int(condition.restarts),
        }
