"""Rules that move nothing: what a craft holds, and modes that others wait for."""

from typing import Annotated, ClassVar, Literal, Self

from pydantic import model_validator

from tinrocket.scenario.numbers import Name, Number, Plain, Quantity, Span
from tinrocket.scenario.rules.base import Key, MotionRule, When
from tinrocket.scenario.update import Update

__all__ = ["Gain", "Latch"]

PerTime = Annotated[Plain, Quantity("amount/s", 1)]


class Gain(MotionRule):
    """Fills a resource of the craft, or empties it, by a rate or by an amount."""

    rule: Literal["gain"] = "gain"
    resource: Name
    """Which one."""
    rate: PerTime | None = None
    """Per second in which it acts; negative to empty it."""
    amount: Number | None = None
    """In each step in which it acts, as on an event; negative to take it away."""
    action: Key = ""
    """What it waits for; it acts always if not given, or while `on` says so."""

    @model_validator(mode="after")
    def _gains(self) -> Self:
        if self.rate is None and self.amount is None:
            raise ValueError("give 'rate', per second, or 'amount', in each step in which it acts")
        return self

    @property
    def own_actions(self) -> tuple[str, ...]:
        """Its one action, if it has one."""
        return (self.action,) if self.action else ()

    @property
    def fills(self) -> str:
        """Its resource."""
        return self.resource

    @property
    def update(self) -> Update | None:
        """What a frame adds, unless it counts acts."""
        if self.rate is None:
            return None
        return Update("held += {rate}", "held: what there is, kept within its bounds")

    @property
    def has_closed_form(self) -> bool:
        """It takes no part in it."""
        return True


class Latch(MotionRule):
    """A mode that stays: on after one press or event, off after another; others wait for it."""

    times: ClassVar[bool] = True
    spans: ClassVar[tuple[str, ...]] = ("lasts",)

    rule: Literal["latch"] = "latch"
    starts: Key = ""
    """The action or condition that turns it on."""
    stops: Key = ""
    """The one that turns it off; where both begin in one step it is off."""
    switches: Key = ""
    """The one that turns it on if it is off, and off if it is on."""
    lasts: Span = 0.0
    """How long it is on at least; what would turn it off before that waits."""
    begins_on: bool = False
    """Whether it is on at the start."""
    when: When = "pressed"

    @model_validator(mode="after")
    def _turns(self) -> Self:
        if self.name is None:
            raise ValueError("a latch needs a 'name', by which other rules wait for it")
        if not self.own_actions:
            raise ValueError("a latch needs 'starts', 'stops' or 'switches'")
        return self

    @property
    def own_actions(self) -> tuple[str, ...]:
        """What turns it on, off, or over."""
        return tuple(key for key in (self.starts, self.stops, self.switches) if key)

    @property
    def memorises_acts(self) -> bool:
        """It acts as long as it is on."""
        return False

    @property
    def has_closed_form(self) -> bool:
        """It takes no part in it."""
        return True
