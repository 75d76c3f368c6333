"""What happens when two bodies meet."""

from typing import Annotated, Literal, Self

from pydantic import BeforeValidator, Field, model_validator

from tinrocket.scenario.arena import Axis, Side
from tinrocket.scenario.names import Names
from tinrocket.scenario.numbers import (
    Factor,
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
"""At the time of impact within the step, or by asking at its end whether they overlap."""
Pieces = Annotated[int, Field(strict=True, ge=1, le=100)]


class Outcome(Model):
    """The outcome of a hit: removals, replacements, scores, and the end of a round or game."""

    response: Literal["remove", "split", "count"] = "count"
    """The response of the two."""
    removes: Literal["first", "second", "both"] | None = None
    """Body that is removed or split (default: the first; by sight, the body that is hit)."""
    into: Name | None = None
    """A craft with a `pool`: what the first of the two is split into."""
    pieces: Pieces = 2
    """How many of them."""
    spread: FullAngle = 60.0
    """Degrees between the ways of the first and the last piece."""
    piece_speed_factor: Factor = 1.0
    """Speed factor of the pieces of a split."""
    piece_speed: Speed | None = None
    """A speed of their own that the pieces begin with instead [px/s]."""
    directions: Literal["spread", "random"] = "spread"
    """Whether the pieces are spread evenly over the fan, or each goes a random way within it."""
    seed: int = Field(default=0, strict=True, ge=0)
    """Seed of the random directions."""
    scores: Name | None = None
    """The side or player that a hit scores for."""
    points: int = Field(default=1, strict=True, ge=-1000, le=1000)
    """How much it scores."""
    ends: Literal["life", "round", "game"] | None = None
    """What each of these contacts ends or costs, by itself."""

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
    """By which paths find it; the two it is between if not given."""
    between: tuple[Name, Name]
    """Craft or groups: the one that responds, and the one it meets, or an obstacle."""
    detection: Detection | None = None
    """How it is found that they meet (default: the scenario's).

    By sight, the first has a rule `fire` with a range, and the other is what it hits.
    """
    response: Literal["bounce", "block", "stop", "remove", "split", "count"] = "bounce"  # type: ignore[assignment]  # more than an outcome
    """`bounce`, `block` (slides along), `stop` (both stop for good), `remove`, `split`,
    or `count` (passes; an event once for each passing).
    """
    then: tuple[Outcome, ...] = ()
    """What else comes of it, in order."""
    on: Names = ()
    """Conditions, timers of the first or actions without which the two pass each other."""
    unless: Names = ()
    """The same: while any of them is on, they pass each other."""
    pierces: bool = False
    """Whether a removed body still meets, in the same step, all others that it would have met."""
    push_out: bool | Literal[Side, Axis] = True
    """Whether bodies that overlap are put apart; or on which side of the other the first is put,
    or along which axis, whatever way it came.
    """
    squeeze: Literal["overlap", "hold"] = "overlap"
    """The second's response when it squeezes the first against a fixed body.

    It passes over the first, or is held up by it.
    """
    restitution: Restitution = 1.0
    """Share of the speed along the normal that comes back; above 1 only with `allow_gain`."""
    allow_gain: bool = False
    """Confirms a restitution above 1."""
    angle: Literal["mirror", "by_offset"] = "mirror"
    """The outgoing angle: as the incoming one, or by where on the other body it struck."""
    largest_angle: Degrees = 60.0
    """Degrees from the normal, at the end of the other body."""
    velocity_transfer: Factor = 0.0
    """Share of the other body's velocity that is added."""
    random_angle: Degrees = 0.0
    """Degrees by which a bounce may turn at random, either way."""
    speed_factor: PositiveFactor = 1.0
    """Factor of the speed at each hit."""
    max_speed: Speed | None = None
    """Speed that a hit cannot pass [px/s]."""
    adds_x: Amounts = (0.0,)
    """What a hit adds to the velocity along x: one amount, or several to pick from [px/s]."""
    adds_y: Amounts = (0.0,)
    """The same along y [px/s]."""
    effects_above: Speed | None = None
    """Speed of the other body up to which a hit makes nothing faster, adds and turns [px/s]."""
    effects_below: Speed | None = None
    """Speed of the other body from which on it does not [px/s]."""
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
        """All that comes of it, in order: its own response first."""
        return (self, *self.then)

    @property
    def event(self) -> str:
        """What its event is called: as its response, or by the table of event kinds."""
        return {"remove": "hit", "count": "pass"}.get(self.response, self.response)

    @property
    def label(self) -> str:
        """What the contact is called in paths."""
        return self.name or "/".join(self.between)
