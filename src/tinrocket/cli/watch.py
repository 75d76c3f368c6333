"""`tinrocket watch`: on each save, what the change did to how it feels."""

from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tinrocket.cli.options import AllowOutside, RulesFile, Varied

if TYPE_CHECKING:
    from tinrocket.analysis.comparison import Comparison
    from tinrocket.cli.studio import Studio

NAMED = (".csv", ".png")
"""Endings of files that a scenario may name."""


def watch(
    scenario: Annotated[Path, typer.Argument(help="A scenario file (TOML).")],
    rates: Annotated[str, typer.Option(help="Frame rates, such as 30,60,144.")] = "30,60,144",
    vary: Varied = None,
    out: Annotated[
        Path | None, typer.Option(help="Directory for tables and pictures, made anew each time.")
    ] = None,
    rules: RulesFile = None,
    allow_outside: AllowOutside = False,
) -> None:
    """Fly a scenario again whenever its file is saved, and say what the change did.

    Ends with Ctrl-C.
    """
    from watchfiles import watch as changes_on_disk

    from tinrocket.analysis.compare import compare
    from tinrocket.cli.options import load_rules
    from tinrocket.cli.output import echo, parse_rates, print_comparison, print_written
    from tinrocket.cli.results import writing
    from tinrocket.cli.studio import Studio
    from tinrocket.scenario.toml_file import read_scenario
    from tinrocket.scenario.vary import parse_vary

    load_rules(rules)
    paced, varied = parse_rates(rates), parse_vary(vary or ())

    def fly() -> "Comparison":
        return compare(
            read_scenario(scenario, allow_outside=allow_outside), rates=paced, vary=varied
        )

    with Studio(beside=out is not None) as studio:
        seen = _state(scenario, out)
        before = fly()
        with writing(before, out, studio, flights=False) as written:
            print_comparison(before)
        print_written(written)
        echo(f"watching {scenario}; Ctrl-C ends it")
        # looked at once a second too: what was saved before the watch began tells nobody
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
                seen, before = now, _again(fly, before, out, studio)


def _again(
    fly: "Callable[[], Comparison]",
    before: "Comparison",
    out: Path | None,
    studio: "Studio",
) -> "Comparison":
    """Fly once more and say what is otherwise; what is wrong with the file is a sentence."""
    from time import perf_counter

    from tinrocket.analysis.changes import changes_between
    from tinrocket.analysis.verdicts import verdict_lines
    from tinrocket.cli.output import echo, print_warnings
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
        lines = changes_between(before, after) or ["nothing flies otherwise"]
        for line in (*lines, verdict_lines(after)[0]):
            echo(line)
        print_warnings(warning for warning in after.warnings if warning not in before.warnings)
        told = perf_counter() - began
    drawn = f", pictures after {perf_counter() - began:.2f} s" if out else ""
    echo(f"({told:.2f} s{drawn})")
    return after


def _state(scenario: Path, out: Path | None) -> dict[Path, tuple[int, int]]:
    """Return when a scenario, and what it may name beside itself, was saved, and its size."""
    files = [scenario]
    if out is None or out.resolve() != scenario.parent.resolve():  # what is written there is not
        files += [path for path in scenario.parent.glob("*") if path.suffix in NAMED]
    found = {}
    for path in files:
        with suppress(OSError):  # between two steps of a save there is none
            told = path.stat()
            found[path] = told.st_mtime_ns, told.st_size
    return found
