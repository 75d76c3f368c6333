"""Rules that change the place."""

from typing import ClassVar, Literal

from tinrocket.scenario.numbers import Length, Name
from tinrocket.scenario.rules.base import Axes, MotionRule, When
from tinrocket.scenario.update import Update

__all__ = ["Move", "MoveBy"]


Method = Literal["euler", "half", "half_new", "verlet"]
VELOCITIES: dict[Method, str] = {
    "euler": "",
    "half": "v: the mean of the velocity before and after",
    "half_new": "v: the new velocity, and half of what the frame has added to it on top",
    "verlet": "v: the velocity, and half of what the last frame's acceleration adds in this one",
}
"""Meaning of v in the statement that moves a craft."""


class MoveBy(MotionRule):
    """A fixed distance along the heading at each press, or in each frame held."""

    steers: ClassVar[bool] = True

    rule: Literal["move_by"] = "move_by"
    distance: Length
    """Distance [px]."""
    action: Name = "move_by"
    """Action that it waits for."""
    when: When = "pressed"

    @property
    def own_actions(self) -> tuple[str, ...]:
        """Its action."""
        return (self.action,)

    @property
    def update(self) -> Update | None:
        """Statement of the distance in each frame held."""
        held = Update("p += {distance:each}", "in each frame held")
        return held if self.when == "held" else None


class Move(MotionRule):
    """The position follows the velocity.

    Put after the rules that change the velocity, ``euler`` moves at the new velocity;
    put before them, at the old one.  ``half`` moves at their mean, which for a constant
    acceleration is the half-acceleration term; ``half_new`` adds that term to the new velocity
    instead of the old one, as many games do.  ``verlet`` comes before the rules that change the
    velocity, and `accumulate` with ``keeps = "mean"`` behind them: velocity Verlet.
    """

    spends: ClassVar[bool] = True

    rule: Literal["move"] = "move"
    method: Method = "euler"
    """Velocity at which it moves."""
    axis: Axes = "both"
    """Axes along which it moves."""

    @property
    def update(self) -> Update:
        """Statement of the move."""
        return Update("p += v{step}", VELOCITIES[self.method])

    @property
    def has_closed_form(self) -> bool:
        """True if it moves along both axes."""
        return self.axis == "both"
