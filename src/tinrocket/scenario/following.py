"""Numbers of a rule that follow a value of the craft or of the game."""

from collections.abc import Callable
from itertools import pairwise
from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from tinrocket.scenario.condition import PER_TIME, TO_TARGET, OfCraft, ToTarget
from tinrocket.scenario.numbers import (
    MaybeTarget,
    Model,
    Name,
    Number,
    PlainPositive,
    Quantity,
)

Followed = OfCraft | ToTarget | Literal["resource", "score", "time"]
"""Values that a number may follow."""
Positive = Annotated[PlainPositive, Quantity("")]


class Following(Model):
    """A number of a rule that follows a value at the moment at which the rule acts.

    With `points` it is interpolated linearly, and constant beyond the outermost. With `power` it is
    the rule's number times (value / `at`) ** `power`.
    """

    key: Name
    """Key of the number."""
    by: Followed
    """Value that it follows; speeds, turns and angles are in the units of the rule."""
    to: MaybeTarget = None
    """With `distance` or `bearing`: target, a craft, pointer or place."""
    resource: Name | None = None
    """With `resource`: its name."""
    of: Name | None = None
    """With `score`: side or player."""
    points: tuple[tuple[Number, Number], ...] | None = Field(default=None, max_length=64)
    """Pairs [value, number], in ascending order of values."""
    power: Number | None = None
    """Exponent: 1 is proportional, such as a drag that grows with the speed; 2 is quadratic."""
    at: Positive | None = None
    """Value at which it equals the rule's own number."""
    least: Number | None = None
    """With `power`: lower bound."""
    most: Number | None = None
    """With `power`: upper bound."""

    @model_validator(mode="after")
    def _fits(self) -> Self:
        if (self.points is None) == (self.power is None):
            raise ValueError("give either 'points' or 'power'")
        if self.points is not None:
            values = [value for value, _number in self.points]
            if len(values) < 2 or any(b <= a for a, b in pairwise(values)):
                raise ValueError("'points' are at least two pairs [value, number], values growing")
            if (self.at, self.least, self.most) != (None, None, None):
                raise ValueError("'at', 'least' and 'most' belong to 'power'")
        elif self.at is None:
            raise ValueError("'power' needs 'at', the value at which it is the rule's own number")
        if self.least is not None and self.most is not None and self.least > self.most:
            raise ValueError(f"'least' of {self.least:g} is above 'most' of {self.most:g}")
        for name, kinds in (("to", TO_TARGET), ("resource", ("resource",)), ("of", ("score",))):
            if (getattr(self, name) is not None) != (self.by in kinds):
                raise ValueError(f"'{name}' belongs to by = '{kinds[0]}', and that needs it")
        return self

    @property
    def ends(self) -> tuple[float, ...]:
        """Its numbers at points or bounds."""
        if self.points is not None:
            return tuple(number for _value, number in self.points)
        return tuple(bound for bound in (self.least, self.most) if bound is not None)

    def scaled(self, value: float, number: Callable[[float], float]) -> Self:
        """Return a copy with values times a factor, and numbers converted."""
        changes: dict[str, Any] = {}
        if self.points is not None:
            changes["points"] = tuple((v * value, number(n)) for v, n in self.points)
        if self.at is not None:
            changes["at"] = self.at * value
        for name in ("least", "most"):
            bound = getattr(self, name)
            if bound is not None:
                changes[name] = number(bound)
        return self.replaced(**changes)

    def value_scale(self, factor: float) -> float:
        """Return the factor of its values if the unit of time changes by a factor."""
        return factor if self.by in PER_TIME else 1.0
