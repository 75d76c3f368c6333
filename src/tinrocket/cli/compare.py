"""`tinrocket compare`: one scenario at several frame rates and in several variants, or logs."""

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Literal

import typer

from tinrocket.cli.log_options import (
    Align,
    Columns,
    FirstRow,
    HeadingUnit,
    LogOptions,
    LogRate,
    WrapX,
    WrapY,
    YUp,
)
from tinrocket.cli.session import (
    USUAL_RATES,
    AllowOutside,
    AsJson,
    FrameTimes,
    RulesFile,
    Session,
    Tolerance,
    Varied,
)

if TYPE_CHECKING:
    from tinrocket.comparison.comparison import Comparison


def compare(
    sources: Annotated[
        list[Path],
        typer.Argument(help="A scenario (TOML), or several; or logs of a game (CSV, JSON, text)."),
    ],
    rates: Annotated[
        str | None,
        typer.Option(help=f"Frame rates [1/s] (default: {USUAL_RATES}).", metavar="R,R"),
    ] = None,
    frame_times: FrameTimes = None,
    against: Annotated[
        str | None,
        typer.Option(
            help="The reference: 'tuned', each variant's own run at the tuned rate (default); "
            "'fine', its limit at a very high rate; 'base', the scenario as written. "
            "For logs, the name of one (default: the first)."
        ),
    ] = None,
    vary: Varied = None,
    log: Annotated[
        list[Path] | None,
        typer.Option(
            metavar="FILE", help="A log of the game to compare with the scenario; may be repeated."
        ),
    ] = None,
    columns: Columns = None,
    wrap_x: WrapX = None,
    wrap_y: WrapY = None,
    align: Align = "start",
    y_up: YUp = None,
    rate: LogRate = None,
    heading: HeadingUnit = None,
    first_row: FirstRow = "told",
    screen: Annotated[
        bool,
        typer.Option("--view", help="Compare positions as seen in the view, not in the world."),
    ] = False,
    tolerance: Tolerance = 2.0,
    out: Annotated[
        Path | None, typer.Option(help="Directory for tables, trajectories and pictures.")
    ] = None,
    rules: RulesFile = None,
    allow_outside: AllowOutside = False,
    fail_on: Annotated[
        Literal["outcome", "drift"] | None,
        typer.Option(
            help="Exit with 1 if any run has a different outcome, or with 'drift' if any drifts."
        ),
    ] = None,
    preview: Annotated[
        bool, typer.Option("--preview", help="Print how the logs are read, and compare nothing.")
    ] = False,
    json: AsJson = False,
) -> None:
    """Fly a scenario at several frame rates and report where and by how much runs diverge.

    Or compare logs that a game printed at several rates, a log with a scenario (--log), or
    scenarios with the first of them.
    """
    of_logs = LogOptions(columns, wrap_x, wrap_y, align, y_up, rate, heading, first_row)
    if preview:
        _preview(log or sources, of_logs)
        return
    from tinrocket.cli.draw.pool import Studio
    from tinrocket.files import make_directory

    if out is not None:  # report an unwritable folder before anything is flown
        make_directory(out)
    # start the drawing processes early: they load while the flights run
    studio = Studio(beside=out is not None)

    from tinrocket.cli.log_options import is_log, log_format
    from tinrocket.cli.output import as_data, echo, fails, print_comparison, print_written
    from tinrocket.cli.results import writing
    from tinrocket.errors import OptionError
    from tinrocket.texts import json_text

    session = Session(
        sources[0],
        rules,
        allow_outside,
        rates=rates or USUAL_RATES,
        frame_times=frame_times,
        vary=vary,
    )
    felt: Callable[[], list[str]] = list
    logs = [path for path in sources if is_log(path)]
    if logs and len(logs) < len(sources):
        raise OptionError(
            "give one scenario, or logs alone; a log beside a scenario is given with --log"
        )
    if logs:
        from tinrocket.logs.compare import compare_logs

        _refuse({"--rates": rates, "--frame-times": frame_times, "--vary": vary, "--log": log})
        comparison = compare_logs(logs, against, log_format(of_logs), tolerance)
    elif log:
        from tinrocket.logs.compare import compare_with_logs

        _refuse({"--rates": rates, "--frame-times": frame_times, "--against": against})
        reading = log_format(of_logs)
        comparison = compare_with_logs(session.scenario, log, session.varied, reading, tolerance)
    else:
        _refuse(of_logs.typed(), "is for logs, and no log is given")
        if len(sources) > 1:
            _refuse({"--vary": vary, "--against": against, "--view": screen}, SEVERAL)
            comparison = _side_by_side(session, sources[1:], tolerance)
        else:
            comparison = _flown(session, against or "tuned", screen, tolerance)
            felt = partial(_felt, session, len(comparison.runs))
    with studio, writing(comparison, out, studio) as written:
        if json:
            echo(json_text(as_data(comparison, felt())))
        else:
            print_comparison(comparison)
            for line in felt():
                echo(line)
    if not json:
        print_written(written)
    if fails(comparison, fail_on):
        raise typer.Exit(1)


MOST_RUNS = 24
"""Largest number of runs with feel metrics; with more, measuring takes longer than flying."""


def _felt(session: Session, runs: int) -> list[str]:
    """Return the three feel metrics that differ most, in a sentence each."""
    from tinrocket.errors import OptionError
    from tinrocket.feel_metrics.measuring import feel
    from tinrocket.show.feel_table import worst_lines

    if runs > MOST_RUNS:
        return []
    try:
        sheet = feel(session.scenario, rates=session.parsed_rates, vary=session.varied)
    except OptionError:  # no craft has a metric
        return []
    worst = worst_lines(sheet)
    return ["Feel metrics that differ most:", *(f"  {line}" for line in worst)] if worst else []


def _refuse(
    options: Mapping[str, object], why: str = "has no meaning where logs are compared"
) -> None:
    from tinrocket.errors import OptionError

    for name, value in options.items():
        if value:
            raise OptionError(f"{name} {why}; leave it out")


SEVERAL = "has no meaning where scenarios are compared with each other"


def _preview(logs: Sequence[Path], options: LogOptions) -> None:
    from tinrocket.cli.log_options import log_format
    from tinrocket.cli.output import echo
    from tinrocket.logs.preview import preview_lines
    from tinrocket.logs.read import look_at_log

    for path in logs:
        echo(f"{path}")
        for line in preview_lines(look_at_log(path, log_format(options))):
            echo(f"  {line}")


def _side_by_side(session: Session, others: Sequence[Path], tolerance: float) -> "Comparison":
    from tinrocket.comparison.compare import compare_scenarios

    first, read = session.scenario, {str(path): session.read(path) for path in others}
    return compare_scenarios(first, read, session.parsed_rates, session.clocks, tolerance=tolerance)


def _flown(session: Session, against: str, screen: bool, tolerance: float) -> "Comparison":
    from tinrocket.cli.output import progress_bar
    from tinrocket.comparison.compare import compare as fly_and_compare
    from tinrocket.comparison.comparison import Against
    from tinrocket.errors import OptionError

    if screen and session.scenario.view is None:
        raise OptionError("--view: this scenario has no view; add a table [view]")
    reference: Against = against  # type: ignore[assignment]  # compare() refuses any other value
    with progress_bar("flying") as progress:
        return fly_and_compare(
            session.scenario,
            rates=session.parsed_rates,
            clocks=session.clocks,
            vary=session.varied,
            against=reference,
            tolerance=tolerance,
            on_screen=screen,
            progress=progress,
        )
