"""Rules of motion that is given: a swing to and fro, and a path of points."""

from typing import ClassVar, Literal, Self

from pydantic import Field, model_validator

from tinrocket.scenario.numbers import Angle, LastingSpan, Length
from tinrocket.scenario.rules.base import Key, MotionRule, When
from tinrocket.scenario.update import Update

__all__ = ["Path", "Swing"]


class Swing(MotionRule):
    """Periodic motion about the place, or the heading, of the craft at its start.

    It sets the place along its axis; the velocity is the displacement per time.
    """

    places: ClassVar[bool] = True
    swings: ClassVar[bool] = True
    spans: ClassVar[tuple[str, ...]] = ("period",)

    rule: Literal["swing"] = "swing"
    axis: Literal["x", "y", "heading"] = "y"
    """Coordinate that swings."""
    amplitude: Length
    """Amplitude to either side [px, or degrees of the heading]."""
    period: LastingSpan
    """Duration of one swing."""
    phase: Angle = 0.0
    """Phase at the beginning [degrees; 360 is a whole swing]."""
    shape: Literal["sine", "triangle", "square"] = "sine"
    """Form: a sine, a triangle (even speed), or a square (leaps)."""

    @property
    def update(self) -> Update | None:
        """A sine of the time."""
        if self.shape != "sine":
            return None
        return Update("p = p0 + {amplitude:plain} * sin(w * t)", "p0: its middle; t: the time")

    @property
    def turns(self) -> bool:
        """Whether the heading swings."""
        return self.axis == "heading"


class Path(MotionRule):
    """Along a path of points, at an even speed or eased from one point to the next.

    It sets the place; the velocity is the displacement per time.
    """

    places: ClassVar[bool] = True
    swings: ClassVar[bool] = True
    spans: ClassVar[tuple[str, ...]] = ("duration",)

    rule: Literal["path"] = "path"
    points: tuple[tuple[Length, Length], ...] = Field(max_length=1000)
    """Places [x, y] [px]."""
    duration: LastingSpan
    """Time from the first point to the last; each leg takes its share by length."""
    easing: Literal["none", "eased"] = "none"
    """Even speed, or slow at each point and fast between."""
    repeats: Literal["once", "loop", "back"] = "loop"
    """After the last point: it stays, restarts, or goes back."""
    relative: bool = False
    """Whether points are relative to the place of the craft as it begins."""
    action: Key = ""
    """Action that starts each run (default: it begins at the start)."""
    when: When = "pressed"

    @model_validator(mode="after")
    def _leads_somewhere(self) -> Self:
        if len(set(self.points)) < 2:
            raise ValueError("'points' are at least two places [x, y], and not all the same")
        return self

    @property
    def own_actions(self) -> tuple[str, ...]:
        """Its action, if any."""
        return (self.action,) if self.action else ()
