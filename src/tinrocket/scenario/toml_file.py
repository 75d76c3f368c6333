"""Scenarios as TOML files."""

import tomllib
from pathlib import Path
from typing import Any

import tomli_w

from tinrocket.errors import FileError
from tinrocket.files import read_text, write_text
from tinrocket.scenario.csv_file import read_frame_times, read_tape
from tinrocket.scenario.mask_file import read_mask
from tinrocket.scenario.scenario import Scenario


def read_scenario(path: Path | str) -> Scenario:
    """Read a scenario.

    A tape or a list of frame times may stand in a CSV file of its own, named by
    ``tape.file`` or ``clock.frame_times_file`` relative to the scenario's file, and the
    pixels of a mask in a PNG file, named by its ``file``.

    Raises
    ------
    FileError
        If a file cannot be read or is not TOML.
    ScenarioError
        With everything in it that is wrong.
    """
    return parse_scenario(read_text(path), source=str(path), beside=Path(path).parent)


def parse_scenario(text: str, source: str | None = None, beside: Path | None = None) -> Scenario:
    """Read a scenario from TOML text; `beside` is where files that it names are looked for."""
    try:
        data = tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise FileError(f"{source or 'scenario'}: is not TOML: {error}") from None
    _take_in_files(data, beside or Path())
    return Scenario.from_data(data, source, text)


def _take_in_files(data: dict[str, Any], beside: Path) -> None:
    tape, clock = data.get("tape"), data.get("clock")
    if isinstance(tape, dict) and isinstance(tape.get("file"), str):
        rest = {key: value for key, value in tape.items() if key != "file"}
        data["tape"] = read_tape(beside / tape["file"]).model_dump(exclude_defaults=True) | rest
    shaped = [one for key in ("craft", "obstacle") for one in _tables(data.get(key))]
    shaped += [hit for one in shaped for hit in _tables([one.get("hit")])]
    for one in shaped:
        shape = one.get("shape")
        if isinstance(shape, dict) and isinstance(shape.get("file"), str):
            rest = {key: value for key, value in shape.items() if key != "file"}
            one["shape"] = rest | {"rows": read_mask(beside / shape["file"]).rows}
    if isinstance(clock, dict) and isinstance(clock.get("frame_times_file"), str):
        rest = {key: value for key, value in clock.items() if key != "frame_times_file"}
        data["clock"] = rest | {"frame_times": read_frame_times(beside / clock["frame_times_file"])}


def _tables(value: object) -> list[dict[str, Any]]:
    return [one for one in value if isinstance(one, dict)] if isinstance(value, list) else []


def write_scenario(scenario: Scenario, path: Path | str) -> None:
    """Write a scenario so that reading it gives an equal one; comments are not kept."""
    write_text(path, format_scenario(scenario))


def format_scenario(scenario: Scenario) -> str:
    """Return a scenario as TOML text."""
    return tomli_w.dumps(_without_nothing(scenario.model_dump(mode="json")))


def _without_nothing(value: Any) -> Any:
    """Drop keys that hold nothing, which TOML cannot say and reading fills in again."""
    if isinstance(value, dict):
        kept = {key: _without_nothing(inner) for key, inner in value.items() if inner is not None}
        return {key: inner for key, inner in kept.items() if inner not in ({}, [])}
    if isinstance(value, list):
        return [_without_nothing(inner) for inner in value]
    return value
