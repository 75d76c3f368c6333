"""Checking a scenario: all checks, the findings its file allows, and their lines."""

import re
import tomllib
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from tinrocket.checks import playing, seeing, starting, walls
from tinrocket.checks.finding import Check, Finding
from tinrocket.checks.subject import Subject
from tinrocket.errors import OptionError, UnknownNameError, expect, nearest
from tinrocket.files import read_text
from tinrocket.flight.record import Progress
from tinrocket.scenario.old_names import CHECKS
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.toml_file import read_scenario
from tinrocket.scenario.toml_lines import TomlLines
from tinrocket.trajectory.clocks import RATES, check_pace

ALL: dict[str, Check] = {
    check.name: check
    for theme in (starting, walls, playing, seeing)
    for check in theme.CHECKS.known
}
"""Every check by its name."""

ALLOWS = re.compile(r"#\s*allows\s+([a-z-]+)\s*(?::\s*(.*))?$")
"""A comment ``# allows never-stops: it glides in space``."""


@dataclass(frozen=True, slots=True)
class Allowed:
    """A check that a file allows on one of its lines, and the reason."""

    name: str
    line: int
    why: str


def check(
    scenario: Scenario,
    rates: Sequence[float] = RATES,
    select: Sequence[str] = (),
    ignore: Sequence[str] = (),
    progress: Progress | None = None,
) -> list[Finding]:
    """Look for mistakes of motion that are easily made and noticed late.

    Parameters
    ----------
    scenario
        The scenario to check.
    rates
        Frames per second at which it is to be played.
    select, ignore
        Names of checks: only these, or all but these.
    progress
        Called with how many checks are done, and of how many, after each.

    Raises
    ------
    UnknownNameError
        If there is no check of a name.
    OptionError
        If a frame rate is not above 0.

    Examples
    --------
    >>> [finding.check.name for finding in tr.check(tr.read_demo("rocket"))]
    []
    """
    expect(scenario, Scenario, "check()", "read one with read_scenario('file.toml')")
    check_pace("check()", rates)
    if not all(0.0 < rate <= 1e6 for rate in rates) or not rates:
        raise OptionError("give frame rates above zero, such as 30, 60 and 144")
    select, ignore = _names(select), _names(ignore)
    for name in (*select, *ignore):
        check_named(name)
    subject = Subject(scenario, tuple(map(float, rates)))
    chosen = [name for name in ALL if (not select or name in select) and name not in ignore]
    findings = []
    for done, chosen_check in enumerate(map(check_named, chosen), 1):
        for noticed in chosen_check.look(subject):
            where, what = noticed.where, noticed.what
            findings.append(Finding(chosen_check.name, where, what, chosen_check.instead))
        if progress is not None:
            progress(done, len(chosen))
    return findings


def _names(names: Sequence[str]) -> list[str]:
    """Return names of checks as a list; a single text is a list of one."""
    wanted: object = names
    if isinstance(wanted, str):
        return [wanted]
    if not isinstance(wanted, Collection):
        raise OptionError(f"check() takes names of checks in a list, not {wanted!r}")
    return [str(name) for name in wanted]


def _hint(name: str) -> str:
    """Return the end of a message about an unknown check: its new name, or the nearest one."""
    return f"; renamed to '{CHECKS[name]}'" if name in CHECKS else nearest(name, ALL)


def check_named(name: str) -> Check:
    """Return the check of a name; UnknownNameError if there is none."""
    if name not in ALL:
        raise UnknownNameError(f"there is no check '{name}'{_hint(name)}")
    return ALL[name]


def check_file(
    path: Path | str,
    rates: Sequence[float] = RATES,
    select: Sequence[str] = (),
    ignore: Sequence[str] = (),
    progress: Progress | None = None,
    *,
    allow_outside: bool = False,
) -> list[Finding]:
    """Check a scenario's file, with the lines of the file and what it allows.

    A comment "# allows NAME: reason" on the line of a finding or the line before allows it
    there; before the first key of the file it allows it everywhere.

    Parameters
    ----------
    path
        The file.
    rates, select, ignore, progress
        As for `check`.
    allow_outside
        Whether files that the scenario names may lie outside of its folder.

    Raises
    ------
    FileError, ScenarioError
        If the file cannot be read, or is no scenario.
    OptionError
        If it allows something without a reason.
    UnknownNameError
        If it allows a name that no check has.
    """
    scenario = read_scenario(path, allow_outside=allow_outside)
    text = read_text(path)
    data = tomllib.loads(text)
    allowed = list(_allowed(text, str(path)))
    first = next(
        (
            n
            for n, line in enumerate(text.splitlines(), 1)
            if line.strip() and line.strip()[0] != "#"
        ),
        0,
    )
    findings, lines = [], TomlLines(text, data)
    for each in check(scenario, rates, select, ignore, progress):
        line = lines.line_of(each.where)
        silent = any(
            finding.name == each.name
            and (finding.line < first or (line is not None and finding.line in (line, line - 1)))
            for finding in allowed
        )
        if not silent:
            findings.append(replace(each, line=line))
    return sorted(findings, key=lambda finding: (finding.line or 0, finding.name))


def _allowed(text: str, source: str) -> list[Allowed]:
    lines = []
    for number, line in enumerate(text.splitlines(), start=1):
        allowed = ALLOWS.search(line)
        if allowed is None:
            continue
        name, why = allowed[1], (allowed[2] or "").strip()
        if name not in ALL:
            raise UnknownNameError(
                f"{source}:{number}: there is no check '{name}' to allow{_hint(name)}"
            )
        if not why:
            raise OptionError(f"{source}:{number}: give a reason: # allows {name}: because ...")
        lines.append(Allowed(name, number, why))
    return lines
