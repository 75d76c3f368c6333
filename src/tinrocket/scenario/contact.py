"""What happens when two bodies meet."""

from typing import Annotated, Literal, Self

from pydantic import BeforeValidator, Field, model_validator

from tinrocket.scenario.arena import Axis, Side
from tinrocket.scenario.names import Names
from tinrocket.scenario.numbers import (
    Factor,
    Fraction,
    Model,
    Name,
    PositiveFactor,
    Quantity,
    Speed,
    Velocity,
)

Degrees = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, lt=90), Quantity("deg")]
FullAngle = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=360), Quantity("deg")]
Restitution = Annotated[float, Field(strict=True, allow_inf_nan=False, ge=0, le=1.5), Quantity("")]


def _several(value: object) -> object:
    return (value,) if isinstance(value, int | float) and not isinstance(value, bool) else value


Amounts = Annotated[
    tuple[Velocity, ...],
    BeforeValidator(_several, json_schema_input_type=float | list[float]),
    Field(min_length=1, max_length=100),
    Quantity("px/s", per_time=1),
]
Find = Literal["swept", "overlap"]
Detection = Literal["swept", "overlap", "sight"]
"""At the time of impact within the step, or by a test for overlap at its end."""
Pieces = Annotated[int, Field(strict=True, ge=1, le=100)]


class Outcome(Model):
    """The outcome of a hit: removals, replacements, scores, and the end of a round or game."""

    response: Literal["remove", "split", "count"] = "count"
    """The response of the two."""
    removes: Literal["first", "second", "both"] | None = None
    """Body that is removed or split (default: the first; by sight, the body that is hit)."""
    into: Name | None = None
    """A craft with a `pool`: the pieces into which the first of the two is split."""
    pieces: Pieces = 2
    """Number of pieces."""
    spread: FullAngle = 60.0
    """Angle between the directions of the first and the last piece [degrees]."""
    piece_speed_factor: Factor = 1.0
    """Speed factor of the pieces of a split."""
    piece_speed: Speed | None = None
    """Speed of the pieces instead [px/s]."""
    piece_speed_deviation: Fraction = 0.0
    """Largest random deviation of each piece's speed, as a share of it: with 0.25, 75 to 125 %."""
    directions: Literal["spread", "random"] = "spread"
    """Whether pieces are spread evenly over the fan, or in random directions within it."""
    seed: int = Field(default=0, strict=True, ge=0)
    """Seed of the random directions and speeds."""
    scores: Name | None = None
    """The side or player that a hit scores for."""
    points: int = Field(default=1, strict=True, ge=-1000, le=1000)
    """Points of the score."""
    ends: Literal["life", "round", "game"] | None = None
    """What each of these contacts ends or costs."""

    @model_validator(mode="after")
    def _splits_into_something(self) -> Self:
        if (self.response == "split") != (self.into is not None):
            raise ValueError("a response 'split' and the pool it is split 'into' go together")
        if self.response == "split" and self.removes == "second":
            raise ValueError("a split applies to the first of the two; removes = 'first' or 'both'")
        return self

    @property
    def gone(self) -> str:
        """The removed ones: first, second or both."""
        return self.removes or "first"


