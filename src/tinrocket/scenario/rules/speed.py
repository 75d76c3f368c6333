"""Rules that change the velocity."""

from collections.abc import Mapping
from typing import Any, ClassVar, Literal, Self

from pydantic import model_validator

from tinrocket.scenario.decay import Decay
from tinrocket.scenario.numbers import (
    Acceleration,
    Angle,
    Deceleration,
    Growth,
    Name,
    Number,
    PositiveSeconds,
    Rate,
    Speed,
    TurnSpeed,
    Velocity,
)
from tinrocket.scenario.rules.base import Axes, Key, MotionRule, Opposing, Way, one_form
from tinrocket.scenario.update import Update

__all__ = [
    "Accumulate",
    "Cruise",
    "Drag",
    "Drive",
    "Force",
    "Friction",
    "Limit",
    "StopBelow",
    "Thrust",
]

Components = Literal["both", "x", "y", "ahead", "across"]
"""The whole velocity, that along an axis of the arena, or along the heading, or across it."""


class Thrust(MotionRule):
    """Acceleration along the heading while an action is held."""

    pushes: ClassVar[bool] = True
    steers: ClassVar[bool] = True

    rule: Literal["thrust"] = "thrust"
    accel: Acceleration
    """px/s^2 (px/frame^2 with per-frame units)."""
    action: Name = "thrust"
    """Forward."""
    reverse: Acceleration | None = None
    """Acceleration backward, as a positive number; no reverse if not given."""
    reverse_action: Name = "reverse"
    """Backward."""
    direction: Angle = 0.0
    """Degrees from the heading to where it pushes, counted as the arena counts them."""

    @property
    def own_actions(self) -> tuple[str, ...]:
        """Forward, then backward if there is a reverse."""
        return (self.action,) if self.reverse is None else (self.action, self.reverse_action)

    @property
    def steering_accel(self) -> float | None:
        """What it adds while held."""
        return self.accel

    @property
    def update(self) -> Update:
        """What a frame adds along its direction."""
        back = (("reverse", "back"),)
        way = f"{self.direction:g} degrees from the heading" if self.direction else "the heading"
        return Update("v += {accel}", f"along {way}, while it is held", also=back)

    @property
    def ways(self) -> Mapping[Way, str]:
        """Ahead, and back if there is a reverse; no way of its own if it pushes to a side."""
        if self.direction:
            return {}
        back: dict[Way, str] = {} if self.reverse is None else {"back": self.reverse_action}
        return {"ahead": self.action, **back}

    @property
    def has_closed_form(self) -> bool:
        """It is along the heading."""
        return self.direction == 0.0


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
    axis: Axes = "both"
    """Along which axes it acts."""
    normalise: bool = True
    """Whether a diagonal is no faster than a straight way."""
    left: Key = "left"
    """Action toward the left."""
    right: Key = "right"
    """Toward the right."""
    up: Key = "up"
    """Up the screen."""
    down: Key = "down"
    """Down the screen."""
    opposing: Opposing = "cancel"
    """What two opposing keys come to at once."""
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
        keys = (*across, *((self.up, self.down) if self.axis != "x" else ()))
        return tuple(key for key in keys if key)

    @property
    def steering_accel(self) -> float | None:
        """What it adds while held."""
        return self.accel

    @property
    def update(self) -> Update | None:
        """What a frame adds along the direction held."""
        if self.accel is None:
            return None
        return Update("v += {accel}", "along the direction held", also=(("brake", "brake"),))

    @property
    def pushes_along(self) -> frozenset[str]:
        """The axes it drives."""
        return frozenset("xy" if self.axis == "both" else self.axis)

    @property
    def sets_velocity_along(self) -> frozenset[str]:
        """The axes it drives at a speed."""
        return frozenset() if self.speed is None else self.pushes_along

    @property
    def ways(self) -> Mapping[Way, str]:
        """Along the axes it drives."""
        keys: dict[Way, str] = {
            **({"right": self.right, "left": self.left} if self.axis != "y" else {}),
            **({"up": self.up, "down": self.down} if self.axis != "x" else {}),
        }
        return {} if self.stick else {way: key for way, key in keys.items() if key}

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
    """Along the heading [px/s]."""

    @property
    def sets_velocity_along(self) -> frozenset[str]:
        """Both axes."""
        return frozenset("xy")


class Force(MotionRule):
    """A constant acceleration: gravity, wind, a current."""

    pushes: ClassVar[bool] = True

    rule: Literal["force"] = "force"
    x: Acceleration = 0.0
    """px/s^2, in the arena's own axes."""
    y: Acceleration = 0.0
    """px/s^2, in the arena's own axes."""

    @property
    def update(self) -> Update:
        """What a frame adds along each axis."""
        if self.x and self.y:
            return Update("vx += {x}; vy += {y}", "vx, vy: the velocity along each axis")
        return Update("v += {y}" if self.y else "v += {x}", "along each axis")

    @property
    def pushes_along(self) -> frozenset[str]:
        """The axes with an acceleration."""
        return frozenset(axis for axis in ("x", "y") if getattr(self, axis))

    @property
    def has_closed_form(self) -> bool:
        """It always is."""
        return True


