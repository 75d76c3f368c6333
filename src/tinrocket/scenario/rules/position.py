"""Rules that change the place."""

from typing import ClassVar, Literal

from tinrocket.scenario.numbers import Length, Name
from tinrocket.scenario.rules.base import Axes, MotionRule, When

__all__ = ["Move", "MoveBy"]


class MoveBy(MotionRule):
    """A fixed way along the heading at each press, or in each frame held."""

    steers: ClassVar[bool] = True

    rule: Literal["move_by"] = "move_by"
    distance: Length
    """px."""
    action: Name = "move_by"
    """What it waits for."""
    when: When = "pressed"

    @property
    def own_actions(self) -> tuple[str, ...]:
        """Its one action."""
        return (self.action,)


class Move(MotionRule):
    """The position follows the velocity.

    Put after the rules that change the velocity, ``euler`` moves at the new velocity;
    put before them, at the old one.  ``half`` moves at their mean, which for a constant
    acceleration is the half-acceleration term; ``half_new`` adds that term to the new velocity
    instead of the old one, as many games do.
    """

    rule: Literal["move"] = "move"
    method: Literal["euler", "half", "half_new"] = "euler"
    """At which velocity it moves."""
    axis: Axes = "both"
    """Along which axes."""

    @property
    def has_closed_form(self) -> bool:
        """It is what spends the others, along both axes."""
        return self.axis == "both"
