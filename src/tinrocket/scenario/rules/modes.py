"""Rules that move nothing: resources, and modes for other rules."""

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
    """Name of the resource."""
    rate: PerTime | None = None
    """Rate while it acts; negative to empty it [1/s]."""
    amount: Number | None = None
    """Amount in each step in which it acts, for example on an event; negative to subtract."""
    action: Key = ""
    """Action that it waits for (default: it always acts, or while `on` is on)."""

    @model_validator(mode="after")
    def _gains(self) -> Self:
        if self.rate is None and self.amount is None:
            raise ValueError("give 'rate', per second, or 'amount', in each step in which it acts")
        return self

    @property
    def own_actions(self) -> tuple[str, ...]:
        """Its action, if any."""
        return (self.action,) if self.action else ()

    @property
    def fills(self) -> str:
        """Its resource."""
        return self.resource

    @property
    def update(self) -> Update | None:
        """Statement of its rate; None for amounts."""
        if self.rate is None:
            return None
        return Update("held += {rate}", "held: what there is, kept within its bounds")

    @property
    def has_closed_form(self) -> bool:
        """True: it does not move the craft."""
        return True


class Latch(MotionRule):
    """A mode that stays: on after one press or event, off after another."""

    times: ClassVar[bool] = True
    spans: ClassVar[tuple[str, ...]] = ("lasts",)

    rule: Literal["latch"] = "latch"
    starts: Key = ""
    """The action or condition that turns it on."""
    stops: Key = ""
    """Action or condition that turns it off; off wins within a step."""
    switches: Key = ""
    """Action or condition that toggles it."""
    lasts: Span = 0.0
    """Shortest time that it stays on; an earlier stop waits."""
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
        """Names that turn it on, turn it off, or toggle it."""
        return tuple(key for key in (self.starts, self.stops, self.switches) if key)

    @property
    def memorises_acts(self) -> bool:
        """True: it acts while it is on."""
        return False

    @property
    def has_closed_form(self) -> bool:
        """True: it does not move the craft."""
        return True