class Contact(Outcome):
    """A pair of bodies, the detection of their contact, and its outcome."""

    name: Name | None = None
    """Name in paths (default: the names of the two)."""
    between: tuple[Name, Name]
    """Craft or groups: the one that responds, and the one it meets, or an obstacle."""
    detection: Detection | None = None
    """Detection (default: the scenario's). By sight, the first has a rule `fire` with a range, and
    hits the other.
    """
    response: Literal["bounce", "block", "stop", "remove", "split", "count"] = "bounce"  # type: ignore[assignment]  # more than an outcome
    """`bounce`, `block` (slides along), `stop` (both stop for good), `remove`, `split`,
    or `count` (passes; an event once for each passing).
    """
    then: tuple[Outcome, ...] = ()
    """Further outcomes, in order."""
    on: Names = ()
    """Conditions, timers of the first or actions that must be on; else the two pass each other."""
    unless: Names = ()
    """Conditions, timers of the first or actions: while any of them is on, the two pass each
    other."""
    pierces: bool = False
    """Whether a removed body still meets, in the same step, all others on its path."""
    push_out: bool | Literal[Side, Axis] = True
    """Whether overlapping bodies are put apart; or the side of the other on which the first is put,
    or the axis, however it came.
    """
    squeeze: Literal["overlap", "hold"] = "overlap"
    """The second's response when it squeezes the first against a fixed body: it passes over the
    first, or is held up by it.
    """
    restitution: Restitution = 1.0
    """Share of the speed along the normal that comes back; above 1 only with `allow_gain`."""
    allow_gain: bool = False
    """Allow a restitution above 1."""
    angle: Literal["mirror", "by_offset"] = "mirror"
    """Outgoing angle: equal to the incoming one, or by the place of the hit on the other body."""
    largest_angle: Degrees = 60.0
    """Largest angle from the normal, at the end of the other body [degrees]."""
    velocity_transfer: Factor = 0.0
    """Share of the other body's velocity that is added."""
    normal_transfer: Factor = 0.0
    """Multiple of the other body's velocity along the normal that is added."""
    friction: Factor = 0.0
    """Coefficient of friction: a bounce takes at most so much of the change along the normal off
    the velocity along the surface.
    """
    random_angle: Degrees = 0.0
    """Largest random turn of a bounce, either way [degrees]."""
    speed_factor: PositiveFactor = 1.0
    """Factor of the speed at each hit."""
    hard_speed_factor: PositiveFactor | None = None
    """Factor of the speed at a hard hit, instead (default: `speed_factor`)."""
    max_speed: Speed | None = None
    """Top speed after a hit [px/s]."""
    adds_x: Amounts = (0.0,)
    """Velocity that a hit adds along x: one amount, or several to pick from [px/s]."""
    adds_y: Amounts = (0.0,)
    """Velocity that a hit adds along y: one amount, or several to pick from [px/s]."""
    effects_above: Speed | None = None
    """Speed of the other body up to which a hit does not speed up, add or turn [px/s]."""
    effects_below: Speed | None = None
    """Speed of the other body from which a hit does not speed up, add or turn [px/s]."""
    hard_hit_speed: Speed | None = None
    """Speed of the other body above which a hit is a hard one [px/s]."""

    @model_validator(mode="after")
    def _lively_on_purpose(self) -> Self:
        if self.restitution > 1.0 and not self.allow_gain:
            raise ValueError(
                f"'restitution' of {self.restitution:g} gives back more than came in; "
                f"set allow_gain = true to confirm it"
            )
        return self

    @model_validator(mode="after")
    def _hard_from_some_speed(self) -> Self:
        if self.hard_speed_factor is not None and self.hard_hit_speed is None:
            raise ValueError("'hard_speed_factor' needs the speed of a hard hit: 'hard_hit_speed'")
        return self

    @model_validator(mode="after")
    def _can_be_seen(self) -> Self:
        if self.detection == "sight" and self.response not in ("remove", "count"):
            raise ValueError(
                f"a body hit by sight can be removed or counted, not made to {self.response}"
            )
        return self

    @property
    def gone(self) -> str:
        """The removed ones: first, second or both."""
        return self.removes or ("second" if self.detection == "sight" else "first")

    @property
    def outcomes(self) -> tuple[Outcome, ...]:
        """All outcomes in order, its own response first."""
        return (self, *self.then)

    @property
    def event(self) -> str:
        """Name of its event: the response, or that of the table of event kinds."""
        return {"remove": "hit", "count": "pass"}.get(self.response, self.response)

    @property
    def label(self) -> str:
        """Name of the contact in paths."""
        return self.name or "/".join(self.between)
