"""Findings as text, as JSON, for a code host's annotations, and in the static-analysis format."""

from collections.abc import Sequence

from tinrocket import __version__
from tinrocket.checks.check import ALL
from tinrocket.checks.code import CODE
from tinrocket.checks.finding import Finding
from tinrocket.texts import json_text, printable

SARIF = "https://json.schemastore.org/sarif-2.1.0.json"


def as_text(findings: Sequence[Finding], source: str) -> str:
    """Return a line for each: file, line, name, sentence and what to write instead."""
    return "\n".join(f"{source}:{one.line or 1}: {one}" for one in findings)


def as_json(findings: Sequence[Finding], source: str) -> str:
    """Return a list of findings."""
    entries = [
        {
            "file": source,
            "line": one.line,
            "name": one.name,
            "where": one.where,
            "what": one.what,
            "instead": one.instead,
        }
        for one in findings
    ]
    return json_text(entries)


def as_github(findings: Sequence[Finding], source: str) -> str:
    """Return workflow commands, which become annotations of a change."""
    return "\n".join(
        f"::warning file={_escaped(source, '%,:')},line={one.line or 1},"
        f"title={_escaped(one.name, '%,:')}::"
        f"{_escaped(f'{one.where}: {one.what}; {one.instead}', '%')}"
        for one in findings
    )


def _escaped(text: str, also: str) -> str:
    for mark, code in (("%", "%25"), ("\n", "%0A"), ("\r", "%0D"), (",", "%2C"), (":", "%3A")):
        if mark in "\n\r" or mark in also:
            text = text.replace(mark, code)
    return printable(text)


def as_sarif(findings: Sequence[Finding], source: str) -> str:
    """Return the Static Analysis Results Interchange Format, 2.1.0."""
    names, known = dict.fromkeys(one.name for one in findings), ALL | CODE
    rules = [
        {
            "id": name,
            "shortDescription": {"text": known[name].why},
            "help": {"text": known[name].instead},
        }
        for name in names
    ]
    results = [
        {
            "ruleId": one.name,
            "level": "warning",
            "message": {"text": f"{one.where}: {one.what}; {one.instead}"},
            "locations": [
                {
                    "physicalLocation": {
                        "artifactLocation": {"uri": source.replace("\\", "/")},
                        "region": {"startLine": one.line or 1},
                    }
                }
            ],
        }
        for one in findings
    ]
    driver = {"name": "Tin Rocket", "version": __version__, "rules": rules}
    whole = {
        "$schema": SARIF,
        "version": "2.1.0",
        "runs": [{"tool": {"driver": driver}, "results": results}],
    }
    return json_text(whole)


FORMATS = {"text": as_text, "json": as_json, "sarif": as_sarif, "github": as_github}
