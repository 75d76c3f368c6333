"""The stage: spawners, marches and rounds."""

from typing import Annotated, Any, ClassVar, Literal, Self

from pydantic import BeforeValidator, Field, model_validator

from tinrocket.scenario.craft import Count
from tinrocket.scenario.names import Names
from tinrocket.scenario.numbers import (
    LARGEST,
    Distance,
    Factor,
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
    lasting,
)
from tinrocket.scenario.shapes import Point

NumberOrRange = float | tuple[float, float]


def _range(value: object) -> object:
    if isinstance(value, int | float) and not isinstance(value, bool) and abs(value) <= LARGEST:
        return float(value), float(value)
    if isinstance(value, list | tuple) and len(value) == 2:
        numbers = all(isinstance(v, int | float) and abs(v) <= LARGEST for v in value)
        if numbers and value[0] <= value[1]:
            return float(value[0]), float(value[1])
    raise ValueError("must be a number, or a range such as [40, 600], the smaller number first")


Range = Annotated[
    tuple[float, float],
    BeforeValidator(_range, json_schema_input_type=NumberOrRange),
    Quantity("px"),
]
"""A number, or a range from which one is picked at random."""


Velocities = Annotated[
    tuple[float, float],
    BeforeValidator(_range, json_schema_input_type=NumberOrRange),
    Quantity("px/s", per_time=1),
]
"""A speed along an axis, or a range from which one is picked at random."""


def _waits(value: object) -> object:
    if not isinstance(value, list | tuple):
        return None if value is None else lasting(value)
    if len(value) != 2:
        raise ValueError("must be a span, or two such as [0.5, 1.5], the shorter first")
    spans = [lasting(span) for span in value]
    frames = [frames_in(span) for span in spans]
    lengths = [
        span if counted is None else counted for span, counted in zip(spans, frames, strict=True)
    ]
    if (frames[0] is None) != (frames[1] is None) or lengths[0] > lengths[1]:
        raise ValueError("must be two spans, both in s or both in frames, the shorter first")
    return tuple(spans)


Waits = Annotated[
    float | str | tuple[float | str, float | str] | None, BeforeValidator(_waits), Quantity("s")
]
"""A span above zero, or a range from which one is drawn each time."""


class Ramp(Model):
    """Ramp of an interval."""

    spans: ClassVar[tuple[str, ...]] = ("to",)

    to: Span
    """Final interval, in the unit of the first."""
    over: PositiveFactor
    """Seconds, points, or lost craft of a march until the final value."""
    by: Literal["time", "score", "gone"] = "time"
    """Quantity that it follows."""


class SpeedRamp(Model):
    """Ramp of the velocities of a spawner."""

    to: Factor
    """Final factor; the first is 1."""
    over: PositiveFactor
    """Seconds or points until the final factor."""
    by: Literal["time", "score"] = "time"
    """Quantity that it follows."""


class _Repeating(Model):
    spans: ClassVar[tuple[str, ...]] = ("every", "first")

    every: Any
    """Interval."""
    first: Span | None = None
    """Time of the first (default: after one interval)."""
    ramp: Ramp | None = None
    """Ramp of `every`."""

    @model_validator(mode="after")
    def _counted_alike(self) -> Self:
        spans = [
            self.first,
            *(self.every if isinstance(self.every, tuple) else [self.every]),
            self.ramp.to if self.ramp else None,
        ]
        kinds = {frames_in(span) is not None for span in spans if span is not None}
        if len(kinds) > 1:
            raise ValueError("count 'every', 'first' and the ramp all in seconds or all in frames")
        return self


