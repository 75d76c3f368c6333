"""What happens beside the craft's own rules: spawners, marches and rounds."""

from typing import Annotated, ClassVar, Literal, Self

from pydantic import BeforeValidator, Field, model_validator

from tinrocket.scenario.craft import Count
from tinrocket.scenario.numbers import (
    LARGEST,
    Distance,
    LastingSpan,
    Length,
    Model,
    Name,
    Points,
    PositiveFactor,
    PositiveSeconds,
    Quantity,
    Seconds,
    Span,
    Timing,
    frames_in,
)
from tinrocket.scenario.shapes import Point


def _range(value: object) -> object:
    if isinstance(value, int | float) and not isinstance(value, bool) and abs(value) <= LARGEST:
        return float(value), float(value)
    if isinstance(value, list | tuple) and len(value) == 2:
        numbers = all(isinstance(v, int | float) and abs(v) <= LARGEST for v in value)
        if numbers and value[0] <= value[1]:
            return float(value[0]), float(value[1])
    raise ValueError("must be a number, or a range such as [40, 600], the smaller number first")


Range = Annotated[tuple[float, float], BeforeValidator(_range), Quantity("px")]
"""A number, or two between which one is picked at random."""


class Ramp(Model):
    """How an interval changes as the game goes on."""

    spans: ClassVar[tuple[str, ...]] = ("to",)

    to: Span
    """What it is in the end; counted as the interval is."""
    over: PositiveFactor
    """Seconds, points, or craft of a march that are gone, until then."""
    by: Literal["time", "score", "gone"] = "time"


class _Repeating(Model):
    spans: ClassVar[tuple[str, ...]] = ("every", "first")

    every: LastingSpan
    """From one to the next."""
    first: Span | None = None
    """When the first is due; after one interval if not given."""
    ramp: Ramp | None = None

    @model_validator(mode="after")
    def _counted_alike(self) -> Self:
        spans = [self.every, self.first, self.ramp.to if self.ramp else None]
        kinds = {frames_in(span) is not None for span in spans if span is not None}
        if len(kinds) > 1:
            raise ValueError("count 'every', 'first' and the ramp all in seconds or all in frames")
        return self


class Spawner(_Repeating):
    """Sends craft of pools, one of each at a time, to a fixed or random place."""

    name: Name
    spawns: tuple[Name, ...] = Field(min_length=1)
    """Craft with a `pool`; they begin with the velocity and heading of its start."""
    x: Range
    y: Range
    """Where [px]; picked anew each time if it is a range."""
    offsets: tuple[Point, ...] = ()
    """Of each of them from the place, such as the two halves of a gate [px]."""
    clear_of: tuple[Name, ...] = ()
    """Craft or groups near which nothing appears."""
    clearance: Distance = 0.0
    """How near [px]."""
    seed: int = Field(default=0, strict=True, ge=0)
    timing: Timing | None = None
    """Exact: what is due between two steps is put ahead; the scenario's if not given."""

    @model_validator(mode="after")
    def _goes_together(self) -> Self:
        if self.offsets and len(self.offsets) != len(self.spawns):
            raise ValueError(
                f"{len(self.spawns)} are spawned, and there are {len(self.offsets)} offsets"
            )
        if bool(self.clear_of) != (self.clearance > 0.0):
            raise ValueError("'clear_of' and 'clearance' go together")
        return self


class March(_Repeating):
    """A group that steps sideways together; at an end it turns and comes down."""

    name: Name
    moves: Name
    """A craft with a `grid`, or a group."""
    step: Length
    """Along x, at first [px]."""
    down: Length = 0.0
    """Down the screen at each end [px]."""
    between: tuple[Length, Length]
    """Where the places of its craft may be along x [px]."""

    @model_validator(mode="after")
    def _has_room(self) -> Self:
        if not self.between[0] < self.between[1]:
            raise ValueError("'between' must be two places along x, the smaller first")
        return self


class Rounds(Model):
    """When a round is over, and when the game."""

    first_to: Points | None = None
    """Points at which a side has won."""
    time_limit: PositiveSeconds | None = None
    """Seconds of play, pauses left out; then who leads has won."""
    lives: Count | None = None
    """How often the craft may be removed until the game is over."""
    lives_of: Name | None = None
    """The craft whose lives are counted."""
    pause: Seconds = 0.0
    """Seconds between two rounds, in which everything stands still."""
    by_score: bool = True
    """Whether each score ends a round."""
    resets: tuple[Name, ...] | None = None
    """Craft or groups that go back to their starts as a round ends; all if not given."""
    at_end: Literal["freeze", "end"] = "freeze"
    """Whether the run goes on with everything standing still, or ends with the game."""

    @model_validator(mode="after")
    def _goes_together(self) -> Self:
        if (self.lives is None) != (self.lives_of is None):
            raise ValueError("'lives' and 'lives_of', the craft they are counted of, go together")
        return self
