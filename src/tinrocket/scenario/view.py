"""What the player sees of a world that is larger than the screen."""

from collections.abc import Mapping
from typing import ClassVar, Literal, Self

from pydantic import model_validator

from tinrocket.scenario.numbers import (
    Keep,
    Model,
    Name,
    PositiveDecay,
    PositiveSeconds,
    Rate,
    Size,
    Timing,
)


class View(Model):
    """A camera that follows a craft, locked to it or eased, after all craft have moved.

    Its place is its middle, which starts at the craft.
    """

    replaces: ClassVar[Mapping[str, tuple[str, ...]]] = {
        "fraction": ("half_life", "rate"),
        "half_life": ("fraction", "fraction_at", "rate"),
        "rate": ("fraction", "fraction_at", "half_life"),
    }

    follow: Name
    """Name of the craft."""
    width: Size
    height: Size
    axis: Literal["both", "x", "y"] = "both"
    """Along which it follows; along the other it stays in the middle of the arena."""
    fraction: Keep | None = None
    """Fraction of the distance to the craft covered each frame at the rate `fraction_at`."""
    fraction_at: Rate | None = None
    half_life: PositiveSeconds | None = None
    """Seconds in which half of the distance is covered."""
    rate: PositiveDecay | None = None
    """Of the approach, in 1/s.  With none of the three the view is locked to the craft."""
    within: Literal["arena", "nothing"] = "arena"
    """Whether it stops where the arena ends."""
    timing: Timing | None = None
    """The scenario's if not given."""

    @model_validator(mode="after")
    def _locked_or_eased(self) -> Self:
        given = [f"'{name}'" for name in self.replaces if getattr(self, name) is not None]
        if len(given) > 1:
            raise ValueError(f"give one of {', '.join(self.replaces)}, not {' and '.join(given)}")
        if self.fraction_at is not None and self.fraction is None:
            raise ValueError(
                "'fraction_at' is the frame rate of 'fraction'; there is no 'fraction'"
            )
        return self

    @property
    def eased(self) -> bool:
        """Whether it is not locked."""
        return any(getattr(self, name) is not None for name in self.replaces)
