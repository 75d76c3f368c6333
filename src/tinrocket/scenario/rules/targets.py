"""Rules that head for another craft, a pointer or a place."""

import math
from collections.abc import Mapping
from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import model_validator

from tinrocket.scenario.decay import Approach
from tinrocket.scenario.numbers import (
    Deceleration,
    Distance,
    Factor,
    Keep,
    Length,
    MaybeTarget,
    Name,
    PlainNotNegative,
    PlainPositive,
    PositiveDecay,
    PositiveSeconds,
    PositiveSpeed,
    Quantity,
    Rate,
    Seconds,
    Span,
    Speed,
    Target,
    Timing,
    TurnRate,
    TurnSpeed,
)
from tinrocket.scenario.rules.base import MotionRule, one_form
from tinrocket.scenario.update import Update

__all__ = ["Aim", "Chase", "Ease", "Follow", "Spring"]


STEERED = "h += max(-({rate}), min({rate}, toward - h))"
TOWARD = "toward: the direction of the target, within half a turn of h, in degrees"
TARGET = "target: where it heads for"


class Seeing(MotionRule):
    """How a rule sees the place of its target."""

    spans: ClassVar[tuple[str, ...]] = ("duration", "cooldown", "delay")

    offset: tuple[Length, Length] = (0.0, 0.0)
    """Offset from the target's place: along x and y, or with `offset_turns` ahead of a target craft
    and to its right [px]."""
    offset_turns: bool = False
    """Whether the offset turns with the target's heading, as in a formation."""
    offset_rate: TurnRate = 0.0
    """Rate at which the offset turns, like a moon [degrees/s]."""
    lead: Seconds = 0.0
    """Look-ahead [s]: the target's velocity times this is added to its place."""
    shot_speed: PositiveSpeed | None = None
    """Speed of a shot: the look-ahead is its time of flight to the target [px/s]."""
    delay: Span = 0.0
    """Delay with which it sees the target, like a ghost or a tail."""
    across_edges: bool = False
    """Whether it takes the way across wrapping edges if that is shorter."""


class Aim(Seeing):
    """The heading follows a target or a stick, at a limited rate or at once."""

    steers: ClassVar[bool] = True

    rule: Literal["aim"] = "aim"
    at: MaybeTarget = None
    """Target: a craft, a pointer or a place."""
    stick: Name | None = None
    """A stick that gives the direction, instead of a target."""
    rate: TurnSpeed | None = None
    """Largest rate of turn (default: at once) [degrees/s]."""

    @model_validator(mode="after")
    def _one_aim(self) -> Self:
        if (self.at is None) == (self.stick is None):
            raise ValueError("give either 'at', a target, or 'stick'")
        return self

    @property
    def update(self) -> Update | None:
        """Statement of the turn toward the target."""
        return None if self.rate is None else Update(STEERED.format(rate="{rate}"), TOWARD)

    @property
    def turns(self) -> bool:
        """It always does."""
        return True

    @property
    def sets_heading(self) -> bool:
        """True without a limit of the rate."""
        return self.rate is None

    @property
    def heads_for(self) -> Target | None:
        """The target, if it is not a stick."""
        return self.at

    @property
    def sticks(self) -> tuple[str, ...]:
        """The stick, if there is one."""
        return (self.stick,) if self.stick else ()


class _Targeted(Seeing):
    target: Target
    """Target: a craft, a pointer or a place."""

    @property
    def heads_for(self) -> Target | None:
        """The target."""
        return self.target


class Follow(_Targeted):
    """The place is the target's, on one axis or both: a bat under the pointer.

    It sets the place; the velocity is the displacement per time.
    """

    steers: ClassVar[bool] = True
    places: ClassVar[bool] = True

    rule: Literal["follow"] = "follow"
    axis: Literal["both", "x", "y"] = "both"
    """Axes along which it follows."""
    speed: Speed | None = None
    """Top speed (default: no limit) [px/s]."""
    lag: PositiveSeconds | None = None
    """Time in which half of the distance is covered (default: at once)."""

    @property
    def update(self) -> Update | None:
        """Statement of the move: a share of the distance, or at most what the speed allows."""
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
        share = 1.0 - self.decay_rate(tuned_at) / tuned_at
        if timing != "dt" or not 0.0 < share < 1.0:
            return {}
        return {"lag": math.log(2.0) / (-math.log(share) * tuned_at)}


class Ease(Approach, _Targeted):
    """The place approaches a target by a share of the remaining distance.

    Smoothed cameras do this; like `follow` it sets the place.
    """

    places: ClassVar[bool] = True

    rule: Literal["ease"] = "ease"
    axis: Literal["both", "x", "y"] = "both"
    """Axes along which it follows."""
    fraction: Keep | None = None
    """Share of the distance covered each frame at the rate `fraction_at`."""
    fraction_at: Rate | None = None
    """Frame rate of `fraction` [1/s] (default: the scenario's `tuned_at`)."""
    half_life: PositiveSeconds | None = None
    """Time in which half of the distance is covered."""
    rate: PositiveDecay | None = None
    """Decay rate of the distance [1/s]."""

    @model_validator(mode="after")
    def _exactly_one_form(self) -> Self:
        one_form(self)
        self.refuse_lone_rate()
        return self

    @property
    def update(self) -> Update:
        """Statement of the share of the distance that a frame covers."""
        return Update("p += (target - p) * {share}", TARGET)


