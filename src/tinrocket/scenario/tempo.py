"""Tempo: slow motion, hit-stop and pause, while input goes on in real time."""

from typing import Annotated, ClassVar, Self

from pydantic import Field, Strict, model_validator

from tinrocket.scenario.names import Names
from tinrocket.scenario.numbers import Model, Name, Quantity, Seconds, Span

Pace = Annotated[float, Strict(), Field(allow_inf_nan=False, ge=0, le=10), Quantity("")]


class Tempo(Model):
    """Pace of the game's time while a condition is on, or for a time after it begins.

    The tape and the frames go on in real time, and so do `lasts` and `ease`; everything else waits.
    Rules in ``frame`` timing count frames, so that only a stop changes what they do.
    """

    spans: ClassVar[tuple[str, ...]] = ("lasts",)

    name: Name
    """Name in paths."""
    of: Names = ()
    """Craft or groups whose time slows down (default: all of the game).  Hits do not move a craft
    whose time has stopped."""
    factor: Pace = 0.0
    """Share of the time that passes: 0.25 for slow motion, 0 to stop everything."""
    on: Names = Field(min_length=1)
    """Conditions of the game or actions: while all are on, or with `lasts` as they begin."""
    unless: Names = ()
    """Conditions or actions: it does not act while any of them is on."""
    lasts: Span = 0.0
    """Duration each time they begin, in real time (default: while they are on)."""
    ease: Seconds = 0.0
    """Real time of the change of pace, in and out [s]."""

    @model_validator(mode="after")
    def _eases_to_something(self) -> Self:
        if self.ease and self.factor == 0.0:
            raise ValueError("what eases never stops quite; give a 'factor' above 0, or no 'ease'")
        return self
