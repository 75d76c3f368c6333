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
    from tinrocket.tuning.fitted import Fit, FittedNumber


def fit(
    scenario: ScenarioFile,
    log: Annotated[
        list[Path], typer.Option(metavar="FILE", help="A log of the game; may be repeated.")
    ],
    free: FreeNumbers,
    time_offset: Annotated[
        str | None,
        typer.Option(
            metavar="FROM:TO",
            help="Range of the time by which the log's clock is ahead of the scenario's [s].",
        ),
    ] = None,
    timings: Annotated[
        bool,
        typer.Option(
            "--timings", help="Look for timings of rules, orders and input that fit better, too."
        ),
    ] = False,
    columns: Columns = None,
    rate: LogRate = None,
    y_up: YUp = None,
    tape: TapeFile = None,
    apply: Annotated[
        Path | None, typer.Option(help="File to write the fitted scenario to; comments are kept.")
    ] = None,
    plot: Annotated[
        Path | None, typer.Option(help="File for a picture of the residuals (.png, .svg or .pdf).")
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
    from tinrocket.tuning.free_numbers import read_range

    session = Session(scenario, rules, allow_outside, tape=tape)
    offset = read_range(time_offset, "--time-offset") if time_offset is not None else None
    reading = log_format(LogOptions(columns=columns, y_up=y_up, rate=rate))
    with progress_bar("fitting") as progress:
        fitted = search(
            session.scenario,
            log,
            free,
            log_format=reading,
            time_offset=offset,
            timings=timings,
            progress=progress,
        )
    if json:
        echo(json_text(as_data(fitted)))
    else:
        for line in fitted.lines:
            echo(line)
    written = []
    if apply is not None:
        from tinrocket.why.applying import apply_cure

        changed = session.read() if tape is not None else fitted.scenario
        if tape is not None:  # its own tape stays in the file
            from tinrocket.scenario.vary import with_value

            for number in fitted.numbers:
                changed = with_value(changed, number.free.path, number.rounded)
        written.append(apply_cure(scenario, changed, apply, allow_outside=allow_outside))
    if plot is not None:
        from tinrocket.show.fit import plot_fit
        from tinrocket.show.theme import save_figure

        written.append(save_figure(plot_fit(fitted), plot))
    if not json:
        print_written(written)


def as_data(fitted: "Fit") -> dict[str, Any]:
    """Return a fit as plain data."""
    from dataclasses import asdict

    return {
        "numbers": [_number(each) for each in fitted.numbers],
        "time_offsets": [_number(each) for each in fitted.offsets],
        "spread": fitted.spread,
        "before": fitted.before,
        "together": [list(pair) for pair in fitted.alike],
        "failures": [
            {"craft": craft, "from": begin, "until": end} for craft, begin, end in fitted.failures
        ],
        "timings": [asdict(choice) for choice in fitted.timings],
    }


def _number(fitted: "FittedNumber") -> dict[str, Any]:
    return {
        "path": fitted.free.path,
        "value": fitted.value,
        "rounded": fitted.rounded,
        "low": fitted.low,
        "high": fitted.high,
        "bounded": fitted.bounded,
        "was": fitted.free.now,
    }
