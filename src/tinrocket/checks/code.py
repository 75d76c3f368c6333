"""Checks of an update function's own lines, which are read and not executed."""

from collections.abc import Collection
from pathlib import Path

from tinrocket.checks.finding import Check, Finding
from tinrocket.errors import UnknownNameError, nearest
from tinrocket.own_update.patching import changed_line
from tinrocket.own_update.reading import read_lines

_KINDS = {
    "adds": (
        "adds-without-dt",
        "A line adds the same in every frame: a faster screen adds more per second.",
        "multiply the amount by dt",
    ),
    "keeps": (
        "factor-without-dt",
        "A line multiplies by the same factor in every frame.",
        "raise the factor to the power of dt in tuned frames",
    ),
    "eases": (
        "easing-without-dt",
        "A line covers the same share of the way in every frame.",
        "raise what is left of the way to the power of dt in tuned frames",
    ),
    "linear": (
        "share-linear-in-dt",
        "A share of a value is linear in dt: right only for short frames.",
        "raise the factor of a tuned frame to the power of dt in tuned frames",
    ),
    "capped": (
        "limit-without-dt",
        "A line moves by at most the same in every frame.",
        "multiply the limit by dt",
    ),
    "counter": (
        "counts-frames",
        "A count of frames is compared with a number.",
        "count time, and compare with a time",
    ),
    "remainder": (
        "drops-remainder",
        "A timer is set anew and drops what it is beyond its limit.",
        "subtract the limit from the timer",
    ),
    "chance": (
        "chance-per-frame",
        "A random test has the same chance in every frame.",
        "raise the chance of nothing happening to the power of dt in tuned frames",
    ),
    "seam": (
        "drops-overshoot",
        "A value is put onto a limit, and how far it came beyond is lost.",
        "add or subtract the length instead, or mirror the value at the limit",
    ),
}

CODE: dict[str, Check] = {
    name: Check(name, why, instead, lambda _subject: iter(()))
    for name, why, instead in _KINDS.values()
}
"""Every check of code by its name."""


def check_code(
    named: str | Path, select: Collection[str] = (), ignore: Collection[str] = ()
) -> list[Finding]:
    """Return each line of an update function that depends on the frame rate.

    Parameters
    ----------
    named
        ``FILE.py:NAME``; the file is read, not executed.
    select, ignore
        Names of checks to run, or to leave out.

    Raises
    ------
    FileError, OptionError, UnknownNameError
        If the file cannot be read, is no Python, or has no such function.
    """
    for name in (*select, *ignore):
        if name not in CODE:
            raise UnknownNameError(f"there is no check of code '{name}'{nearest(name, CODE)}")
    code, findings, _unknown = read_lines(named)
    code_findings = []
    for finding in findings:
        name, _why, _instead = _KINDS[finding.kind]
        if (select and name not in select) or name in ignore:
            continue
        before, after = changed_line(code, finding)
        code_findings.append(
            Finding(
                name,
                finding.routine.name,
                f"{before}: {finding.why}",
                f"write {after}",
                finding.line,
            )
        )
    return code_findings
