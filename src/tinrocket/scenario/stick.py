"""An analog stick: two analog actions, with dead zone and response."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from tinrocket.scenario.numbers import Model, Name, PositiveFactor, Quantity

Share = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=1), Quantity("")]


class Stick(Model):
    """Two analog actions as a direction, after dead zone, threshold and response."""

    x: Name
    """Analog action, positive to the right."""
    y: Name | None = None
    """Analog action, positive up the screen; none for a stick of one axis."""
    dead_zone: Share = 0.0
    """Tilt below which there is no input."""
    full_at: Share = 1.0
    """Tilt from which the input is full."""
    exponent: PositiveFactor = 1.0
    """Exponent of the response between them: above 1 finer near the middle."""
    zone: Literal["radial", "axes"] = "radial"
    """Whether the tilt is measured as a whole, or along each axis separately."""
    magnitude: Literal["kept", "full"] = "kept"
    """Whether the input is proportional to the tilt, or full beyond the threshold."""

    @model_validator(mode="after")
    def _zone_before_threshold(self) -> Self:
        if not self.dead_zone < self.full_at:
            raise ValueError(
                f"'dead_zone' of {self.dead_zone:g} must be below 'full_at', "
                f"which is {self.full_at:g}"
            )
        return self

    @property
    def actions(self) -> tuple[str, ...]:
        """Its actions, x first."""
        return (self.x, self.y) if self.y else (self.x,)
