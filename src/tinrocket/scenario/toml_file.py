"""Scenarios as TOML files."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import tomli_w

from tinrocket.errors import FileError, expect
from tinrocket.files import as_path, parse_toml, read_text, write_text
from tinrocket.scenario.csv_file import read_frame_times, read_tape
from tinrocket.scenario.mask_file import read_mask
from tinrocket.scenario.numbers import Model
from tinrocket.scenario.scenario import Scenario


def read_scenario(path: Path | str, *, allow_outside: bool = False) -> Scenario:
    """Read a scenario.

    A tape or a list of frame times may be in a CSV file of its own, named by
    ``tape.file`` or ``clock.frame_times_file`` relative to the scenario's file, and the
    pixels of a mask in a PNG file, named by its ``file``.

    Parameters
    ----------
    path
        A TOML file.
    allow_outside
        Whether the files that it names may lie outside of its own folder.

    Raises
    ------
    FileError
        If a file cannot be read, is not TOML, or lies where it may not.
    ScenarioError
        With all problems of the file.

    Examples
    --------
    >>> tr.write_scenario(tr.read_demo("rocket"), "rocket.toml")
    >>> tr.read_scenario("rocket.toml").tuned_at
    60.0
    """
    beside = Beside(as_path(path).parent, allow_outside)
    return parse_scenario(read_text(path), source=str(path), beside=beside)


@dataclass(frozen=True, slots=True)
class Beside:
    """Folder in which the files of a scenario are searched."""

    folder: Path = Path()
    allow_outside: bool = False

    def path(self, name: str) -> Path:
        """Return the path of a file; FileError if it must be within the folder and is not."""
        path = self.folder / name
        try:
            inside = path.resolve().is_relative_to(self.folder.resolve())
        except (OSError, ValueError, RuntimeError):  # a name that is empty or a folder
            raise FileError(f"{name}: is not the name of a file") from None
        if not inside and not self.allow_outside:
            raise FileError(
                f"{name}: lies outside of the scenario's folder; move it there, or allow that "
                f"with --allow-outside, in Python with allow_outside=True"
            )
        return path


def parse_scenario(text: str, source: str | None = None, beside: Beside | None = None) -> Scenario:
    """Read a scenario from TOML text; `beside` is the folder of the files that it names."""
    data = parse_toml(text, source or "scenario")
    _take_in_files(data, beside or Beside())
    return Scenario.from_data(data, source, text)


def _take_in_files(data: dict[str, Any], beside: Beside) -> None:
    tape, clock = data.get("tape"), data.get("clock")
    if isinstance(tape, dict) and isinstance(tape.get("file"), str):
        rest = {key: value for key, value in tape.items() if key != "file"}
        pointers = rest.get("pointers")
        names = tuple(pointers) if isinstance(pointers, dict) else ()
        read = read_tape(beside.path(tape["file"]), names)
        data["tape"] = rest | read.model_dump(exclude_defaults=True)
    shaped = [
        shaped_table for key in ("craft", "obstacle") for shaped_table in _tables(data.get(key))
    ]
    shaped += [hit for shaped_table in shaped for hit in _tables([shaped_table.get("hit")])]
    for table in shaped:
        shape = table.get("shape")
        if isinstance(shape, dict) and isinstance(shape.get("file"), str):
            rest = {key: value for key, value in shape.items() if key != "file"}
            table["shape"] = rest | {"rows": read_mask(beside.path(shape["file"])).rows}
    if isinstance(clock, dict) and isinstance(clock.get("frame_times_file"), str):
        rest = {key: value for key, value in clock.items() if key != "frame_times_file"}
        times = read_frame_times(beside.path(clock["frame_times_file"]))
        data["clock"] = rest | {"frame_times": times}


def _tables(value: object) -> list[dict[str, Any]]:
    return [table for table in value if isinstance(table, dict)] if isinstance(value, list) else []


def write_scenario(scenario: Scenario, path: Path | str) -> None:
    """Write a scenario so that reading it gives an equal one; comments are not kept.

    Examples
    --------
    >>> slow = tr.with_value(tr.read_demo("rocket"), "rocket.thrust.accel", 200)
    >>> tr.write_scenario(slow, "slow.toml")
    """
    expect(scenario, Scenario, "write_scenario()", "write a flight with write_trajectory()")
    write_text(path, format_scenario(scenario))


def format_scenario(scenario: Scenario) -> str:
    """Return a scenario as TOML text."""
    return tomli_w.dumps(_without_nothing(scenario, scenario.model_dump(mode="json")))


def _without_nothing(value: Any, data: Any) -> Any:
    """Drop keys without a value, which TOML cannot express; reading fills them in again.

    Keep an empty list where it differs from the default: `resets = []` (no craft) is not
    `resets` left out (all craft).
    """
    if isinstance(value, Model):
        entries = {}
        for key, field in type(value).model_fields.items():
            inner = getattr(value, key)
            empty = data[key] in ({}, [])
            default = field.get_default(call_default_factory=True, validated_data={})
            if data[key] is not None and not (empty and inner == default):
                entries[key] = _without_nothing(inner, data[key])
        return entries
    if isinstance(value, dict):
        return {key: _without_nothing(value[key], inner) for key, inner in data.items()}
    if isinstance(value, tuple) and len(value) == len(data):
        pairs = zip(value, data, strict=True)
        return [_without_nothing(inner, plain) for inner, plain in pairs]
    return data
