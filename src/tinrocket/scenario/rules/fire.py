"""Shots of a craft, and rays along its heading."""

from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field, model_validator

from tinrocket.scenario.numbers import Length, Name, Number, Quantity, Size, Span, Speed
from tinrocket.scenario.rules.base import MotionRule, When
from tinrocket.scenario.update import Update

__all__ = ["Fire"]

HalfTurn = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=180), Quantity("deg")]
Shots = Annotated[int, Field(strict=True, ge=1, le=100)]


class Fire(MotionRule):
    """While held, or on a press: shots from a pool leave along the heading.

    With a `range` there are no shots: the nearest body along the heading is hit at once,
    if a contact with ``detection = "sight"`` names the two.
    """

    spans: ClassVar[tuple[str, ...]] = ("cooldown",)

    rule: Literal["fire"] = "fire"
    shots: Name | None = None
    """A craft with a `pool`; its next member is sent."""
    range: Size | None = None
    """Length of a ray along the heading [px], instead of shots."""
    speed: Speed = 0.0
    """Speed of the shots along the heading [px/s]."""
    cooldown: Span = 0.0
    """Time between two shots; at 0 there is one in each step."""
    carry: bool = True
    """Whether the cooldown counts from when a shot was due, not from the step that fired it."""
    inherit: Number = 0.0
    """Share of the craft's own velocity that shots begin with."""
    muzzle: tuple[Length, Length] = (0.0, 0.0)
    """Place at which they leave: along the direction of the picture, and to its left [px]."""
    spread: HalfTurn = 0.0
    """Largest random deviation of a shot, either way [degrees]."""
    count: Shots = 1
    """Number of shots at a time."""
    seed: int = Field(default=0, strict=True, ge=0)
    """Seed of the spread."""
    action: Name = "fire"
    """Action that fires."""
    when: When = "held"

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        if (self.shots is None) == (self.range is None):
            raise ValueError("give either 'shots', the name of a pool, or 'range'")
        return self

    def counted_update(self, key: str) -> Update:
        """Return the statement of a cooldown that is counted in frames; the remainder is kept."""
        return Update(
            "left -= 1; when left <= 0: fire, left = {frames}",
            "the remainder is kept, so that no shot is late",
            "left -= dt; while left <= 0: fire, left += {seconds}",
            runs=False,
        )

    @property
    def discards_remainder(self) -> bool:
        """True if nothing is carried over a cooldown."""
        return bool(self.cooldown) and not self.carry

    @property
    def sends(self) -> str | None:
        """The pool of its shots."""
        return self.shots

    @property
    def looks_ahead(self) -> bool:
        """True with a range: it sends no shots."""
        return self.range is not None

    @property
    def own_actions(self) -> tuple[str, ...]:
        """Its action."""
        return (self.action,)
