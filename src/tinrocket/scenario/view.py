"""The view: a camera over a world that is larger than the screen."""

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
    """A camera that follows a craft, locked to it or eased. Its place is that of its middle."""

    follow: Name
    """Name of the craft."""
    width: Size
    """Width [px]."""
    height: Size
    """Height [px]."""
    axis: Literal["both", "x", "y"] = "both"
    """Axes along which it follows; along the other it stays in the middle of the arena."""
    fraction: Keep | None = None
    """Share of the distance to the craft covered each frame at the rate `fraction_at`."""
    fraction_at: Rate | None = None
    """Frame rate of `fraction` [1/s] (default: the scenario's `tuned_at`)."""
    half_life: PositiveSeconds | None = None
    """Time in which half of the distance is covered."""
    rate: PositiveDecay | None = None
    """Decay rate of the distance [1/s].  Without any of the three the view is locked."""
    speed: Speed | None = None
    """Top speed [px/s]."""
    start: tuple[Length, Length] | None = None
    """Place of its middle before the first frame (default: at the craft) [px]."""
    dead_zone: tuple[Distance, Distance] = (0.0, 0.0)
    """Distance of the craft from its middle along x and y at which it follows [px]."""
    order: Literal["after", "before"] = "after"
    """Whether it moves after all craft, or before them, to their places in the last frame."""
    follows_height: bool = False
    """Whether it follows the craft up in a hop."""
    within: Literal["arena", "nothing"] = "arena"
    """Whether it stops at the edges of the arena."""
    across_edges: bool = False
    """Whether it follows across wrapping edges, the shorter way, and wraps with them."""
    clamps: Literal["camera", "display"] = "camera"
    """The clamped part: the view itself (`camera`), or only its displayed position (`display`)."""
    pointers: Literal["world", "screen"] = "world"
    """Coordinates of pointers on the tape: of the world, or relative to the view's corner."""
    pointer_view: Literal["latest", "last_frame"] = "latest"
    """View that pointers on the screen are placed by: the latest, which with `order = "before"` is
    that of this frame, or that of the last frame.
    """
    timing: Timing | None = None
    """Timing of its motion (default: the scenario's)."""

    @model_validator(mode="after")
    def _locked_or_eased(self) -> Self:
        keys = [f"'{name}'" for name in self.replaces if getattr(self, name) is not None]
        if len(keys) > 1:
            raise ValueError(f"give one of {', '.join(self.replaces)}, not {' and '.join(keys)}")
        self.refuse_lone_rate()
        if self.across_edges and (self.within == "arena" or self.clamps == "display"):
            raise ValueError(
                "'across_edges' lets the view leave the arena; it needs within = 'nothing' and "
                "clamps = 'camera'"
            )
        return self

    @property
    def update(self) -> Update:
        """Statement of the share of the distance that a frame covers."""
        return Update("p += (target - p) * {share}", "target: what the view follows")

    def in_exact_timing(self, timing: Timing, tuned_at: float) -> Self:
        """Return the view in exact timing, with the same effect in a tuned frame."""
        return self.replaced(timing="exact", **self.exact_fields(timing, tuned_at))

    @property
    def eased(self) -> bool:
        """Whether it is eased, not locked."""
        return any(getattr(self, name) is not None for name in self.replaces)
