"""Rules of motion that is given: a swing to and fro, and a path of points."""

from typing import ClassVar, Literal, Self

from pydantic import Field, model_validator

from tinrocket.scenario.numbers import Angle, LastingSpan, Length
from tinrocket.scenario.rules.base import Key, MotionRule, When
from tinrocket.scenario.update import Update

__all__ = ["Path", "Swing"]


class Swing(MotionRule):
    """To and fro about the place, or the heading, that the craft has at its start.

    It sets the place along its axis by itself; the velocity is what it moves by.
    """

    places: ClassVar[bool] = True
    swings: ClassVar[bool] = True
    spans: ClassVar[tuple[str, ...]] = ("period",)

    rule: Literal["swing"] = "swing"
    axis: Literal["x", "y", "heading"] = "y"
    """What swings."""
    amplitude: Length
    """How far to either side [px, or degrees of the heading]."""
    period: LastingSpan
    """How long from one swing to the next."""
    phase: Angle = 0.0
    """How far into a swing it begins [degrees, 360 for a whole one]."""
    shape: Literal["sine", "triangle", "square"] = "sine"
    """How it goes: as a sine, at an even speed, or by leaps."""

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

    It sets the place by itself; the velocity is what it moves by.
    """

    places: ClassVar[bool] = True
    swings: ClassVar[bool] = True
    spans: ClassVar[tuple[str, ...]] = ("duration",)

    rule: Literal["path"] = "path"
    points: tuple[tuple[Length, Length], ...] = Field(max_length=1000)
    """Places [x, y] [px]."""
    duration: LastingSpan
    """From the first point to the last; each leg takes its share of the length."""
    easing: Literal["none", "eased"] = "none"
    """At an even speed, or slow at each point and quick between."""
    repeats: Literal["once", "loop", "back"] = "loop"
    """What comes after the last point: it stays there, begins anew, or goes back."""
    relative: bool = False
    """Whether points are counted from where the craft is as it begins."""
    action: Key = ""
    """What it waits for before each run; it begins at the start if not given."""
    when: When = "pressed"

    @model_validator(mode="after")
    def _leads_somewhere(self) -> Self:
        if len(set(self.points)) < 2:
            raise ValueError("'points' are at least two places [x, y], and not all the same")
        return self

    @property
    def own_actions(self) -> tuple[str, ...]:
        """Its one action, if it has one."""
        return (self.action,) if self.action else ()
