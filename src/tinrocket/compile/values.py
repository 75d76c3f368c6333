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
                    float(value.value) if isinstance(value, Number) else value,
                    -1,
                    -1,
                    name,
                )
            )
            for name, value in context.target(target).items()
        }
        where = f"{place['target_x']}, {place['target_y']}, {place['there']}"
        if measure == "distance":
            return f"{self.scope.call(distance_to)}(body, x, y, {where})", place["there"]
        sign = context.heading.sign
        return (
            f"{self.scope.call(bearing_to)}(body, x, y, heading, {where}, {sign!r})",
            place["there"],
        )

    def followed(self, following: Following, number: float) -> list[str]:
        """Return lines that compute a number that follows a value, and the variable that holds it.

        Parameters
        ----------
        following
            The following, in the scenario's units.
        number
            The number that the rule has in its place.
        """
        names, scope = self.scope.names, self.scope
        value, result = names.new(f"by_{following.by}"), names.new(following.key)
        lines = [f"{value} = {self._value(following)}"]
        if following.points is not None:
            lines += self._curve(following.points, value, result)
        else:
            lines.append(
                f"{result} = {scope.call(powered)}"
                f"({number!r}, {value}, {following.at!r}, {following.power!r})"
            )
            if following.least is not None or following.most is not None:
                ends = [
                    repr(limit) if limit is not None else repr(usual)
                    for limit, usual in ((following.least, -1e300), (following.most, 1e300))
                ]
                lines.append(f"{result} = {scope.call(bounded)}({result}, {', '.join(ends)})")
        return [*lines, result]

    def _value(self, following: Following) -> str:
        context = self.scope.conditions.context
        if following.to is not None:
            return self.to_target(following.by, following.to)[0]
        if following.resource is not None:
            return self.level(following.resource)
        if following.by == "score":
            side = self.scope.conditions.scenario.sides.index(following.of or "")
            return f"world.stage.scores[{side}]"
        if following.by == "time":
            return f"(now - world.stage.paused_for) / {context.unit!r}"
        text = self.of_craft(following.by)
        if following.by in ("heading", "spin"):
            zero = context.heading.zero if following.by == "heading" else 0.0
            return f"({text} - {zero!r}) * {math.degrees(context.heading.sign)!r}"
        return text

    def _curve(self, points: Sequence[tuple[float, float]], value: str, result: str) -> list[str]:
        call = self.scope.call(between)
        lines: list[str] = []
        for place, (low, high) in enumerate(pairwise(points)):
            line = f"{result} = {call}({value}, {low[0]!r}, {low[1]!r}, {high[0]!r}, {high[1]!r})"
            lines += [line] if place == 0 else [f"if {value} > {low[0]!r}:", f"    {line}"]
        return lines


def level_of(scope: Scope, resource: str) -> str:
    """Return the field of a craft that holds a resource."""
    return level_field(scope.conditions.scenario.resources.index(resource))
