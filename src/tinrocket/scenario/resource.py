"""What a craft holds a limited amount of: fuel, energy, stamina, heat, a charge."""

from typing import Annotated, Self

from pydantic import model_validator

from tinrocket.scenario.numbers import Model, Name, Number, Plain, PlainPositive, Quantity

MOST_RESOURCES = 6
"""How many a scenario may name: there is a cell for each in the state of every craft."""

PerTime = Annotated[Plain, Quantity("amount/s", 1)]
PositivePerTime = Annotated[PlainPositive, Quantity("amount/s", 1)]
Positive = Annotated[PlainPositive, Quantity("")]


class Resource(Model):
    """A number of a craft that fills and empties between two bounds."""

    name: Name
    """By which rules and conditions find it; craft may share it, each with its own amount."""
    most: Number = 100.0
    """Full."""
    least: Number = 0.0
    """Empty."""
    start: Number | None = None
    """What there is at the start and after a respawn; full if not given."""

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
        """What there is at the start."""
        return self.most if self.start is None else self.start


class Cost(Model):
    """What a rule takes of a resource as it acts; without enough of it the rule waits."""

    resource: Name
    """Which one."""
    rate: PositivePerTime | None = None
    """What it takes per second in which the rule acts, which it does while there is any."""
    amount: Positive | None = None
    """What it takes each time, as of a dash or a shot; it acts while there is that much."""

    @model_validator(mode="after")
    def _one_form(self) -> Self:
        if (self.rate is None) == (self.amount is None):
            raise ValueError("give either 'rate', per second, or 'amount', each time")
        return self
