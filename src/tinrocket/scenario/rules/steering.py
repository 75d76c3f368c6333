"""Rules that change the heading."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from tinrocket.scenario.numbers import Angle, TurnAcceleration, TurnRate
from tinrocket.scenario.rules.base import Key, MotionRule, Opposing, Way, When
from tinrocket.scenario.update import Update

__all__ = ["Face", "Rotate", "Torque", "Turn", "TurnBy"]


class _LeftAndRight(MotionRule):
    steers: ClassVar[bool] = True

    left: Key = "left"
    """Action that turns counterclockwise on the screen."""
    right: Key = "right"
    """Action that turns clockwise."""
    opposing: Opposing = "cancel"
    """Effect of both at once."""

    @property
    def own_actions(self) -> tuple[str, ...]:
        """Left, then right."""
        return tuple(key for key in (self.left, self.right) if key)

    @property
    def turns(self) -> bool:
        """Always true."""
        return True

    @property
    def ways(self) -> Mapping[Way, str]:
        """Turning, either way, while a key is down."""
        keys: dict[Way, str] = {"turn right": self.right, "turn left": self.left}
        return {way: key for way, key in keys.items() if key and self.when == "held"}


class Turn(_LeftAndRight):
    """The heading changes at a constant rate while an action is held."""

    rule: Literal["turn"] = "turn"
    rate: TurnRate
    """Rate of turn [degrees/s; per frame with per-frame units]."""

    @property
    def update(self) -> Update:
        """The turn of a frame."""
        return Update("h += {rate}", "while it is held, in degrees")

    @property
    def has_closed_form(self) -> bool:
        """Always true."""
        return True


class TurnBy(_LeftAndRight):
    """The heading changes by a fixed angle at each press, or in each frame held."""

    rule: Literal["turn_by"] = "turn_by"
    angle: Angle
    """Angle [degrees]."""
    when: When = "pressed"

    @property
    def update(self) -> Update | None:
        """Statement of the angle in each frame held."""
        held = Update("h += {angle:each}", "in each frame held")
        return held if self.when == "held" else None


class Face(MotionRule):
    """Sets the heading: always, while the condition in ``on`` is on, or as it begins."""

    steers: ClassVar[bool] = True

    rule: Literal["face"] = "face"
    heading: Angle
    """Heading, counted as the arena counts angles [degrees]."""

    @property
    def sets_heading(self) -> bool:
        """Always true."""
        return True


class Torque(_LeftAndRight):
    """The rate of turn grows while an action is held; `rotate` then turns by it."""

    rule: Literal["torque"] = "torque"
    accel: TurnAcceleration
    """Angular acceleration [degrees/s^2]."""

    @property
    def update(self) -> Update:
        """Statement of the gain of the rate of turn."""
        return Update("spin += {accel}", "while it is held, in degrees")

    @property
    def turns(self) -> bool:
        """False: `rotate` turns by it."""
        return False


class Rotate(MotionRule):
    """The heading follows the rate of turn that torque has built up."""

    rule: Literal["rotate"] = "rotate"

    @property
    def update(self) -> Update:
        """The turn of a frame."""
        return Update("h += spin{step}")

    @property
    def turns(self) -> bool:
        """Always true."""
        return True
