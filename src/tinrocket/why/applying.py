"""Write a cured scenario into its file, keeping the comments."""

import tomllib
from pathlib import Path
from typing import Any

import tomlkit
from tomlkit.items import AbstractTable

from tinrocket.errors import FileError, OptionError
from tinrocket.files import as_path, read_text, write_text
from tinrocket.own_update.own_scenario import OwnScenario
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.toml_file import Beside, format_scenario, parse_scenario, read_scenario

Steps = tuple[str | int, ...]


def apply_cure(
    path: Path | str, cured: Scenario, out: Path | str, *, allow_outside: bool = False
) -> Path:
    """Write a cured scenario or update: its file with the changes of the cure.

    Comments and layout are kept.


    Parameters
    ----------
    path
        The scenario's file.
    cured
        The cured scenario or update.
    out
        File to write; beside the scenario, if that names files.
    allow_outside
        Whether files that it names may lie outside of its folder.

    Raises
    ------
    FileError
        If the file cannot be read or written.

    Examples
    --------
    >>> tr.write_scenario(tr.read_demo("marble"), "marble.toml")
    >>> cures = tr.find_cures(tr.explain(tr.read_scenario("marble.toml")))
    >>> tr.apply_cure("marble.toml", cures.cured, "cured.toml").name
    'cured.toml'
    """
    if isinstance(cured, OwnScenario):
        if not cured.own.gone:
            raise OptionError("--apply: this cure is in the update's caller; no line changes")
        write_text(as_path(out), cured.own.patched)
        return as_path(out)
    text = read_text(path)
    document = tomlkit.parse(text)
    before = read_scenario(path, allow_outside=allow_outside)
    whole = tomllib.loads(format_scenario(cured))
    if "clock" not in document and "clock" in whole:  # a new table holds no defaults
        whole["clock"] = cured.clock.model_dump(mode="json", exclude_defaults=True)
    for steps, value in changes(tomllib.loads(format_scenario(before)), whole, ()):
        _write(document, whole, steps, value)
    written = tomlkit.dumps(document)
    beside = Beside(as_path(out).parent, allow_outside)
    if parse_scenario(written, str(out), beside) != cured:
        raise FileError(f"{path}: cannot be changed in its place; write the scenario anew")
    write_text(out, written)
    return as_path(out)


GONE = object()
"""Marks a key that was removed."""


def changes(before: Any, after: Any, steps: Steps) -> list[tuple[Steps, Any]]:
    """Return the paths at which two scenarios differ as plain data, with the new values."""
    if before == after:
        return []
    if isinstance(before, dict) and isinstance(after, dict):
        edits: list[tuple[Steps, Any]] = []
        for key in dict.fromkeys((*before, *after)):
            if key not in after:
                edits.append(((*steps, key), GONE))
            elif key not in before:
                edits.append(((*steps, key), after[key]))
            else:
                edits += changes(before[key], after[key], (*steps, key))
        return edits
    lists = isinstance(before, list) and isinstance(after, list) and len(before) == len(after)
    if lists and all(isinstance(path, dict) for path in (*before, *after)):
        return [
            change
            for n, (old, new) in enumerate(zip(before, after, strict=True))
            for change in changes(old, new, (*steps, n))
        ]
    return [(steps, after)]


def _write(document: Any, whole: Any, steps: Steps, value: Any) -> None:
    """Write one value into a document, or the whole value that contains it in short form."""
    table, plain = document, whole
    for step in steps[:-1]:
        inner = _inside(table, step)
        if not isinstance(inner, AbstractTable | list | dict):
            if value is not GONE or inner is not None:
                table[step] = plain[step]
            return
        table, plain = inner, plain[step]
    if value is GONE:
        if _inside(table, steps[-1]) is not None:
            del table[steps[-1]]
    else:
        table[steps[-1]] = value


def _inside(table: Any, step: str | int) -> Any:
    if isinstance(step, int):
        return table[step] if step < len(table) else None
    return table.get(step)