class Spawner(_Repeating):
    """Sends craft of pools to a fixed or random place: repeatedly, or as a condition begins."""

    name: Name
    """Name in paths."""
    spawns: tuple[Name, ...] = Field(min_length=1)
    """Craft with a `pool`; members begin with the velocity and heading of its start."""
    pick: Literal["all", "one"] = "all"
    """Whether a member of each is sent at a time, or of one of them at random."""
    every: Waits = None
    """Interval; from a range, it is drawn anew each time."""
    wait: Literal["due", "sent"] = "due"
    """Whether the next wait begins when the last member was due, or when it was sent."""
    on: Names = ()
    """Conditions of the game or actions: while all are on, or without `every` as they begin."""
    unless: Names = ()
    """Conditions of the game or actions: while any is on, nothing is sent."""
    x: Range | None = None
    """Place along x, or a range [px]."""
    y: Range | None = None
    """Place along y, or a range [px]."""
    at: Name | None = None
    """Craft or group instead of a place: at a present member, at random."""
    ring: Range | None = None
    """Distance from that place, in a random direction [px]."""
    vx: Velocities | None = None
    """Velocity along x, or a range (default: that of the pool's start) [px/s]."""
    vy: Velocities | None = None
    """Velocity along y, or a range (default: that of the pool's start) [px/s]."""
    speed_ramp: SpeedRamp | None = None
    """Ramp of these velocities."""
    offsets: tuple[Point, ...] = ()
    """Offset of each member from the place, such as the two halves of a gate [px]."""
    clear_of: tuple[Name, ...] = ()
    """Craft or groups near which nothing appears."""
    clearance: Distance = 0.0
    """Smallest distance from them [px]."""
    seed: int = Field(default=0, strict=True, ge=0)
    """Seed of the random choices."""
    timing: Timing | None = None
    """Exact: a craft due between two steps is put ahead (default: the scenario's timing)."""

    @model_validator(mode="after")
    def _goes_together(self) -> Self:
        if self.offsets and len(self.offsets) != len(self.spawns):
            raise ValueError(
                f"{len(self.spawns)} are spawned, and there are {len(self.offsets)} offsets"
            )
        if (self.x is None) != (self.y is None) or (self.x is None) == (self.at is None):
            raise ValueError("give the place with 'x' and 'y', or with 'at' a craft or group")
        if self.every is None and not self.on:
            raise ValueError("give 'every', or 'on' what it sends")
        if self.every is None and (self.first is not None or self.ramp is not None):
            raise ValueError("'first' and 'ramp' go with 'every'")
        if isinstance(self.every, tuple) and self.ramp is not None:
            raise ValueError("a wait that is drawn anew has no 'ramp'")
        if bool(self.clear_of) != (self.clearance > 0.0):
            raise ValueError("'clear_of' and 'clearance' go together")
        return self


class March(_Repeating):
    """A group that steps sideways together; at an end it turns and comes down."""

    name: Name
    """Name in paths."""
    every: LastingSpan
    """Interval between two steps."""
    moves: Name
    """A craft with a `grid`, or a group."""
    step: Length
    """Length of a step along x, at first [px]."""
    down: Length = 0.0
    """Step down the screen at each end [px]."""
    between: tuple[Length, Length]
    """Range of its craft along x [px]."""

    @model_validator(mode="after")
    def _has_room(self) -> Self:
        if not self.between[0] < self.between[1]:
            raise ValueError("'between' must be two places along x, the smaller first")
        return self


class Rounds(Model):
    """End of rounds and of the game."""

    first_to: Points | None = None
    """Points at which a side wins."""
    time_limit: PositiveSeconds | None = None
    """Seconds of play without pauses; then the leading side wins."""
    lives: Count | None = None
    """Number of removals of the craft until the game is over."""
    lives_of: Name | None = None
    """The craft with lives."""
    pause: Seconds = 0.0
    """Seconds between two rounds, in which nothing moves."""
    by_score: bool = True
    """Whether each score ends a round."""
    resets: tuple[Name, ...] | None = None
    """Craft or groups that go back to their starts as a round ends (default: all)."""
    restores: tuple[Name, ...] = ()
    """Craft, groups or obstacles that return as a round begins, if they were removed."""
    at_end: Literal["freeze", "end"] = "freeze"
    """Whether all motion freezes until the end of the run, or the run ends with the game."""

    @model_validator(mode="after")
    def _goes_together(self) -> Self:
        if (self.lives is None) != (self.lives_of is None):
            raise ValueError("'lives' and 'lives_of', the craft they are counted of, go together")
        return self
