"""Rules that head for another craft, a pointer or a place."""

import math
from typing import Any, ClassVar, Literal, Self

from pydantic import model_validator

from tinrocket.scenario.decay import Approach
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
    Timing,
    TurnSpeed,
)
from tinrocket.scenario.rules.base import MotionRule, one_form
from tinrocket.scenario.update import Update

__all__ = ["Aim", "Chase", "Ease", "Follow"]


STEERED = "h += max(-({rate}), min({rate}, toward - h))"
TOWARD = "toward: the direction of the target, within half a turn of h, in degrees"
TARGET = "target: where it heads for"


class Aim(MotionRule):
    """The heading follows a target or a stick, at a limited rate or at once."""

    steers: ClassVar[bool] = True

    rule: Literal["aim"] = "aim"
    at: MaybeTarget = None
    """A craft, a pointer or a place."""
    stick: Name | None = None
    """A stick that gives the direction, instead of a target."""
    rate: TurnSpeed | None = None
    """Most degrees per second; at once if not given."""

    @model_validator(mode="after")
    def _one_aim(self) -> Self:
        if (self.at is None) == (self.stick is None):
            raise ValueError("give either 'at', a target, or 'stick'")
        return self

    @property
    def update(self) -> Update | None:
        """The turn of a frame toward the target."""
        return None if self.rate is None else Update(STEERED.format(rate="{rate}"), TOWARD)

    @property
    def turns(self) -> bool:
        """It always does."""
        return True

    @property
    def sets_heading(self) -> bool:
        """It does without a limit of the rate."""
        return self.rate is None

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
    places: ClassVar[bool] = True

    rule: Literal["follow"] = "follow"
    axis: Literal["both", "x", "y"] = "both"
    """Along which axes it follows."""
    speed: Speed | None = None
    """Top speed [px/s]; none if not given."""
    lag: PositiveSeconds | None = None
    """Seconds in which half of the distance is covered; at once if not given."""

    @property
    def update(self) -> Update | None:
        """The way of a frame: a share of the distance, or at most what the speed allows."""
        if self.lag is not None:
            return Update("p += (target - p) * {share}", TARGET)
        if self.speed is not None:
            return Update("p += max(-({speed}), min({speed}, target - p))", TARGET)
        return None

    def decay_rate(self, _tuned_at: float) -> float:
        """Return the rate at which the distance decays [1/s]."""
        return math.log(2.0) / self.lag if self.lag else 0.0

    def exact_fields(self, timing: Timing, tuned_at: float) -> dict[str, Any]:
        """Return the lag that leaves the same distance after a tuned frame."""
        kept = 1.0 - self.decay_rate(tuned_at) / tuned_at
        if timing != "dt" or not 0.0 < kept < 1.0:
            return {}
        return {"lag": math.log(2.0) / (-math.log(kept) * tuned_at)}


class Ease(Approach, _Targeted):
    """The place approaches a target by a share of the remaining distance.

    As smoothed cameras do; like `follow` it moves the craft by itself.
    """

    places: ClassVar[bool] = True

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
    """Decay rate of the distance [1/s]."""

    @model_validator(mode="after")
    def _exactly_one_form(self) -> Self:
        one_form(self)
        self.refuse_lone_rate()
        return self

    @property
    def update(self) -> Update:
        """The share of the distance that a frame covers."""
        return Update("p += (target - p) * {share}", TARGET)


class Chase(_Targeted):
    """Head for a target at a fixed speed, by acceleration, or by steering.

    Without a present target the craft stops, or is no longer pushed.
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

    @property
    def update(self) -> Update | None:
        """What a frame adds toward the target, or the turn of a frame."""
        if self.accel is not None:
            return Update("v += {accel}", "toward the target")
        return None if self.turn is None else Update(STEERED.format(rate="{turn}"), TOWARD)

    @property
    def turns(self) -> bool:
        """It does where it is steered."""
        return self.turn is not None

    @property
    def pushes_along(self) -> frozenset[str]:
        """Both axes, if it accelerates."""
        return frozenset() if self.accel is None else frozenset("xy")

    @property
    def sets_velocity_along(self) -> frozenset[str]:
        """Both axes, if it has a speed."""
        return frozenset() if self.speed is None else frozenset("xy")
