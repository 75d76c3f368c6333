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
from tinrocket.cli.options import AllowOutside, FrameTimes, RulesFile, Varied

if TYPE_CHECKING:
    from tinrocket.analysis.comparison import Comparison
    from tinrocket.scenario.scenario import Scenario

RATES = "30,60,144"


def compare(
    sources: Annotated[
        list[Path],
        typer.Argument(help="A scenario (TOML), or several; or logs of a game (CSV, JSON, text)."),
    ],
    rates: Annotated[
        str | None, typer.Option(help=f"Frame rates; {RATES} if not given.", metavar="R,R")
    ] = None,
    frame_times: FrameTimes = None,
    against: Annotated[
        str | None,
        typer.Option(
            help="The reference: 'tuned' (if not given), each variant's own run at the tuned rate; "
            "'fine', its limit at a very high rate; 'base', the scenario as written. "
            "Of logs, the name of one; the first if not given."
        ),
    ] = None,
    vary: Varied = None,
    log: Annotated[
        list[Path] | None,
        typer.Option(metavar="FILE", help="Measure a log of the game beside the scenario."),
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
        bool, typer.Option("--view", help="Compare what is seen in the view, not the world.")
    ] = False,
    tolerance: Annotated[float, typer.Option(help="Distance that still counts as the same.")] = 2.0,
    out: Annotated[
        Path | None, typer.Option(help="Directory for tables, trajectories and pictures.")
    ] = None,
    rules: RulesFile = None,
    allow_outside: AllowOutside = False,
    fail_on: Annotated[
        Literal["outcome", "drift"] | None,
        typer.Option(
            help="Exit with 1 if any run has another outcome; 'drift': if any does not agree."
        ),
    ] = None,
    preview: Annotated[
        bool, typer.Option("--preview", help="Only say what the logs are read as.")
    ] = False,
    json: Annotated[bool, typer.Option("--json", help="Print JSON and nothing else.")] = False,
) -> None:
    """Fly a scenario at several frame rates and say where and by how much runs part.

    Or compare logs that a game printed at several rates, a log with a scenario (--log), or
    scenarios with the first of them.
    """
    of_logs = LogOptions(columns, wrap_x, wrap_y, align, y_up, rate, heading, first_row)
    if preview:
        _preview(log or sources, of_logs)
        return
    from tinrocket.cli.studio import Studio
    from tinrocket.files import make_directory

    if out is not None:  # what cannot be written is told before anything is flown
        make_directory(out)
    studio = Studio(beside=out is not None)  # it loads what it needs while all the rest is done

    from tinrocket.cli.log_options import is_log, log_format
    from tinrocket.cli.options import load_rules
    from tinrocket.cli.output import as_json, echo, fails, print_comparison, print_written
    from tinrocket.cli.results import writing
    from tinrocket.errors import OptionError
    from tinrocket.scenario.toml_file import read_scenario

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
        from tinrocket.scenario.vary import parse_vary

        _refuse({"--rates": rates, "--frame-times": frame_times, "--against": against})
        reading = log_format(of_logs)
        load_rules(rules)
        chosen = read_scenario(sources[0], allow_outside=allow_outside)
        comparison = compare_with_logs(chosen, log, parse_vary(vary or ()), reading, tolerance)
    else:
        _refuse(of_logs.typed(), "is of logs, and there are none")
        load_rules(rules)
        chosen = read_scenario(sources[0], allow_outside=allow_outside)
        if len(sources) > 1:
            _refuse({"--vary": vary, "--against": against, "--view": screen}, SEVERAL)
            comparison = _side_by_side(
                chosen, sources[1:], allow_outside, rates or RATES, frame_times, tolerance
            )
        else:
            comparison = _flown(
                chosen, rates or RATES, frame_times, against or "tuned", vary, screen, tolerance
            )
            felt = partial(_felt, chosen, rates or RATES, vary, len(comparison.runs))
    with studio, writing(comparison, out, studio) as written:
        if json:
            echo(as_json(comparison, felt()))
        else:
            print_comparison(comparison)
            for line in felt():
                echo(line)
    if not json:
        print_written(written)
    if fails(comparison, fail_on):
        raise typer.Exit(1)


MOST_RUNS = 24
"""Runs of a comparison whose feel is measured too; of more that would take longer than flying."""


def _felt(scenario: "Scenario", rates: str, vary: list[str] | None, runs: int) -> list[str]:
    """Return the three numbers of feel that differ most, in a sentence each."""
    from tinrocket.cli.output import parse_rates
    from tinrocket.errors import OptionError
    from tinrocket.handling.measuring import feel
    from tinrocket.scenario.vary import parse_vary
    from tinrocket.show.feel_table import worst_lines

    if runs > MOST_RUNS:
        return []
    try:
        sheet = feel(scenario, rates=parse_rates(rates), vary=parse_vary(vary or ()))
    except OptionError:  # nobody plays here
        return []
    worst = worst_lines(sheet)
    return ["Numbers of feel that differ most:", *(f"  {line}" for line in worst)] if worst else []


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


def _side_by_side(
    first: "Scenario",
    others: Sequence[Path],
    allow_outside: bool,
    rates: str,
    frame_times: list[Path] | None,
    tolerance: float,
) -> "Comparison":
    from tinrocket.analysis.compare import compare_scenarios
    from tinrocket.cli.options import captured
    from tinrocket.cli.output import parse_rates
    from tinrocket.scenario.toml_file import read_scenario

    read = {str(path): read_scenario(path, allow_outside=allow_outside) for path in others}
    return compare_scenarios(
        first, read, parse_rates(rates), captured(frame_times), tolerance=tolerance
    )


def _flown(
    scenario: "Scenario",
    rates: str,
    frame_times: list[Path] | None,
    against: str,
    vary: list[str] | None,
    screen: bool,
    tolerance: float,
) -> "Comparison":
    from tinrocket.analysis.compare import compare as fly_and_compare
    from tinrocket.analysis.comparison import Against
    from tinrocket.cli.options import captured
    from tinrocket.cli.output import parse_rates, progress_bar
    from tinrocket.errors import OptionError
    from tinrocket.scenario.vary import parse_vary

    if screen and scenario.view is None:
        raise OptionError("--view: this scenario has no view; add a table [view]")
    reference: Against = against  # type: ignore[assignment]  # compare() says so if it is none
    with progress_bar("flying") as progress:
        return fly_and_compare(
            scenario,
            rates=parse_rates(rates),
            clocks=captured(frame_times),
            vary=parse_vary(vary or ()),
            against=reference,
            tolerance=tolerance,
            on_screen=screen,
            progress=progress,
        )
