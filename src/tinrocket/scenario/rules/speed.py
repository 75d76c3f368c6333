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
"""Part of the velocity: the whole, along an axis of the arena, along the heading, or across it."""


class Thrust(MotionRule):
    """Acceleration along the heading while an action is held."""

    pushes: ClassVar[bool] = True
    steers: ClassVar[bool] = True

    rule: Literal["thrust"] = "thrust"
    accel: Acceleration
    """Acceleration along the heading [px/s^2; px/frame^2 with per-frame units]."""
    action: Name = "thrust"
    """Action forward."""
    reverse: Acceleration | None = None
    """Acceleration backward, as a positive number (default: no reverse)."""
    reverse_action: Name = "reverse"
    """Action backward."""
    direction: Angle = 0.0
    """Angle from the heading to the push, counted as the arena counts angles [degrees]."""

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
        """Statement of the push along its direction."""
        back = (("reverse", "back"),)
        way = f"{self.direction:g} degrees from the heading" if self.direction else "the heading"
        return Update("v += {accel}", f"along {way}, while it is held", also=back)

    @property
    def ways(self) -> Mapping[Way, str]:
        """Actions ahead, and back with a reverse; none if it pushes sideways."""
        if self.direction:
            return {}
        back: dict[Way, str] = {} if self.reverse is None else {"back": self.reverse_action}
        return {"ahead": self.action, **back}

    @property
    def has_closed_form(self) -> bool:
        """True along the heading."""
        return self.direction == 0.0


class Drive(MotionRule):
    """Four or eight directions from opposing actions, or any direction from a stick.

    With `accel` alone the velocity grows along the direction.  With `speed` alone it is the
    direction times `speed` at once; with both it approaches that at `accel`. `brake` decelerates
    along an axis without input.
    """

    pushes: ClassVar[bool] = True
    steers: ClassVar[bool] = True

    rule: Literal["drive"] = "drive"
    accel: Deceleration | None = None
    """Acceleration with input [px/s^2]."""
    speed: Speed | None = None
    """Speed at full input [px/s]."""
    brake: Deceleration | None = None
    """Deceleration along each axis without input [px/s^2]."""
    axis: Axes = "both"
    """Axes along which it acts."""
    normalise: bool = True
    """Whether a diagonal is as fast as an axis."""
    left: Key = "left"
    """Action toward the left."""
    right: Key = "right"
    """Action toward the right."""
    up: Key = "up"
    """Action up the screen."""
    down: Key = "down"
    """Action down the screen."""
    opposing: Opposing = "cancel"
    """Effect of two opposing keys at once."""
    stick: Name | None = None
    """A stick instead of the four actions."""

    @model_validator(mode="after")
    def _does_something(self) -> Self:
        if self.accel is None and self.speed is None:
            raise ValueError("give 'accel', 'speed' or both of them")
        return self

    @property
    def own_actions(self) -> tuple[str, ...]:
        """Actions of the axes it drives, without a stick."""
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
        """Statement of the push along the direction held."""
        if self.accel is None:
            return None
        return Update("v += {accel}", "along the direction held", also=(("brake", "brake"),))

    @property
    def pushes_along(self) -> frozenset[str]:
        """Axes that it drives by an acceleration."""
        return frozenset("xy" if self.axis == "both" else self.axis)

    @property
    def sets_velocity_along(self) -> frozenset[str]:
        """Axes that it drives at a speed."""
        return frozenset() if self.speed is None else self.pushes_along

    @property
    def ways(self) -> Mapping[Way, str]:
        """Actions along the axes it drives."""
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
        """True as a plain acceleration."""
        return self.speed is None and self.brake is None


class Cruise(MotionRule):
    """The velocity is a fixed speed along the heading: always forward."""

    steers: ClassVar[bool] = True

    rule: Literal["cruise"] = "cruise"
    speed: Velocity
    """Speed along the heading [px/s]."""

    @property
    def sets_velocity_along(self) -> frozenset[str]:
        """Both axes: it replaces the velocity."""
        return frozenset("xy")


