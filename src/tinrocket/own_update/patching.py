"""Patches of the user's text that keep names, layout and comments; and their diff."""

import ast
import difflib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

from tinrocket.own_update.finding import STEP, Finding
from tinrocket.own_update.routines import Code, Routine
from tinrocket.own_update.text_places import Places

NEW_DT = "dt"
"""Name of the parameter for the length of the step that a function gets."""


@dataclass(frozen=True, slots=True)
class _Change:
    """Replacement of the text between two places of a file, counted in characters."""

    begin: int
    end: int
    text: str


def patched(code: Code, findings: Iterable[Finding]) -> str:
    """Return the text of the file with findings mended.

    A function without a variable for the length of the step gets the parameter ``dt``, and so do
    those that call it, up to the update.
    """
    chosen = list(findings)
    places = code.places
    needing = _needing(code, chosen)
    changes = []
    for finding in chosen:
        name = step_name(code, finding.routine)
        for edit in finding.edits:
            begin, end = places.of(edit.node)
            text = edit.text.replace(STEP, name)
            if edit.before:
                indent = " " * (edit.node.col_offset)
                changes.append(_Change(begin, begin, f"{text}\n{indent}"))
            else:
                changes.append(_Change(begin, end, text))
    changes += [_parameter(places, routine) for routine in needing]
    for routine in code.routines:
        for call, other in routine.calls:
            if other in needing:
                changes.append(_argument(places, call, step_name(code, routine)))
    return _written(code.text, changes)


def step_name(code: Code, routine: Routine) -> str:
    """Return the variable of a routine that holds the length of the step."""
    known = code.time_name(routine)
    return known[0] if known is not None else NEW_DT


def changed_line(code: Code, finding: Finding) -> tuple[str, str]:
    """Return the statement of a finding, before and after its edits."""
    places = code.places
    begin, end = places.of(finding.statement)
    if isinstance(finding.statement, ast.If):
        end = places.of(finding.statement.test)[1]
    name = step_name(code, finding.routine)
    inside = []
    for edit in finding.edits:
        first, last = places.of(edit.node)
        if begin <= first and last <= end and not edit.before:
            inside.append(_Change(first - begin, last - begin, edit.text.replace(STEP, name)))
    before = code.text[begin:end]
    return " ".join(before.split()), " ".join(_written(before, inside).split())


def needs_parameter(code: Code, findings: Iterable[Finding]) -> bool:
    """Return whether the update itself gets the parameter ``dt``."""
    return code.entry in _needing(code, list(findings))


def as_diff(before: str, after: str, path: Path) -> str:
    """Return two texts of a file as a unified diff, which `patch -p1` and `git apply` take."""
    name = path.name
    old, new = (text.splitlines(keepends=True) for text in (before, after))
    lines = difflib.unified_diff(old, new, f"a/{name}", f"b/{name}")
    missing = "\n\\ No newline at end of file\n"
    return "".join(line if line.endswith("\n") else line + missing for line in lines)


def _needing(code: Code, findings: Sequence[Finding]) -> list[Routine]:
    """Return the routines that get the parameter ``dt``, and their callers that lack it."""
    needing = []
    for finding in findings:
        timed = any(STEP in edit.text for edit in finding.edits)
        if timed and code.time_name(finding.routine) is None:
            needing.append(finding.routine)
    for routine in needing:  # the loop appends to this list
        for caller in code.routines:
            calls = any(other is routine for _call, other in caller.calls)
            if calls and code.time_name(caller) is None and caller not in needing:
                needing.append(caller)
    return list(dict.fromkeys(needing))


def _written(text: str, changes: Sequence[_Change]) -> str:
    """Return a text with changes applied; a change within another is left out."""
    applied: list[_Change] = []
    for edit in sorted(set(changes), key=lambda change: (change.begin, change.end > change.begin)):
        if applied and edit.begin < applied[-1].end:
            continue
        applied.append(edit)
    for edit in reversed(applied):
        text = text[: edit.begin] + edit.text + text[edit.end :]
    return text


def _parameter(places: Places, routine: Routine) -> _Change:
    """Return the change that gives a function the parameter ``dt``."""
    close, bare = places.closing(places.of(routine.node)[0])
    return _Change(close, close, NEW_DT if bare else f", {NEW_DT}")


def _argument(places: Places, call: ast.Call, name: str) -> _Change:
    """Return the change that passes the length of the step on."""
    close = places.of(call)[1] - 1
    before = places.text[:close].rstrip()
    bare = not (call.args or call.keywords) or before.endswith(",")
    return _Change(close, close, name if bare else f", {name}")
