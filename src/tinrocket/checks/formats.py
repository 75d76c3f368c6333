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
    return "\n".join(f"{source}:{finding.line or 1}: {finding}" for finding in findings)


def as_json(findings: Sequence[Finding], source: str) -> str:
    """Return a list of findings."""
    entries = [
        {
            "file": source,
            "line": finding.line,
            "name": finding.name,
            "where": finding.where,
            "what": finding.what,
            "instead": finding.instead,
        }
        for finding in findings
    ]
    return json_text(entries)


def as_github(findings: Sequence[Finding], source: str) -> str:
    """Return workflow commands, which become annotations of a change."""
    return "\n".join(
        f"::warning file={_escaped(source, '%,:')},line={finding.line or 1},"
        f"title={_escaped(finding.name, '%,:')}::"
        f"{_escaped(f'{finding.where}: {finding.what}; {finding.instead}', '%')}"
        for finding in findings
    )


def _escaped(text: str, also: str) -> str:
    for mark, code in (("%", "%25"), ("\n", "%0A"), ("\r", "%0D"), (",", "%2C"), (":", "%3A")):
        if mark in "\n\r" or mark in also:
            text = text.replace(mark, code)
    return printable(text)


def as_sarif(findings: Sequence[Finding], source: str) -> str:
    """Return the Static Analysis Results Interchange Format, 2.1.0."""
    names, known = dict.fromkeys(finding.name for finding in findings), ALL | CODE
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
            "ruleId": finding.name,
            "level": "warning",
            "message": {"text": f"{finding.where}: {finding.what}; {finding.instead}"},
            "locations": [
                {
                    "physicalLocation": {
                        "artifactLocation": {"uri": source.replace("\\", "/")},
                        "region": {"startLine": finding.line or 1},
                    }
                }
            ],
        }
        for finding in findings
    ]
    driver = {"name": "Tin Rocket", "version": __version__, "rules": rules}
    whole = {
        "$schema": SARIF,
        "version": "2.1.0",
        "runs": [{"tool": {"driver": driver}, "results": results}],
    }
    return json_text(whole)


FORMATS = {"text": as_text, "json": as_json, "sarif": as_sarif, "github": as_github}
