"""Pins as TOML: sorted, short, with few digits, so that a review can read the differences."""

from pathlib import Path
from typing import Annotated

import tomli_w
from pydantic import AfterValidator, Field, FiniteFloat

from tinrocket.errors import Problem, ScenarioError
from tinrocket.feel_metrics.pin import Pin
from tinrocket.files import as_path, parse_toml, read_text, write_text
from tinrocket.scenario.numbers import Model, Quantity, Rate

ENDING = ".pin.toml"
HEAD = "# What this scenario did when it was pinned.  Renew it with: tinrocket check --accept\n"
PACE = " fps"


def _paced(clock: str) -> str:
    try:
        float(clock.removesuffix(PACE))
    except ValueError:
        raise ValueError(f"must be a rate such as '60{PACE}', not {clock!r}") from None
    return clock


Clock = Annotated[str, AfterValidator(_paced)]
Told = Annotated[FiniteFloat, Quantity("")]


class _PinFile(Model):
    """The content of a pin file."""

    title: str
    version: str
    rates: Annotated[tuple[Rate, ...], Field(min_length=1)]
    scenario: dict[str, str]
    ends: dict[Clock, dict[str, tuple[Told, Told, Told]]]
    outcomes: dict[Clock, dict[str, dict[str, int]]] = Field(default_factory=dict)
    feel: dict[Clock, dict[str, dict[str, Annotated[float, Quantity("")] | str]]] = Field(
        default_factory=dict
    )


def pin_path(scenario: Path) -> Path:
    """Return the path of a scenario's pin, beside the scenario."""
    name = scenario.name.removesuffix(".toml").replace(".py:", ".")
    return scenario.with_name(name + ENDING)


def write_pin(pinned: Pin, path: Path | str) -> Path:
    """Write a pin.

    Raises
    ------
    FileError
        If it cannot be written.

    Examples
    --------
    >>> tr.write_pin(tr.pin(tr.read_demo("rocket")), "rocket.pin.toml").name
    'rocket.pin.toml'
    """
    write_text(path, format_pin(pinned))
    return as_path(path)


def format_pin(pinned: Pin) -> str:
    """Return a pin as TOML, with a line for each value that can change."""
    lines = [
        HEAD,
        f"title = {_text(pinned.title)}",
        f"version = {_text(pinned.version)}",
        f"rates = [{', '.join(f'{rate:g}' for rate in pinned.rates)}]",
    ]
    lines += ["", "[scenario]"]
    lines += [f"{_key(path)} = {_text(value)}" for path, value in pinned.scenario.items()]
    for clock in (f"{rate:g}{PACE}" for rate in pinned.rates):
        lines += ["", f"[ends.{_key(clock)}]"]
        lines += [
            f"{_key(craft)} = [{', '.join(f'{coordinate:g}' for coordinate in end)}]"
            for craft, end in pinned.ends.get(clock, {}).items()
        ]
        lines += ["", f"[outcomes.{_key(clock)}]"]
        for craft, counts in pinned.outcomes.get(clock, {}).items():
            counted = ", ".join(f"{_key(kind)} = {count}" for kind, count in counts.items())
            lines.append(f"{_key(craft)} = {{ {counted} }}")
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
        If it cannot be read, or is not TOML.
    ScenarioError
        If it is not a pin, with all problems.
    """
    data = parse_toml(read_text(path), path)
    try:
        pinned = _PinFile.from_data(data, str(path))
    except ScenarioError as error:
        hint = Problem("", "is no pin; write one with 'tinrocket pin'")
        raise ScenarioError([*error.problems, hint], str(path)) from None
    feel = {
        clock: {
            craft: {
                name: value if isinstance(value, str) else float(value)
                for name, value in numbers.items()
            }
            for craft, numbers in every.items()
        }
        for clock, every in pinned.feel.items()
    }
    return Pin(
        title=pinned.title,
        version=pinned.version,
        rates=pinned.rates,
        scenario=pinned.scenario,
        feel=feel,
        ends=pinned.ends,
        outcomes=pinned.outcomes,
    )


def _key(name: str) -> str:
    return tomli_w.dumps({name: 0}).removesuffix(" = 0\n")


def _text(value: str) -> str:
    return tomli_w.dumps({"_": value}).removeprefix("_ = ").removesuffix("\n")
