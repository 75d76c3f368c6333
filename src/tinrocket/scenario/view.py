"""What the player sees of a world that is larger than the screen."""

from typing import Literal, Self

from pydantic import model_validator

from tinrocket.scenario.decay import Approach
from tinrocket.scenario.numbers import (
    Distance,
    Keep,
    Length,
    Model,
    Name,
    PositiveDecay,
    PositiveSeconds,
    Rate,
    Size,
    Speed,
    Timing,
)
from tinrocket.scenario.update import Update


class View(Approach, Model):
    """A camera that follows a craft, locked to it or eased.

    Its place is its middle.
    """

    follow: Name
    """Name of the craft."""
    width: Size
    """px."""
    height: Size
    """px."""
    axis: Literal["both", "x", "y"] = "both"
    """Along which it follows; along the other it stays in the middle of the arena."""
    fraction: Keep | None = None
    """Fraction of the distance to the craft covered each frame at the rate `fraction_at`."""
    fraction_at: Rate | None = None
    """Frames per second that `fraction` is counted at; the scenario's `tuned_at` if not given."""
    half_life: PositiveSeconds | None = None
    """Seconds in which half of the distance is covered."""
    rate: PositiveDecay | None = None
    """Decay rate of the distance [1/s].  Without any of the three the view is locked."""
    speed: Speed | None = None
    """The fastest it moves [px/s]."""
    start: tuple[Length, Length] | None = None
    """Where its middle is before the first frame [px]; at the craft if not given."""
    dead_zone: tuple[Distance, Distance] = (0.0, 0.0)
    """How far the craft may be from its middle along x and y before it follows [px]."""
    order: Literal["after", "before"] = "after"
    """Whether it moves after all craft, or before them: to where they were in the last frame."""
    follows_height: bool = False
    """Whether it follows the craft up in a hop."""
    within: Literal["arena", "nothing"] = "arena"
    """Whether it stops where the arena ends."""
    clamps: Literal["camera", "display"] = "camera"
    """The clamped part: the view itself (`camera`), or only its displayed position (`display`)."""
    pointers: Literal["world", "screen"] = "world"
    """Where pointers of the tape are: in the world, or counted from the view's corner."""
    timing: Timing | None = None
    """The scenario's if not given."""

    @model_validator(mode="after")
    def _locked_or_eased(self) -> Self:
        given = [f"'{name}'" for name in self.replaces if getattr(self, name) is not None]
        if len(given) > 1:
            raise ValueError(f"give one of {', '.join(self.replaces)}, not {' and '.join(given)}")
        self.refuse_lone_rate()
        return self

    @property
    def update(self) -> Update:
        """The share of the distance that a frame covers."""
        return Update("p += (target - p) * {share}", "target: what the view follows")

    def in_exact_timing(self, timing: Timing, tuned_at: float) -> Self:
        """Return the view in exact timing, doing the same in a frame of the tuned rate."""
        return self.replaced(timing="exact", **self.exact_fields(timing, tuned_at))

    @property
    def eased(self) -> bool:
        """Whether it is not locked."""
        return any(getattr(self, name) is not None for name in self.replaces)
