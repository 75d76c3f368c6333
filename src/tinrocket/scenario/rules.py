"""The motion rules: one data class for each step of the per-frame arithmetic."""

from collections.abc import Mapping
from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field, model_validator

from tinrocket.scenario.numbers import (
    Acceleration,
    Model,
    Name,
    NotNegative,
    Positive,
    Rate,
    Speed,
    Timing,
    Units,
    Velocity,
)


class MotionRule(Model):
    """What all rules share."""

    replaces: ClassVar[Mapping[str, tuple[str, ...]]] = {}
    """For each key that is one form of a number: the keys of its other forms."""

    rule: str
    name: Name | None = None
    """Tells two rules of a kind apart; a rule without one goes by its kind."""
    timing: Timing | None = None
    """How this rule uses the length of the frame; the craft's timing if not given."""
    units: Units | None = None
    """Units of this rule's numbers; the scenario's if not given."""

    @property
    def label(self) -> str:
        """What the rule is called in paths and messages."""
        return self.name or self.rule

    @property
    def actions(self) -> tuple[str, ...]:
        """The actions this rule listens to, in the order its arithmetic takes them."""
        return ()


class Turn(MotionRule):
    """The heading changes at a constant rate while an action is held."""

    rule: Literal["turn"] = "turn"
    rate: Velocity
    """Degrees per second (per frame with per-frame units)."""
    left: Name = "left"
    """Action that turns counterclockwise on the screen."""
    right: Name = "right"
    """Action that turns clockwise."""

    @property
    def actions(self) -> tuple[str, ...]:
        """Left, then right."""
        return self.left, self.right


class Thrust(MotionRule):
    """Acceleration along the heading while an action is held."""

    rule: Literal["thrust"] = "thrust"
    accel: Acceleration
    """px/s^2 (px/frame^2 with per-frame units)."""
    action: Name = "thrust"
    reverse: Acceleration | None = None
    """Acceleration backward, as a positive number; no reverse if not given."""
    reverse_action: Name = "reverse"

    @property
    def actions(self) -> tuple[str, ...]:
        """Forward, then backward if there is a reverse."""
        return (self.action,) if self.reverse is None else (self.action, self.reverse_action)


class Drag(MotionRule):
    """Velocity lost in proportion to the velocity: dv/dt = -r v."""

    replaces: ClassVar[Mapping[str, tuple[str, ...]]] = {
        "keep": ("half_life", "rate"),
        "half_life": ("keep", "at", "rate"),
        "rate": ("keep", "at", "half_life"),
    }

    rule: Literal["drag"] = "drag"
    keep: Annotated[float, Field(strict=True, allow_inf_nan=False, gt=0, le=1)] | None = None
    """Fraction of the velocity kept each frame at the rate `at`."""
    at: Rate | None = None
    """Frames per second that `keep` is counted at; the scenario's `tuned_at` if not given."""
    half_life: Positive | None = None
    """Seconds in which half of the velocity is lost."""
    rate: NotNegative | None = None
    """r itself, in 1/s."""

    @model_validator(mode="after")
    def _exactly_one_form(self) -> Self:
        given = [f"'{name}'" for name in self.replaces if getattr(self, name) is not None]
        if len(given) != 1:
            found = f"{' and '.join(given)} are" if given else "none is"
            raise ValueError(f"give exactly one of {', '.join(self.replaces)}; {found} given")
        if self.at is not None and self.keep is None:
            raise ValueError("'at' is the frame rate that 'keep' is counted at; there is no 'keep'")
        return self


class Limit(MotionRule):
    """A top speed: `speed` for the whole velocity, or `x` and `y` for each axis."""

    replaces: ClassVar[Mapping[str, tuple[str, ...]]] = {
        "speed": ("x", "y"),
        "x": ("speed",),
        "y": ("speed",),
    }

    rule: Literal["limit"] = "limit"
    speed: Speed | None = None
    x: Speed | None = None
    y: Speed | None = None

    @model_validator(mode="after")
    def _whole_or_by_axis(self) -> Self:
        by_axis = self.x is not None or self.y is not None
        if (self.speed is not None) == by_axis:
            raise ValueError("give either 'speed', or 'x' or 'y' or both of these")
        return self


class Snap(MotionRule):
    """A craft slower than a threshold stands still."""

    rule: Literal["snap"] = "snap"
    below: Speed


class Move(MotionRule):
    """The position follows the velocity.

    Put after the rules that change the velocity, ``euler`` moves at the new velocity;
    put before them, at the old one.  ``half`` moves at their mean, which for a constant
    acceleration is the half-acceleration term.
    """

    rule: Literal["move"] = "move"
    method: Literal["euler", "half"] = "euler"


Rule = Annotated[Turn | Thrust | Drag | Limit | Snap | Move, Field(discriminator="rule")]
