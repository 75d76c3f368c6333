"""Types of the numbers of a scenario, with units and powers of time."""

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated, Any, ClassVar, Literal, Self, cast, get_args

from pydantic import (
    AfterValidator,
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    Strict,
    ValidationError,
)

from tinrocket.scenario.problems import as_scenario_error

if TYPE_CHECKING:
    from pydantic._internal._model_construction import ModelMetaclass
else:
    ModelMetaclass = type(BaseModel)  # it has no public name

Units = Literal["per_second", "per_frame"]
"""Whether speeds, accelerations and turn rates are counted in seconds or in tuned frames."""

Timing = Literal["frame", "dt", "exact"]
"""How a rule uses the length of the frame."""

LARGEST = 1e9
"""Largest number of a scenario: beyond it, neighbouring pixels are equal."""

SMALLEST = 1e-9
"""Smallest number that must be above zero: quotients stay finite."""


def _not_tiny(value: float) -> float:
    if value < SMALLEST:
        raise ValueError(f"must be at least {SMALLEST:g}, not {value:g}")
    return value


@dataclass(frozen=True, slots=True)
class Quantity:
    """Mark of a number: its unit, and its power of time.

    Every number of a scenario has a mark, so that none is missed where units change.
    """

    unit: str
    per_time: int = 0
    """Power of time: 1 of a speed, 2 of an acceleration."""


Plain = Annotated[float, Strict(), Field(allow_inf_nan=False, ge=-LARGEST, le=LARGEST)]
PlainNotNegative = Annotated[float, Strict(), Field(allow_inf_nan=False, ge=0, le=LARGEST)]
PlainPositive = Annotated[
    float, Strict(), Field(allow_inf_nan=False, gt=0, le=LARGEST), AfterValidator(_not_tiny)
]

Number = Annotated[Plain, Quantity("")]
"""A plain number."""
Factor = Annotated[PlainNotNegative, Quantity("")]
PositiveFactor = Annotated[PlainPositive, Quantity("")]
Fraction = Annotated[float, Strict(), Field(allow_inf_nan=False, ge=0, le=1), Quantity("")]
Keep = Annotated[float, Strict(), Field(allow_inf_nan=False, gt=0, le=1), Quantity("")]
"""A fraction kept each frame."""
Rate = Annotated[float, Strict(), Field(allow_inf_nan=False, ge=0.01, le=1e6), Quantity("frames/s")]
"""A frame of more than 100 s is none."""
Length = Annotated[Plain, Quantity("px")]
Distance = Annotated[PlainNotNegative, Quantity("px")]
Size = Annotated[PlainPositive, Quantity("px")]
Angle = Annotated[Plain, Quantity("deg")]
Moment = Annotated[Plain, Quantity("s")]
Seconds = Annotated[PlainNotNegative, Quantity("s")]
PositiveSeconds = Annotated[PlainPositive, Quantity("s")]
Growth = Annotated[Plain, Quantity("1/s")]
"""A rate in 1/s in all units, like a half-life in seconds."""
PositiveDecay = Annotated[PlainPositive, Quantity("1/s")]
Points = Annotated[PlainPositive, Quantity("points")]

Velocity = Annotated[Plain, Quantity("px/s", 1)]
Speed = Annotated[PlainNotNegative, Quantity("px/s", 1)]
PositiveSpeed = Annotated[PlainPositive, Quantity("px/s", 1)]
Acceleration = Annotated[Plain, Quantity("px/s^2", 2)]
Deceleration = Annotated[PlainNotNegative, Quantity("px/s^2", 2)]
"""An acceleration whose direction is given otherwise, so never negative."""
PositiveAcceleration = Annotated[PlainPositive, Quantity("px/s^2", 2)]
TurnRate = Annotated[Plain, Quantity("deg/s", 1)]
TurnSpeed = Annotated[PlainNotNegative, Quantity("deg/s", 1)]
TurnAcceleration = Annotated[Plain, Quantity("deg/s^2", 2)]


def _printable(name: str) -> str:
    if not name.isprintable():
        raise ValueError(f"must be a name that can be printed, not {name!r}")
    return name


Name = Annotated[str, Field(min_length=1, max_length=200), AfterValidator(_printable)]


def _encodable(text: str) -> str:
    try:
        text.encode()
    except UnicodeEncodeError:
        raise ValueError(f"must be text, and holds half of a character: {text!r}") from None
    return text


Title = Annotated[str, AfterValidator(_encodable)]
"""Any text that a file can hold."""

_FRAMES = re.compile(r"\s*(\d+(?:\.\d+)?)\s*frames?\s*")


def frames_in(span: object) -> float | None:
    """Return the number of frames of a span, or None if it is in seconds.

    None, too, for more frames than the largest number of a scenario.
    """
    counted = _FRAMES.fullmatch(span) if isinstance(span, str) else None
    if counted is None:
        return None
    frames = float(counted.group(1))
    return frames if frames <= LARGEST else None


def _span(value: Any) -> Any:
    number = isinstance(value, int | float) and not isinstance(value, bool)
    if number and 0.0 <= value <= LARGEST:  # false for NaN
        return float(value)
    if isinstance(value, str) and frames_in(value) is not None:
        return value
    shown = value if isinstance(value, str | int | float) else type(value).__name__
    raise ValueError(
        f"must be seconds, at least 0, such as 0.4, or frames, such as '24 frames', not {shown!r}"
    )


def lasting(value: Any) -> Any:
    """Return a span above zero, unchanged."""
    span = _span(value)
    length = frames_in(span) if isinstance(span, str) else span
    if length == 0.0:
        raise ValueError(f"must be longer than nothing, not {value!r}")
    if length is not None and length < SMALLEST:
        raise ValueError(f"must be at least {SMALLEST:g} s, not {value!r}")
    return span