class Chase(_Targeted):
    """Head for a target at a fixed speed, by acceleration, or by steering.

    Without a present target the craft stops, or is no longer pushed.
    """

    pushes: ClassVar[bool] = True

    rule: Literal["chase"] = "chase"
    speed: Speed | None = None
    """Speed straight at the target, or along the heading if it is steered [px/s]."""
    accel: Deceleration | None = None
    """Acceleration toward the target, instead of a speed [px/s^2]."""
    turn: TurnSpeed | None = None
    """Largest rate at which the heading turns toward the target [degrees/s]."""

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        if (self.speed is None) == (self.accel is None):
            raise ValueError("give either 'speed' or 'accel'")
        if self.turn is not None and self.speed is None:
            raise ValueError("'turn' steers a chase at a 'speed'; there is none")
        return self

    @property
    def update(self) -> Update | None:
        """Statement of the acceleration toward the target, or of the turn."""
        if self.accel is not None:
            return Update("v += {accel}", "toward the target")
        return None if self.turn is None else Update(STEERED.format(rate="{turn}"), TOWARD)

    @property
    def turns(self) -> bool:
        """True if it is steered."""
        return self.turn is not None

    @property
    def pushes_along(self) -> frozenset[str]:
        """Both axes, if it accelerates."""
        return frozenset() if self.accel is None else frozenset("xy")

    @property
    def sets_velocity_along(self) -> frozenset[str]:
        """Both axes, if it has a speed."""
        return frozenset() if self.speed is None else frozenset("xy")


Stiffness = Annotated[PlainPositive, Quantity("px/s^2 per px", 2)]
Damping = Annotated[PlainNotNegative, Quantity("px/s^2 per px/s", 1)]
Frequency = Annotated[PlainPositive, Quantity("1/s")]


class Spring(_Targeted):
    """A spring to a target: acceleration toward it by the distance, and damping of the velocity.

    It moves the craft itself, or only pushes it, for a later `move`.
    """

    swings: ClassVar[bool] = True
    replaces: ClassVar[Mapping[str, tuple[str, ...]]] = {
        "stiffness": ("frequency", "damping_ratio"),
        "damping": ("damping_ratio", "frequency"),
        "frequency": ("stiffness", "damping"),
        "damping_ratio": ("damping", "stiffness"),
    }

    rule: Literal["spring"] = "spring"
    stiffness: Stiffness | None = None
    """Acceleration per px of distance [1/s^2]."""
    damping: Damping | None = None
    """Deceleration per px/s of speed (default: none) [1/s]."""
    frequency: Frequency | None = None
    """Frequency without damping, instead of a stiffness [1/s]."""
    damping_ratio: Factor | None = None
    """Damping ratio, beside `frequency`: from 1 on it does not overshoot."""
    length: Distance = 0.0
    """Rest length: distance at which it is slack [px]."""
    pulls_only: bool = False
    """Whether it never pushes away, like a rope."""
    moves: bool = True
    """Whether it moves the craft itself; else a rule `move` must."""

    @model_validator(mode="after")
    def _one_pair(self) -> Self:
        if (self.stiffness is None) == (self.frequency is None):
            raise ValueError("give either 'stiffness' and 'damping', or 'frequency'")
        wrong = self.damping_ratio if self.frequency is None else self.damping
        if wrong is not None:
            raise ValueError("'damping' goes with 'stiffness', 'damping_ratio' with 'frequency'")
        return self

    @property
    def update(self) -> Update | None:
        """Statement of the gain of the velocity."""
        if self.stiffness is None or self.length:
            return None
        damping = "" if self.damping is None else " - v * {damping}"
        return Update("v += (target - p) * {stiffness}" + damping, TARGET)

    def exact_fields(self, timing: Timing, tuned_at: float) -> dict[str, Any]:
        """Return the numbers whose exact form swings and decays like the steps of a tuned frame.

        The steps multiply (distance, velocity) by a matrix with the determinant 1 - c / f and the
        trace 2 - c / f - k / f^2; the exact ones have e^(-C / f) and 2 e^(-C / 2f) cos(W / f).
        """
        if timing == "exact" or self.length or self.pulls_only:
            return {}
        stiffness, damping = self.stiffness or 0.0, self.damping or 0.0
        if self.frequency is not None:
            swing = 2.0 * math.pi * self.frequency
            stiffness, damping = swing * swing, 2.0 * swing * (self.damping_ratio or 0.0)
        share = 1.0 - damping / tuned_at
        cosine = (1.0 + share - stiffness / tuned_at**2) / (2.0 * math.sqrt(max(share, 1e-300)))
        if share <= 0.0 or abs(cosine) >= 1.0:
            return {}
        swing, fading = math.acos(cosine) * tuned_at, -math.log(share) * tuned_at
        numbers = {"stiffness": swing * swing + fading * fading / 4.0, "damping": fading}
        return numbers | {"frequency": None, "damping_ratio": None}
