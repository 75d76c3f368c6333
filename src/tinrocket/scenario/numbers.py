"""The kinds of number a scenario holds, and which of them count per unit of time."""

from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated, Any, Literal, Self, cast, get_args

from pydantic import BaseModel, ConfigDict, Field, Strict, ValidationError

from tinrocket.scenario.problems import as_scenario_error

if TYPE_CHECKING:
    from pydantic._internal._model_construction import ModelMetaclass
else:
    ModelMetaclass = type(BaseModel)  # it has no public name

Units = Literal["per_second", "per_frame"]
"""Whether speeds, accelerations and turn rates are counted in seconds or in tuned frames."""

Timing = Literal["frame", "scaled", "exact"]
"""How a rule uses the length of the frame."""

LARGEST = 1e9
"""No number of a scenario is larger: past that, pixels are no longer told apart."""


@dataclass(frozen=True, slots=True)
class PerTime:
    """Marks a number that is counted `power` times per unit of time (2: acceleration)."""

    power: int


Number = Annotated[float, Strict(), Field(allow_inf_nan=False, ge=-LARGEST, le=LARGEST)]
NotNegative = Annotated[float, Strict(), Field(allow_inf_nan=False, ge=0, le=LARGEST)]
Positive = Annotated[float, Strict(), Field(allow_inf_nan=False, gt=0, le=LARGEST)]
Fraction = Annotated[float, Strict(), Field(allow_inf_nan=False, ge=0, le=1)]
Rate = Annotated[float, Strict(), Field(allow_inf_nan=False, gt=0, le=1e6)]
"""Frames per second."""

Velocity = Annotated[Number, PerTime(1)]
Speed = Annotated[NotNegative, PerTime(1)]
Acceleration = Annotated[Number, PerTime(2)]
Name = Annotated[str, Field(min_length=1, max_length=200)]


class _Explaining(ModelMetaclass):
    """Raises ScenarioError, not pydantic's error, when a model is built in Python."""

    def __call__(cls, *args: Any, **kwargs: Any) -> Any:  # noqa: N805  # a metaclass has classes
        try:
            return super().__call__(*args, **kwargs)
        except ValidationError as error:
            raise as_scenario_error(error, cast("type[BaseModel]", cls)) from None


class Model(BaseModel, metaclass=_Explaining):
    """Frozen data; a key that does not exist is an error, never ignored."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    @classmethod
    def from_data(cls, data: object, source: str | None = None) -> Self:
        """Return the model that plain tables, lists and numbers describe.

        Raises
        ------
        ScenarioError
            With everything that is wrong, each with its path; `source` names the file.
        """
        try:
            return cls.model_validate(data)
        except ValidationError as error:
            raise as_scenario_error(error, cls, source) from None

    def in_units(self, to: Units, given: Units, tuned_at: float) -> dict[str, float]:
        """Return the fields that count per time, converted from `given` to `to` units.

        One unit per second is ``tuned_at ** -power`` per frame.
        """
        if to == given:
            return {}
        converted = {}
        for name, field in type(self).model_fields.items():
            value, mark = getattr(self, name), _mark(field.annotation, *field.metadata)
            if value is not None and mark is not None:
                scale = tuned_at**mark.power
                converted[name] = value * scale if to == "per_second" else value / scale
        return converted


def _mark(annotation: object, *metadata: object) -> PerTime | None:
    """Return the mark of a field, which an optional one carries inside its union."""
    for found in metadata:
        if isinstance(found, PerTime):
            return found
    for part in get_args(annotation):
        inner = _mark(part, *getattr(part, "__metadata__", ()))
        if inner is not None:
            return inner
    return None
