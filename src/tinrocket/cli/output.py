"""What the commands share: reading options, printing, and writing results."""

import json
import re
import sys
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

import typer

from tinrocket.errors import OptionError

if TYPE_CHECKING:
    from matplotlib.figure import Figure
    from rich.console import Console

    from tinrocket.analysis.comparison import Comparison
    from tinrocket.analysis.trajectory import Trajectory


def console() -> "Console":
    """Return where results are printed: in colour only on a terminal."""
    from rich.console import Console

    return Console(highlight=False)


@contextmanager
def progress_bar(what: str) -> Iterator[Callable[[int, int], None] | None]:
    """Show how far a long command is, on a terminal alone; a short one is over before."""
    if not sys.stderr.isatty():
        yield None
        return
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


def write_comparison(comparison: "Comparison", out: Path) -> list[Path]:
    """Write tables, trajectories and pictures into a directory; return what was written."""
    from tinrocket.analysis.trajectory_file import write_trajectory
    from tinrocket.files import make_directory, write_text
    from tinrocket.show.drifts import plot_drift
    from tinrocket.show.paths import plot_paths
    from tinrocket.show.series import plot_series
    from tinrocket.show.theme import save_figure
    from tinrocket.show.timeline import plot_timeline
    from tinrocket.show.variants import plot_variants

    flights = make_directory(make_directory(out) / "trajectories")
    written = []
    for name, table in (("drift.csv", comparison.table), ("events.csv", comparison.events)):
        write_text(out / name, table.to_csv(index=False, lineterminator="\n"))
        written.append(out / name)
    pictures: dict[str, Callable[[Comparison], Figure]] = {
        "paths": plot_paths,
        "timeline": plot_timeline,
        "series": plot_series,
        "drift": plot_drift,
    }
    if comparison.changes_tuned:
        pictures["variants"] = plot_variants
    for picture, draw in pictures.items():
        written.append(save_figure(draw(comparison), out / f"{picture}.png"))
    names: dict[str, int] = {}
    for run in comparison.runs:
        name = file_name(f"{run.variant} {run.clock}")
        names[name] = names.get(name, 0) + 1
        number = f"-{names[name]}" if names[name] > 1 else ""
        write_trajectory(run.flight, flights / f"{name}{number}.csv")
    return [*written, flights]


def file_name(label: str) -> str:
    """Return a label as a file name: words, digits, points and dashes."""
    return re.sub(r"[^\w.=]+", "-", label).strip("-") or "run"


def as_json(comparison: "Comparison") -> str:
    """Return a comparison as JSON: a run each, with its numbers and its events."""
    rows = json.loads(comparison.table.to_json(orient="records", double_precision=15))
    owners = ((run, craft) for run in comparison.runs for craft in run.drifts)
    for row, (run, craft) in zip(rows, owners, strict=False):  # what blew up has no events
        named = [craft, *run.flight.families[craft], ""]
        mine = run.outcomes[run.outcomes["craft"].isin(named)]
        row["events"] = json.loads(mine.to_json(orient="records", double_precision=15))
    return json.dumps(
        {
            "scenario": comparison.title,
            "reference": comparison.reference_name,
            "against": comparison.against,
            "tolerance": comparison.tolerance,
            "agrees": comparison.agrees,
            "warnings": list(comparison.warnings),
            "runs": rows,
        },
        indent=2,
        ensure_ascii=False,
    )


def fails(comparison: "Comparison", on: str | None) -> bool:
    """Whether a comparison is one that a script asked to be told of by the exit status."""
    from tinrocket.analysis.verdicts import BLEW_UP, DIFFERS, DRIFTS

    told = {None: set(), "outcome": {BLEW_UP, DIFFERS}, "drift": {BLEW_UP, DIFFERS, DRIFTS}}
    return not told[on].isdisjoint(comparison.verdicts)


def print_warnings(warnings: Iterable[str]) -> None:
    """Print what is hardly meant, beside the results."""
    for warning in warnings:
        typer.echo(f"warning: {warning}", err=True)


def print_flight(title: str, flight: "Trajectory", written: Iterable[Path], *, every: bool) -> None:
    """Print what a flight came to, its events (the first, or every one), and where files are."""
    from tinrocket.show.summary import event_table, flight_lines

    out = console()
    frames = flight.recorded.counts[0] - 1
    head = f"{title}: {frames} frames in {flight.duration:.4g} s, {flight.clock}"
    for line in (head, *flight_lines(flight)):
        out.print(line, markup=False, soft_wrap=True)
    if flight.happened["t"].size:
        out.print(event_table(flight, every=every))
    for path in written:
        out.print(f"wrote {path}", markup=False, soft_wrap=True)


def print_comparison(comparison: "Comparison", written: Iterable[Path] = ()) -> None:
    """Print the drift table, what it says in sentences, and where the files are."""
    from tinrocket.analysis.verdicts import verdict_lines
    from tinrocket.show.tables import drift_table

    out = console()
    out.print(drift_table(comparison))
    for line in verdict_lines(comparison):
        out.print(line, markup=False, soft_wrap=True)
    print_warnings(comparison.warnings)
    for path in written:
        out.print(f"wrote {path}", markup=False, soft_wrap=True)
