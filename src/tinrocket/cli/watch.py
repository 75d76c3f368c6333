"""`tinrocket watch`: on each save, report how the change alters motion and feel."""

from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tinrocket.cli.session import (
    USUAL_RATES,
    AllowOutside,
    AsJson,
    Rates,
    RulesFile,
    ScenarioFile,
    Session,
    Varied,
)

if TYPE_CHECKING:
    from tinrocket.cli.draw.pool import Studio
    from tinrocket.comparison.comparison import Comparison

NAMED = (".csv", ".png")
"""Endings of files that a scenario may name."""


def watch(
    scenario: ScenarioFile,
    rates: Rates = USUAL_RATES,
    vary: Varied = None,
    out: Annotated[
        Path | None, typer.Option(help="Directory for tables and pictures, replaced each time.")
    ] = None,
    rules: RulesFile = None,
    allow_outside: AllowOutside = False,
    json: AsJson = False,
) -> None:
    """Fly a scenario again on each save, and report what the change did.

    Ends with Ctrl-C.
    """
    from watchfiles import watch as changes_on_disk

    from tinrocket.cli.draw.pool import Studio
    from tinrocket.cli.output import echo, print_written
    from tinrocket.cli.results import writing
    from tinrocket.comparison.compare import compare

    session = Session(scenario, rules, allow_outside, rates=rates, vary=vary)
    session.load_rules()
    report = _report_as_json if json else _report

    def fly() -> "Comparison":
        return compare(session.read(), rates=session.parsed_rates, vary=session.varied)

    with Studio(beside=out is not None) as studio:
        seen = _state(scenario, out)
        before = fly()
        with writing(before, out, studio, flights=False) as written:
            report(None, before)
        if not json:
            print_written(written)
            echo(f"watching {scenario}; Ctrl-C ends it")
        # poll once a second too: a save before the watcher started raises no event
        for _changed in changes_on_disk(
            scenario.parent,
            debounce=50,
            step=10,
            recursive=False,
            rust_timeout=1000,
            yield_on_timeout=True,
        ):
            now = _state(scenario, out)
            if now != seen:
                seen, before = now, _again(fly, report, before, out, studio, timed=not json)


def _again(
    fly: "Callable[[], Comparison]",
    report: "Callable[[Comparison | None, Comparison], None]",
    before: "Comparison",
    out: Path | None,
    studio: "Studio",
    *,
    timed: bool,
) -> "Comparison":
    """Fly once more and report the changes, or print the errors of the file."""
    from time import perf_counter

    from tinrocket.cli.output import echo
    from tinrocket.cli.results import writing
    from tinrocket.errors import TinRocketError

    began = perf_counter()
    try:
        after = fly()
    except TinRocketError as error:
        for line in str(error).splitlines():
            echo(f"tinrocket: {line}", err=True)
        return before
    with writing(after, out, studio, flights=False):
        report(before, after)
        seconds = perf_counter() - began
    if timed:
        drawn = f", pictures after {perf_counter() - began:.2f} s" if out else ""
        echo(f"({seconds:.2f} s{drawn})")
    return after


def _report(before: "Comparison | None", after: "Comparison") -> None:
    """Print a comparison, or its differences from the one before."""
    from tinrocket.cli.output import echo, print_comparison, print_warnings
    from tinrocket.comparison.changes import changes_between
    from tinrocket.comparison.verdicts import verdict_lines

    if before is None:
        print_comparison(after)
        return
    lines = changes_between(before, after) or ["no change in motion"]
    for line in (*lines, verdict_lines(after)[0]):
        echo(line)
    print_warnings(warning for warning in after.warnings if warning not in before.warnings)


def _report_as_json(before: "Comparison | None", after: "Comparison") -> None:
    """Print a comparison and its differences from the one before as one line of JSON."""
    from json import dumps

    from tinrocket.cli.output import as_data, echo
    from tinrocket.comparison.changes import changes_between

    changes = [] if before is None else changes_between(before, after)
    echo(dumps({"changes": changes} | as_data(after)))


def _file(scenario: Path) -> Path:
    """Return the file of a scenario, or of an update function ``FILE.py:NAME``."""
    from tinrocket.own_update.loading import is_own_update

    return Path(str(scenario).rpartition(":")[0]) if is_own_update(scenario) else scenario


def _state(scenario: Path, out: Path | None) -> dict[Path, tuple[int, int]]:
    """Return when a scenario, and what it may name beside itself, was saved, and its size."""
    files = [_file(scenario)]
    if out is None or out.resolve() != scenario.parent.resolve():  # output of this command
        files += [path for path in scenario.parent.glob("*") if path.suffix in NAMED]
    states = {}
    for path in files:
        with suppress(OSError):  # an editor may remove the file for a moment while it saves
            status = path.stat()
            states[path] = status.st_mtime_ns, status.st_size
    return states