class Force(MotionRule):
    """A constant acceleration: gravity, wind, a current."""

    pushes: ClassVar[bool] = True

    rule: Literal["force"] = "force"
    x: Acceleration = 0.0
    """Acceleration along x [px/s^2]."""
    y: Acceleration = 0.0
    """Acceleration along y [px/s^2]."""

    @property
    def update(self) -> Update:
        """Statement of the acceleration along each axis."""
        if self.x and self.y:
            return Update("vx += {x}; vy += {y}", "vx, vy: the velocity along each axis")
        return Update("v += {y}" if self.y else "v += {x}", "along each axis")

    @property
    def pushes_along(self) -> frozenset[str]:
        """The axes with an acceleration."""
        return frozenset(axis for axis in ("x", "y") if getattr(self, axis))

    @property
    def has_closed_form(self) -> bool:
        """Always true."""
        return True


class Accumulate(MotionRule):
    """An acceleration that is kept from frame to frame.

    What the rules before it add to the velocity in this step is added to all earlier additions: a
    game that forgets to reset its acceleration.
    """

    rule: Literal["accumulate"] = "accumulate"
    keeps: Literal["sum", "mean"] = "sum"
    """The sum of all frames; or the last frame's acceleration, and the velocity gains its mean with
    that of this frame, as in velocity Verlet.
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
    """Share of the velocity kept each frame at the rate `at`, 0 to 1."""
    at: Rate | None = None
    """Frame rate of `keep` [1/s] (default: the scenario's `tuned_at`)."""
    half_life: PositiveSeconds | None = None
    """Time in which half of the velocity is lost."""
    rate: Growth | None = None
    """Decay rate r [1/s]."""
    allow_gain: bool = False
    """Allow a `keep` above 1 or below 0, or a rate below 0."""
    axis: Components = "both"
    """On which part of the velocity it acts; `across` the heading it is grip."""
    of: Literal["velocity", "spin"] = "velocity"
    """Whether it acts on the velocity, or on the rate of turn of `torque`."""

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
        """Statement of the share that a step keeps."""
        return Update("spin *= {kept}" if self.of == "spin" else "v *= {kept}")

    @property
    def typed_share(self) -> tuple[float, float | None] | None:
        """`keep`, and its frame rate."""
        return None if self.keep is None else (self.keep, self.at)

    def losing(self, lost: float) -> dict[str, Any]:
        """Return the fields of a share lost; a loss of everything has no exact form."""
        if lost >= 1.0:
            return {}
        return {"keep": 1.0 - lost, "at": None, "rate": None, "half_life": None}

    @property
    def has_closed_form(self) -> bool:
        """True for the velocity, along both axes."""
        return self.of == "velocity" and self.axis == "both"


class Friction(MotionRule):
    """A fixed deceleration along the velocity, or along a part of it, never past rest."""

    rule: Literal["friction"] = "friction"
    decel: Deceleration
    """Deceleration [px/s^2]."""
    axis: Components = "both"
    """On which part of the velocity it acts; `across` the heading it is grip."""
    action: Key = ""
    """Action that it waits for, like a brake (default: it always acts)."""

    @property
    def own_actions(self) -> tuple[str, ...]:
        """Its action, if any."""
        return (self.action,) if self.action else ()

    @property
    def update(self) -> Update:
        """Statement of the deceleration."""
        return Update("v -= max(-({decel}), min({decel}, v))", "v: the speed, or that part of it")


class Limit(MotionRule):
    """A top speed of the whole velocity, along an axis, one way, or of the rate of turn."""

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
    """Top speed of the whole velocity [px/s]."""
    x: Speed | None = None
    """Top speed along x, either way [px/s]."""
    y: Speed | None = None
    """Top speed along y, either way [px/s]."""
    down: Speed | None = None
    """Top speed down the screen [px/s]."""
    up: Speed | None = None
    """Top speed up the screen [px/s]."""
    spin: TurnSpeed | None = None
    """Top rate of turn [degrees/s]."""

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
    """Part of the velocity: the whole, along one axis, or each axis separately."""