class Accumulate(MotionRule):
    """An acceleration that is kept from frame to frame instead of beginning at zero.

    What the rules before it have added to the velocity in this step comes on top of what they
    added in all steps before: a game that forgets to reset its acceleration.
    """

    rule: Literal["accumulate"] = "accumulate"
    keeps: Literal["sum", "mean"] = "sum"
    """The sum of all frames; or the last frame's acceleration alone, and the velocity gains the
    mean of that and of this frame's, as in velocity Verlet.
    """


class Drag(Decay, MotionRule):
    """Velocity lost in proportion to the velocity: dv/dt = -r v."""

    replaces: ClassVar[Mapping[str, tuple[str, ...]]] = {
        "keep": ("half_life", "rate"),
        "half_life": ("keep", "at", "rate"),
        "rate": ("keep", "at", "half_life"),
    }

    rule: Literal["drag"] = "drag"
    keep: Number | None = None
    """Fraction of the velocity kept each frame at the rate `at`, 0 to 1."""
    at: Rate | None = None
    """Frames per second that `keep` is counted at; the scenario's `tuned_at` if not given."""
    half_life: PositiveSeconds | None = None
    """Seconds in which half of the velocity is lost."""
    rate: Growth | None = None
    """r itself, in 1/s."""
    allow_gain: bool = False
    """Confirms a `keep` above 1 or below 0, or a rate below 0."""
    axis: Components = "both"
    """On which part of the velocity it acts; `across` the heading it is grip."""
    of: Literal["velocity", "spin"] = "velocity"
    """Whether it brakes the flight, or the rate of turn that torque has built up."""

    @model_validator(mode="after")
    def _exactly_one_form(self) -> Self:
        one_form(self)
        gains = self.keep is not None and not 0.0 <= self.keep <= 1.0
        if not self.allow_gain and (gains or (self.rate is not None and self.rate < 0.0)):
            key, value = ("keep", self.keep) if gains else ("rate", self.rate)
            raise ValueError(
                f"'{key}' of {value:g} makes the craft faster, or turns it round in every frame; "
                f"set allow_gain = true to confirm it"
            )
        if self.at is not None and self.keep is None:
            raise ValueError("'at' is the frame rate that 'keep' is counted at; there is no 'keep'")
        return self

    @property
    def update(self) -> Update:
        """The share that a step keeps."""
        return Update("spin *= {kept}" if self.of == "spin" else "v *= {kept}")

    @property
    def typed_share(self) -> tuple[float, float | None] | None:
        """`keep`, and the frame rate it counts at."""
        return None if self.keep is None else (self.keep, self.at)

    def losing(self, lost: float) -> dict[str, Any]:
        """Return the fields of a share lost; of all of it, there is no exact form."""
        if lost >= 1.0:
            return {}
        return {"keep": 1.0 - lost, "at": None, "rate": None, "half_life": None}

    @property
    def has_closed_form(self) -> bool:
        """It is of the flight, along both axes."""
        return self.of == "velocity" and self.axis == "both"


class Friction(MotionRule):
    """A fixed deceleration along the velocity, or along a part of it, never past rest."""

    rule: Literal["friction"] = "friction"
    decel: Deceleration
    """px/s^2."""
    axis: Components = "both"
    """On which part of the velocity it acts; `across` the heading it is grip."""
    action: Key = ""
    """What it waits for, as a brake does; it acts always if not given."""

    @property
    def own_actions(self) -> tuple[str, ...]:
        """Its one action, if it has one."""
        return (self.action,) if self.action else ()

    @property
    def update(self) -> Update:
        """What a frame takes away."""
        return Update("v -= max(-({decel}), min({decel}, v))", "v: the speed, or that part of it")


class Limit(MotionRule):
    """A top speed: for the whole velocity, along an axis, one way, or for the rate of turn."""

    replaces: ClassVar[Mapping[str, tuple[str, ...]]] = {
        "speed": ("x", "y", "down", "up", "spin"),
        "x": ("speed", "spin"),
        "y": ("speed", "spin"),
        "down": ("speed", "spin"),
        "up": ("speed", "spin"),
        "spin": ("speed", "x", "y", "down", "up"),
    }

    rule: Literal["limit"] = "limit"
    speed: Speed | None = None
    """Of the whole velocity [px/s]."""
    x: Speed | None = None
    """Along x, either way."""
    y: Speed | None = None
    """Along y, either way."""
    down: Speed | None = None
    """Down the screen alone: it falls at most this fast."""
    up: Speed | None = None
    """Up the screen alone."""
    spin: TurnSpeed | None = None
    """Degrees/s."""

    @model_validator(mode="after")
    def _one_kind(self) -> Self:
        ways = (self.x, self.y, self.down, self.up)
        by_way = any(way is not None for way in ways)
        if (self.speed is not None) + by_way + (self.spin is not None) != 1:
            raise ValueError("give either 'speed', or any of 'x', 'y', 'down' and 'up', or 'spin'")
        return self


class StopBelow(MotionRule):
    """Stops a craft slower than a threshold."""

    rule: Literal["stop_below"] = "stop_below"
    below: Speed
    """Speed below which the craft stops [px/s]."""
    axis: Literal["both", "x", "y", "each"] = "both"
    """The whole velocity, that along one axis, or each axis by itself."""
