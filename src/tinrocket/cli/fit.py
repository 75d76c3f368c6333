"""`tinrocket fit`: the numbers that explain a log of the real game."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from tinrocket.cli.log_options import Columns, LogOptions, LogRate, YUp
from tinrocket.cli.session import (
    AllowOutside,
    AsJson,
    FreeNumbers,
    RulesFile,
    ScenarioFile,
    Session,
    TapeFile,
)

if TYPE_CHECKING:
    from tinrocket.tuning.fitted import Fit


def fit(
    scenario: ScenarioFile,
    log: Annotated[
        list[Path], typer.Option(metavar="FILE", help="A log of the game; may be repeated.")
    ],
    free: FreeNumbers,
    timings: Annotated[
        bool,
        typer.Option("--timings", help="Look for the timing of rules that fits better, too."),
    ] = False,
    columns: Columns = None,
    rate: LogRate = None,
    y_up: YUp = None,
    tape: TapeFile = None,
    apply: Annotated[
        Path | None, typer.Option(help="File to write the fitted scenario to; comments are kept.")
    ] = None,
    plot: Annotated[
        Path | None, typer.Option(help="Draw the residuals here (.png, .svg or .pdf).")
    ] = None,
    rules: RulesFile = None,
    allow_outside: AllowOutside = False,
    json: AsJson = False,
) -> None:
    """Find the numbers with which a scenario flies as a log of the game says."""
    from tinrocket.cli.log_options import log_format
    from tinrocket.cli.output import echo, print_written, progress_bar
    from tinrocket.texts import json_text
    from tinrocket.tuning.fit import fit as search

    session = Session(scenario, rules, allow_outside, tape=tape)
    reading = log_format(LogOptions(columns=columns, y_up=y_up, rate=rate))
    with progress_bar("fitting") as progress:
        found = search(
            session.scenario, log, free, log_format=reading, timings=timings, progress=progress
        )
    if json:
        echo(json_text(as_data(found)))
    else:
        for line in found.lines:
            echo(line)
    written = []
    if apply is not None:
        from tinrocket.why.applying import apply_cure

        changed = session.read() if tape is not None else found.scenario
        if tape is not None:  # its own tape stays in the file
            from tinrocket.scenario.vary import with_value

            for one in found.numbers:
                changed = with_value(changed, one.free.path, one.rounded)
        written.append(apply_cure(scenario, changed, apply, allow_outside=allow_outside))
    if plot is not None:
        from tinrocket.show.fit import plot_fit
        from tinrocket.show.theme import save_figure

        written.append(save_figure(plot_fit(found), plot))
    if not json:
        print_written(written)


def as_data(found: "Fit") -> dict[str, Any]:
    """Return a fit as plain data."""
    from dataclasses import asdict

    return {
        "numbers": [
            {
                "path": one.free.path,
                "value": one.value,
                "rounded": one.rounded,
                "low": one.low,
                "high": one.high,
                "bounded": one.bounded,
                "was": one.free.now,
            }
            for one in found.numbers
        ],
        "spread": found.spread,
        "before": found.before,
        "together": [list(pair) for pair in found.alike],
        "failures": [
            {"craft": craft, "from": begin, "until": end} for craft, begin, end in found.failures
        ],
        "timings": [asdict(one) for one in found.timings],
    }
