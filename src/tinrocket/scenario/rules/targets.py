"""Rules that head for another craft, a pointer or a place."""

from collections.abc import Mapping
from typing import ClassVar, Literal, Self

from pydantic import model_validator

from tinrocket.scenario.numbers import (
    Deceleration,
    Keep,
    MaybeTarget,
    Name,
    PositiveDecay,
    PositiveSeconds,
    Rate,
    Speed,
    Target,
    TurnSpeed,
)
from tinrocket.scenario.rules.base import MotionRule, one_form

__all__ = ["Aim", "Chase", "Ease", "Follow"]


class Aim(MotionRule):
    """The heading follows a target or a stick, at a limited rate or at once."""

    steers: ClassVar[bool] = True

    rule: Literal["aim"] = "aim"
    at: MaybeTarget = None
    """A craft, a pointer or a place."""
    stick: Name | None = None
    """A stick whose direction is aimed along, instead of a target."""
    rate: TurnSpeed | None = None
    """Most degrees per second; at once if not given."""

    @model_validator(mode="after")
    def _one_aim(self) -> Self:
        if (self.at is None) == (self.stick is None):
            raise ValueError("give either 'at', a target, or 'stick'")
        return self

    @property
    def heads_for(self) -> Target | None:
        """The target, if it is not a stick."""
        return self.at

    @property
    def sticks(self) -> tuple[str, ...]:
        """The stick, if there is one."""
        return (self.stick,) if self.stick else ()


class _Targeted(MotionRule):
    target: Target
    """A craft, a pointer or a place."""

    @property
    def heads_for(self) -> Target | None:
        """The target."""
        return self.target


class Follow(_Targeted):
    """The place is the target's, on one axis or both: a bat under the pointer.

    It moves the craft by itself, and the velocity is what it moved by.
    """

    steers: ClassVar[bool] = True

    rule: Literal["follow"] = "follow"
    axis: Literal["both", "x", "y"] = "both"
    """Along which axes it follows."""
    speed: Speed | None = None
    """Top speed [px/s]; none if not given."""
    lag: PositiveSeconds | None = None
    """Seconds in which half of the distance is covered; at once if not given."""


class Ease(_Targeted):
    """The place approaches a target by a share of the remaining distance.

    As smoothed cameras do; like `follow` it moves the craft by itself.
    """

    replaces: ClassVar[Mapping[str, tuple[str, ...]]] = {
        "fraction": ("half_life", "rate"),
        "half_life": ("fraction", "fraction_at", "rate"),
        "rate": ("fraction", "fraction_at", "half_life"),
    }

    rule: Literal["ease"] = "ease"
    axis: Literal["both", "x", "y"] = "both"
    """Along which axes it follows."""
    fraction: Keep | None = None
    """Fraction of the distance covered each frame at the rate `fraction_at`."""
    fraction_at: Rate | None = None
    """Frames per second that `fraction` is counted at; the scenario's `tuned_at` if not given."""
    half_life: PositiveSeconds | None = None
    """Seconds in which half of the distance is covered."""
    rate: PositiveDecay | None = None
    """Of the approach, in 1/s."""

    @model_validator(mode="after")
    def _exactly_one_form(self) -> Self:
        one_form(self)
        if self.fraction_at is not None and self.fraction is None:
            raise ValueError(
                "'fraction_at' is the frame rate of 'fraction'; there is no 'fraction'"
            )
        return self


class Chase(_Targeted):
    """Head for a target at a fixed speed, by acceleration, or by steering.

    Without a target that is still there the craft stands still, or is no longer pushed.
    """

    pushes: ClassVar[bool] = True

    rule: Literal["chase"] = "chase"
    speed: Speed | None = None
    """px/s straight at the target, or along the heading if it is steered."""
    accel: Deceleration | None = None
    """px/s^2 toward the target, instead of a speed."""
    turn: TurnSpeed | None = None
    """Most degrees per second that the heading turns toward the target."""

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        if (self.speed is None) == (self.accel is None):
            raise ValueError("give either 'speed' or 'accel'")
        if self.turn is not None and self.speed is None:
            raise ValueError("'turn' steers a chase at a 'speed'; there is none")
        return self
