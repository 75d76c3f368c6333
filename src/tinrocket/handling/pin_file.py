"""Pins as TOML: sorted, short, few digits, made to be read in a review."""

import re
import tomllib
from pathlib import Path
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from tinrocket.errors import FileError
from tinrocket.files import read_text, write_text
from tinrocket.handling.pin import Pin

ENDING = ".pin.toml"
HEAD = "# What this scenario did when it was pinned.  Renew it with: tinrocket check --accept\n"
PLAIN = re.compile(r"[A-Za-z0-9_-]+")


class _PinFile(BaseModel):
    """A pin as a file holds it."""

    model_config = ConfigDict(extra="forbid")

    title: str
    version: str
    rates: Annotated[list[float], Field(min_length=1)]
    scenario: dict[str, str]
    ends: dict[str, dict[str, tuple[float, float, float]]]
    outcomes: dict[str, dict[str, dict[str, int]]] = Field(default_factory=dict)
    feel: dict[str, dict[str, dict[str, float | str]]] = Field(default_factory=dict)


def pin_path(scenario: Path) -> Path:
    """Return where the pin of a scenario's file is kept: beside it."""
    return scenario.with_name(scenario.name.removesuffix(".toml") + ENDING)


def write_pin(pinned: Pin, path: Path | str) -> Path:
    """Write a pin.

    Raises
    ------
    FileError
        If it cannot be written.
    """
    write_text(Path(path), format_pin(pinned))
    return Path(path)


def format_pin(pinned: Pin) -> str:
    """Return a pin as TOML, a line for each thing that could change."""
    lines = [
        HEAD,
        f"title = {_text(pinned.title)}",
        f"version = {_text(pinned.version)}",
        f"rates = [{', '.join(f'{rate:g}' for rate in pinned.rates)}]",
    ]
    lines += ["", "[scenario]"]
    lines += [f"{_key(path)} = {_text(value)}" for path, value in pinned.scenario.items()]
    for clock in (f"{rate:g} fps" for rate in pinned.rates):
        lines += ["", f"[ends.{_key(clock)}]"]
        lines += [
            f"{_key(craft)} = [{', '.join(f'{one:g}' for one in end)}]"
            for craft, end in pinned.ends.get(clock, {}).items()
        ]
        lines += ["", f"[outcomes.{_key(clock)}]"]
        for craft, counts in pinned.outcomes.get(clock, {}).items():
            told = ", ".join(f"{_key(kind)} = {count}" for kind, count in counts.items())
            lines.append(f"{_key(craft)} = {{ {told} }}")
        for craft, numbers in pinned.feel.get(clock, {}).items():
            lines += ["", f"[feel.{_key(clock)}.{_key(craft)}]"]
            lines += [
                f"{_key(name)} = {_text(value) if isinstance(value, str) else f'{value:g}'}"
                for name, value in sorted(numbers.items())
            ]
    return "\n".join(lines) + "\n"


def read_pin(path: Path | str) -> Pin:
    """Read a pin.

    Raises
    ------
    FileError
        If it cannot be read, or is none; names the file and what is wrong.
    """
    text = read_text(Path(path))
    try:
        found = _PinFile.model_validate(tomllib.loads(text))
    except tomllib.TOMLDecodeError as error:
        raise FileError(f"{path}: {error}") from None
    except ValidationError as error:
        first: Any = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise FileError(
            f"{path}: is no pin: {where}: {first['msg'].lower()}; write one with 'tinrocket pin'"
        ) from None
    feel = {
        clock: {
            craft: {
                name: value if isinstance(value, str) else float(value)
                for name, value in numbers.items()
            }
            for craft, numbers in every.items()
        }
        for clock, every in found.feel.items()
    }
    return Pin(
        title=found.title,
        version=found.version,
        rates=tuple(found.rates),
        scenario=found.scenario,
        feel=feel,
        ends=found.ends,
        outcomes=found.outcomes,
    )


def _key(name: str) -> str:
    return name if PLAIN.fullmatch(name) else _text(name)


def _text(value: str) -> str:
    """Return a text as a basic string of TOML."""
    escaped = value.replace("\\", "\\\\").replace('"', '\\"')
    return '"' + "".join(c if c.isprintable() else f"\\u{ord(c):04x}" for c in escaped) + '"'
