"""What the commands share: reading options, printing, and writing results."""

import json
import sys
import time
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

import typer

from tinrocket.errors import OptionError
from tinrocket.texts import safe_output

if TYPE_CHECKING:
    from rich.console import Console

    from tinrocket.comparison.comparison import Comparison
    from tinrocket.trajectory.trajectory import Trajectory

SHORT = 0.5
"""Run time after which a progress bar appears [s]."""


def echo(text: str, *, err: bool = False) -> None:
    """Print lines, whatever a file has put into them: nothing of them acts on the terminal."""
    typer.echo(safe_output(text), err=err)


def echo_text(text: str) -> None:
    """Print a text to the letter into a file or pipe; on a terminal nothing of it acts."""
    typer.echo(safe_output(text) if sys.stdout.isatty() else text, nl=False)


def console() -> "Console":
    """Return where results are printed: in colour only on a terminal, and as `echo` prints."""
    from tinrocket.cli.safe_console import SafeConsole

    return SafeConsole(highlight=False)


@contextmanager
def progress_bar(what: str) -> Iterator[Callable[[int, int], None] | None]:
    """Show how far a long command is, on a terminal alone; a short one is over before."""
    if not sys.stderr.isatty():
        yield None
        return
    began, bars = time.monotonic(), ExitStack()
    shown: list[Callable[[int, int], None]] = []

    def tell(done: int, total: int) -> None:
        if not shown and time.monotonic() - began > SHORT:
            shown.append(bars.enter_context(_bar(what)))
        if shown:
            shown[0](done, total)

    with bars:
        yield tell


@contextmanager
def _bar(what: str) -> Iterator[Callable[[int, int], None]]:
    from rich.console import Console
    from rich.progress import Progress

    with Progress(console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(what, total=None)
        yield lambda done, total: bar.update(task, completed=done, total=total)


def parse_rates(text: str, option: str = "--rates") -> list[float]:
    """Read ``30,60,144``, as given to an option.

    Raises
    ------
    OptionError
        If a part of it is not a number above zero.
    """
    rates = []
    for part in text.split(","):
        try:
            rate = float(part)
        except ValueError:
            rate = float("nan")
        if not 0.0 < rate <= 1e6:
            raise OptionError(
                f"{option}: '{part.strip()}' is not a frame rate; "
                f"give frames per second, such as 30,60,144"
            )
        rates.append(rate)
    return rates


def as_data(comparison: "Comparison", felt: Sequence[str] = ()) -> dict[str, Any]:
    """Return a comparison as plain data: a run each, with its numbers, its events, and its feel."""
    rows = json.loads(comparison.table.to_json(orient="records", double_precision=15))
    owners = ((run, craft) for run in comparison.runs for craft in run.drifts)
    for row, (run, craft) in zip(rows, owners, strict=False):  # a run that blew up has no events
        named = [craft, *run.flight.families[craft], ""]
        mine = run.outcomes[run.outcomes["craft"].isin(named)]
        row["events"] = json.loads(mine.to_json(orient="records", double_precision=15))
    return {
        "scenario": comparison.title,
        "reference": comparison.reference_name,
        "against": comparison.against,
        "tolerance": comparison.tolerance,
        "agrees": comparison.agrees,
        "warnings": list(comparison.warnings),
        "feel": [line.strip() for line in felt[1:]],
        "runs": rows,
    }


def fails(comparison: "Comparison", on: str | None) -> bool:
    """Whether a comparison makes the command exit with 1, as `--fail-on` demands."""
    from tinrocket.comparison.verdicts import BLEW_UP, DIFFERS, DRIFTS

    failing = {None: set(), "outcome": {BLEW_UP, DIFFERS}, "drift": {BLEW_UP, DIFFERS, DRIFTS}}
    return not failing[on].isdisjoint(comparison.verdicts)


def print_warnings(warnings: Iterable[str]) -> None:
    """Print warnings to stderr, apart from the results."""
    for warning in warnings:
        echo(f"warning: {warning}", err=True)


def print_flight(title: str, flight: "Trajectory", written: Iterable[Path], *, every: bool) -> None:
    """Print the summary of a flight, its events (the first ones, or all), and the files written."""
    from tinrocket.show.summary import event_table, flight_lines

    out = console()
    frames = flight.recorded.counts[0] - 1
    head = f"{title}: {frames} frames in {flight.duration:.4g} s, {flight.clock}"
    for line in (head, *flight_lines(flight)):
        out.print(line, markup=False, soft_wrap=True)
    if flight.happened["t"].size:
        out.print(event_table(flight, every=every))
    print_written(written)


def print_comparison(comparison: "Comparison") -> None:
    """Print the drift table and its summary."""
    from tinrocket.comparison.verdicts import verdict_lines
    from tinrocket.show.tables import drift_table

    out = console()
    out.print(drift_table(comparison))
    for line in verdict_lines(comparison):
        out.print(line, markup=False, soft_wrap=True)
    print_warnings(comparison.warnings)


def print_written(written: Iterable[Path]) -> None:
    """Print the names of the files written."""
    for path in written:
        echo(f"wrote {path}")
