"""Expressions of values that conditions compare and that numbers follow."""

from __future__ import annotations

import ast
import math
from collections.abc import Sequence
from itertools import pairwise
from typing import TYPE_CHECKING

from tinrocket.compile.inline import RESIDENT
from tinrocket.compile.naming import Scope
from tinrocket.language.intrinsics import sqrt
from tinrocket.motion.binding import Number
from tinrocket.motion.body import level_field
from tinrocket.motion.curves import between, bounded, powered
from tinrocket.motion.ways import bearing_to, distance_to
from tinrocket.scenario.following import Following
from tinrocket.scenario.numbers import Target

if TYPE_CHECKING:
    from tinrocket.compile.rule_lines import RuleLines


class ValueLines:
    """Writer of values of the current craft, and of the game."""

    def __init__(self, rules: RuleLines) -> None:
        self.rules, self.scope = rules, rules.scope

    def of_craft(self, measure: str) -> str:
        """Return a value of the craft in kernel units."""
        if measure == "speed":
            return f"{self.scope.call(sqrt)}(vx * vx + vy * vy)"
        return measure if measure in RESIDENT else f"body.{measure}"

    def level(self, resource: str) -> str:
        """Return the level of a resource."""
        return f"body.{level_of(self.scope, resource)}"

    def to_target(self, measure: str, target: Target) -> tuple[str, str]:
        """Return the distance or bearing to a target, and whether the target is present."""
        context = self.scope.conditions.context
        place = {
            name: ast.unparse(
                self.rules.argument(
                    float(one.value) if isinstance(one, Number) else one,
                    -1,
                    -1,
                    name,
                )
            )
            for name, one in context.target(target).items()
        }
        where = f"{place['target_x']}, {place['target_y']}, {place['there']}"
        if measure == "distance":
            return f"{self.scope.call(distance_to)}(body, x, y, {where})", place["there"]
        sign = context.heading.sign
        return (
            f"{self.scope.call(bearing_to)}(body, x, y, heading, {where}, {sign!r})",
            place["there"],
        )

    def followed(self, one: Following, number: float) -> list[str]:
        """Return lines that compute a number that follows a value, and the variable that holds it.

        Parameters
        ----------
        one
            The following, in the scenario's units.
        number
            The number that the rule has in its place.
        """
        names, scope = self.scope.names, self.scope
        value, found = names.new(f"by_{one.by}"), names.new(one.key)
        lines = [f"{value} = {self._value(one)}"]
        if one.points is not None:
            lines += self._curve(one.points, value, found)
        else:
            lines.append(
                f"{found} = {scope.call(powered)}({number!r}, {value}, {one.at!r}, {one.power!r})"
            )
            if one.least is not None or one.most is not None:
                ends = [
                    repr(limit) if limit is not None else repr(usual)
                    for limit, usual in ((one.least, -1e300), (one.most, 1e300))
                ]
                lines.append(f"{found} = {scope.call(bounded)}({found}, {', '.join(ends)})")
        return [*lines, found]

    def _value(self, one: Following) -> str:
        context = self.scope.conditions.context
        if one.to is not None:
            return self.to_target(one.by, one.to)[0]
        if one.resource is not None:
            return self.level(one.resource)
        if one.by == "score":
            side = self.scope.conditions.scenario.sides.index(one.of or "")
            return f"world.stage.scores[{side}]"
        if one.by == "time":
            return f"(now - world.stage.paused_for) / {context.unit!r}"
        text = self.of_craft(one.by)
        if one.by in ("heading", "spin"):
            zero = context.heading.zero if one.by == "heading" else 0.0
            return f"({text} - {zero!r}) * {math.degrees(context.heading.sign)!r}"
        return text

    def _curve(self, points: Sequence[tuple[float, float]], value: str, found: str) -> list[str]:
        call = self.scope.call(between)
        lines: list[str] = []
        for place, (low, high) in enumerate(pairwise(points)):
            line = f"{found} = {call}({value}, {low[0]!r}, {low[1]!r}, {high[0]!r}, {high[1]!r})"
            lines += [line] if place == 0 else [f"if {value} > {low[0]!r}:", f"    {line}"]
        return lines


def level_of(scope: Scope, resource: str) -> str:
    """Return the field of a craft that holds a resource."""
    return level_field(scope.conditions.scenario.resources.index(resource))
