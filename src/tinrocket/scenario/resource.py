"""Resources of a craft: fuel, energy, stamina, heat, charge."""

from typing import Annotated, Self

from pydantic import model_validator

from tinrocket.scenario.numbers import Model, Name, Number, Plain, PlainPositive, Quantity

MOST_RESOURCES = 6
"""Most resources of a scenario: every craft has a cell for each in its state."""

PerTime = Annotated[Plain, Quantity("amount/s", 1)]
PositivePerTime = Annotated[PlainPositive, Quantity("amount/s", 1)]
Positive = Annotated[PlainPositive, Quantity("")]


class Resource(Model):
    """A number of a craft that fills and empties between two bounds."""

    name: Name
    """Name for rules and conditions; craft may share it, each with its own level."""
    most: Number = 100.0
    """Upper bound: full."""
    least: Number = 0.0
    """Lower bound: empty."""
    start: Number | None = None
    """Level at the start and after a respawn (default: full)."""

    @model_validator(mode="after")
    def _has_room(self) -> Self:
        if not self.least < self.most:
            raise ValueError(f"'least' must be below 'most', not {self.least:g} and {self.most:g}")
        if self.start is not None and not self.least <= self.start <= self.most:
            raise ValueError(
                f"'start' must lie between {self.least:g} and {self.most:g}, not {self.start:g}"
            )
        return self

    @property
    def begins(self) -> float:
        """Level at the start."""
        return self.most if self.start is None else self.start


class Cost(Model):
    """Cost of a rule in a resource; without enough of it the rule waits."""

    resource: Name
    """Name of the resource."""
    rate: PositivePerTime | None = None
    """Amount per second in which the rule acts; it acts while any is left."""
    amount: Positive | None = None
    """Amount for each act, such as a dash or a shot; it acts while that much is left."""

    @model_validator(mode="after")
    def _one_form(self) -> Self:
        if (self.rate is None) == (self.amount is None):
            raise ValueError("give either 'rate', per second, or 'amount', each time")
        return self
