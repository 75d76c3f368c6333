"""Rules that change the velocity."""

from collections.abc import Mapping
from typing import ClassVar, Literal, Self

from pydantic import model_validator

from tinrocket.scenario.numbers import (
    Acceleration,
    Decay,
    Deceleration,
    Keep,
    Name,
    PositiveSeconds,
    Rate,
    Speed,
    TurnSpeed,
    Velocity,
)
from tinrocket.scenario.rules.base import MotionRule, one_form

__all__ = ["Cruise", "Drag", "Drive", "Force", "Limit", "StopBelow", "Thrust"]


class Thrust(MotionRule):
    """Acceleration along the heading while an action is held."""

    pushes: ClassVar[bool] = True
    steers: ClassVar[bool] = True

    rule: Literal["thrust"] = "thrust"
    accel: Acceleration
    """px/s^2 (px/frame^2 with per-frame units)."""
    action: Name = "thrust"
    reverse: Acceleration | None = None
    """Acceleration backward, as a positive number; no reverse if not given."""
    reverse_action: Name = "reverse"

    @property
    def own_actions(self) -> tuple[str, ...]:
        """Forward, then backward if there is a reverse."""
        return (self.action,) if self.reverse is None else (self.action, self.reverse_action)

    @property
    def has_closed_form(self) -> bool:
        """It always is."""
        return True


class Drive(MotionRule):
    """Four or eight ways from opposing actions, or any way from a stick.

    With `accel` alone the velocity grows along the direction.  With `speed` alone it is
    the direction times `speed` at once; with both it gets there at `accel`.  `brake`
    brings it to rest along an axis without input.
    """

    pushes: ClassVar[bool] = True
    steers: ClassVar[bool] = True

    rule: Literal["drive"] = "drive"
    accel: Deceleration | None = None
    """px/s^2 while there is input."""
    speed: Speed | None = None
    """px/s at full input."""
    brake: Deceleration | None = None
    """px/s^2 toward rest, along each axis without input."""
    axis: Literal["both", "x", "y"] = "both"
    normalise: bool = True
    """Whether a diagonal is no faster than a straight way."""
    left: Name = "left"
    right: Name = "right"
    up: Name = "up"
    down: Name = "down"
    stick: Name | None = None
    """A stick instead of the four actions."""

    @model_validator(mode="after")
    def _does_something(self) -> Self:
        if self.accel is None and self.speed is None:
            raise ValueError("give 'accel', 'speed' or both of them")
        return self

    @property
    def own_actions(self) -> tuple[str, ...]:
        """Of the axes it drives, if there is no stick."""
        if self.stick:
            return ()
        across = (self.left, self.right) if self.axis != "y" else ()
        return (*across, *((self.up, self.down) if self.axis != "x" else ()))

    @property
    def sticks(self) -> tuple[str, ...]:
        """The stick, if there is one."""
        return (self.stick,) if self.stick else ()

    @property
    def has_closed_form(self) -> bool:
        """It is as a plain acceleration."""
        return self.speed is None and self.brake is None


class Cruise(MotionRule):
    """The velocity is a fixed speed along the heading: always forward."""

    steers: ClassVar[bool] = True

    rule: Literal["cruise"] = "cruise"
    speed: Velocity


class Force(MotionRule):
    """A constant acceleration: gravity, wind, a current."""

    pushes: ClassVar[bool] = True

    rule: Literal["force"] = "force"
    x: Acceleration = 0.0
    y: Acceleration = 0.0
    """px/s^2, in the arena's own axes."""

    @property
    def has_closed_form(self) -> bool:
        """It always is."""
        return True


class Drag(MotionRule):
    """Velocity lost in proportion to the velocity: dv/dt = -r v."""

    replaces: ClassVar[Mapping[str, tuple[str, ...]]] = {
        "keep": ("half_life", "rate"),
        "half_life": ("keep", "at", "rate"),
        "rate": ("keep", "at", "half_life"),
    }

    rule: Literal["drag"] = "drag"
    keep: Keep | None = None
    """Fraction of the velocity kept each frame at the rate `at`."""
    at: Rate | None = None
    """Frames per second that `keep` is counted at; the scenario's `tuned_at` if not given."""
    half_life: PositiveSeconds | None = None
    """Seconds in which half of the velocity is lost."""
    rate: Decay | None = None
    """r itself, in 1/s."""
    of: Literal["velocity", "spin"] = "velocity"
    """Whether it brakes the flight, or the rate of turn that torque has built up."""

    @model_validator(mode="after")
    def _exactly_one_form(self) -> Self:
        one_form(self)
        if self.at is not None and self.keep is None:
            raise ValueError("'at' is the frame rate that 'keep' is counted at; there is no 'keep'")
        return self

    @property
    def has_closed_form(self) -> bool:
        """It is of the flight."""
        return self.of == "velocity"


class Limit(MotionRule):
    """A top speed: for the whole velocity, for each axis, or for the rate of turn."""

    replaces: ClassVar[Mapping[str, tuple[str, ...]]] = {
        "speed": ("x", "y", "spin"),
        "x": ("speed", "spin"),
        "y": ("speed", "spin"),
        "spin": ("speed", "x", "y"),
    }

    rule: Literal["limit"] = "limit"
    speed: Speed | None = None
    x: Speed | None = None
    y: Speed | None = None
    spin: TurnSpeed | None = None
    """Degrees/s."""

    @model_validator(mode="after")
    def _one_kind(self) -> Self:
        by_axis = self.x is not None or self.y is not None
        if (self.speed is not None) + by_axis + (self.spin is not None) != 1:
            raise ValueError("give either 'speed', or 'x' or 'y' or both of these, or 'spin'")
        return self


class StopBelow(MotionRule):
    """A craft slower than a threshold stands still."""

    rule: Literal["stop_below"] = "stop_below"
    below: Speed
