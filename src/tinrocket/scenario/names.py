"""Names in gates of rules, contacts and conditions, and their negation."""

from typing import Annotated, Any

from pydantic import BeforeValidator

from tinrocket.scenario.numbers import Name

NOT = "not "
"""Prefix of a negated name: on while the named state is off."""


def as_names(value: Any) -> Any:
    """Return one name as a list of names."""
    return (value,) if isinstance(value, str) else value


Names = Annotated[
    tuple[Name, ...], BeforeValidator(as_names, json_schema_input_type=str | list[str])
]
"""One name, or several."""


def is_negated(name: str) -> bool:
    """Return whether a name is negated."""
    return name.startswith(NOT)


def plain_name(name: str) -> str:
    """Return a name without its negation."""
    return name.removeprefix(NOT)


def plain_names(*names: str) -> tuple[str, ...]:
    """Return names without their negations."""
    return tuple(map(plain_name, names))
