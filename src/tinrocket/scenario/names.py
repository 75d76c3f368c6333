"""Names that rules, contacts and conditions wait for, and their negation."""

from typing import Annotated, Any

from pydantic import BeforeValidator

from tinrocket.scenario.numbers import Name

NOT = "not "
"""Before a name it means the opposite: on while that is off."""


def as_names(value: Any) -> Any:
    """Return one name as a list of names."""
    return (value,) if isinstance(value, str) else value


Names = Annotated[
    tuple[Name, ...], BeforeValidator(as_names, json_schema_input_type=str | list[str])
]
"""One name, or several."""


def is_negated(name: str) -> bool:
    """Whether a name means the opposite of another."""
    return name.startswith(NOT)


def plain_name(name: str) -> str:
    """Return a name without its negation."""
    return name.removeprefix(NOT)


def plain_names(*names: str) -> tuple[str, ...]:
    """Return names without their negations."""
    return tuple(map(plain_name, names))