Span = Annotated[float | str, BeforeValidator(_span), Quantity("s")]
"""A length of time: seconds, or a text such as ``24 frames``, counted at any frame rate."""


def _tape_moment(value: Any) -> Any:
    if isinstance(value, str) and frames_in(value) is not None:
        return value
    if isinstance(value, int | float) and not isinstance(value, bool) and abs(value) <= LARGEST:
        return float(value)
    raise ValueError(f"must be a time in s, or a frame such as '24 frames', not {value!r}")


TapeMoment = Annotated[float | str, BeforeValidator(_tape_moment), Quantity("s")]
"""A moment in s, or a text such as ``24 frames``: the frame that begins after so many."""
LastingSpan = Annotated[float | str, BeforeValidator(lasting), Quantity("s")]
"""A span above zero."""


def _place(value: Any) -> Any:
    if isinstance(value, str) and value:
        return value
    if isinstance(value, list | tuple) and len(value) == 2:
        numbers = [isinstance(v, int | float) and not isinstance(v, bool) for v in value]
        if all(numbers) and all(abs(v) <= LARGEST for v in value):  # false for NaN
            return float(value[0]), float(value[1])
    raise ValueError("must be the name of a craft or of a pointer, or a place such as [120, 80]")


Target = Annotated[str | tuple[float, float], BeforeValidator(_place), Quantity("px")]
"""Target of a rule: a craft or pointer by its name, or a place [x, y]."""
MaybeTarget = Annotated[
    str | tuple[float, float] | None,
    BeforeValidator(lambda value: None if value is None else _place(value)),
    Quantity("px"),
]
"""A target, or None."""


class _Explaining(ModelMetaclass):
    """Metaclass by which models built in Python raise ScenarioError instead of pydantic's error."""

    def __call__(cls, *args: Any, **kwargs: Any) -> Any:  # noqa: N805  # a metaclass has classes
        try:
            return super().__call__(*args, **kwargs)
        except ValidationError as error:
            raise as_scenario_error(error, cast("type[BaseModel]", cls)) from None


def _with_keys(cls: type[BaseModel]) -> str | None:
    """Return the docstrings of a class and of each of its keys."""
    own: str | None = cls.__dict__.get("__doc__")
    if own is None or "__pydantic_fields__" not in cls.__dict__:
        return own
    from tinrocket.scenario.key_docs import key_docs  # that module imports this one

    meanings = key_docs(cls)
    keys = (f"{key}\n    {meanings[key]}" for key in cls.model_fields)
    return "\n".join([own.rstrip(), "", "Attributes", "----------", *keys])


# only help() reads it, and making it parses the source
_Explaining.__doc__ = property(_with_keys)  # type: ignore[assignment]


class Model(BaseModel, metaclass=_Explaining):
    """Frozen data; a key that does not exist is an error, never ignored."""

    model_config = ConfigDict(frozen=True, extra="forbid", defer_build=True)
    spans: ClassVar[tuple[str, ...]] = ()
    """Keys that may be counted in frames."""

    @classmethod
    def from_data(cls, data: object, source: str | None = None, text: str | None = None) -> Self:
        """Return a model from plain tables, lists and numbers.

        Raises
        ------
        ScenarioError
            With all problems, each with its path; `source` names the file, and
            `text` is its contents, from which line numbers are found.
        """
        try:
            return cls.model_validate(data)
        except ValidationError as error:
            raise as_scenario_error(error, cls, source, data, text) from None

    def replaced(self, **changes: Any) -> Self:
        """Return a copy with some fields replaced, without validation."""
        return self.model_copy(update=changes)

    def converted(self, to: Units, given: Units, tuned_at: float) -> Self:
        """Return a copy with the fields that count per time converted from `given` to `to`."""
        return self.replaced(**self.in_units(to, given, tuned_at))

    def in_seconds(self, tuned_at: float) -> Self:
        """Return a copy with all spans in frames converted to seconds, at every level."""
        changes: dict[str, object] = {}
        for name in type(self).model_fields:
            value = getattr(self, name)
            if name in self.spans:
                several = value if isinstance(value, tuple) else (value,)
                frames = [frames_in(number) for number in several]
                if frames[0] is not None:
                    seconds = tuple((counted or 0.0) / tuned_at for counted in frames)
                    changes[name] = seconds if isinstance(value, tuple) else seconds[0]
            elif isinstance(value, Model):
                changes[name] = value.in_seconds(tuned_at)
            elif isinstance(value, tuple) and any(isinstance(element, Model) for element in value):
                changes[name] = tuple(element.in_seconds(tuned_at) for element in value)
        return self.replaced(**changes) if changes else self

    def in_units(self, to: Units, given: Units, tuned_at: float) -> dict[str, Any]:
        """Return the fields that count per time, converted from `given` to `to` units.

        One unit per second is ``tuned_at ** -power`` per frame.
        """
        if to == given:
            return {}
        converted: dict[str, Any] = {}
        for name, field in type(self).model_fields.items():
            value, mark = getattr(self, name), quantity(field.annotation, *field.metadata)
            if value is not None and mark is not None and mark.per_time:
                scale = tuned_at**mark.per_time
                per_second = to == "per_second"
                if isinstance(value, tuple):
                    many = (element * scale if per_second else element / scale for element in value)
                    converted[name] = tuple(many)
                else:
                    converted[name] = value * scale if per_second else value / scale
        return converted


def quantity(annotation: object, *metadata: object) -> Quantity | None:
    """Return the mark of a field; an optional field has it inside its union."""
    for mark in metadata:
        if isinstance(mark, Quantity):
            return mark
    for part in get_args(annotation):
        inner = quantity(part, *getattr(part, "__metadata__", ()))
        if inner is not None:
            return inner
    return None
