"""`tinrocket report`: one page with verdict, causes, pictures, a replay, and the game itself."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tinrocket.cli.session import (
    USUAL_RATES,
    AllowOutside,
    FrameTimes,
    Rates,
    RulesFile,
    ScenarioFile,
    Session,
    Tolerance,
    Varied,
)

if TYPE_CHECKING:
    from tinrocket.feel_metrics.sheet import FeelSheet


def report(
    scenario: ScenarioFile,
    out: Annotated[Path, typer.Option(help="The HTML file to write.")],
    rates: Rates = USUAL_RATES,
    frame_times: FrameTimes = None,
    vary: Varied = None,
    log: Annotated[
        list[Path] | None,
        typer.Option(metavar="FILE", help="A log of the game to replay beside the scenario."),
    ] = None,
    tolerance: Tolerance = 2.0,
    rules: RulesFile = None,
    allow_outside: AllowOutside = False,
) -> None:
    """Write one HTML page that reports, replays and plays a scenario, offline.

    It needs no network and no other file: verdict, pictures, causes and cures, the feel sheet,
    a replay of every run, and the scenario to fly by hand while its numbers are tuned.
    """
    from tinrocket.cli.output import echo, print_written, progress_bar
    from tinrocket.comparison.compare import compare
    from tinrocket.comparison.verdicts import verdict_lines
    from tinrocket.page.report import write_report
    from tinrocket.why.cures import find_cures
    from tinrocket.why.explain import explain, explain_also

    session = Session(
        scenario, rules, allow_outside, rates=rates, frame_times=frame_times, vary=vary
    )
    chosen = session.scenario
    clocks = session.clocks
    causes, cures, sheet = [], None, None
    if log:
        from tinrocket.logs.compare import compare_with_logs

        comparison = compare_with_logs(chosen, log, session.varied, tolerance=tolerance)
    else:
        with progress_bar("flying") as progress:
            comparison = compare(
                chosen,
                session.parsed_rates,
                clocks=clocks,
                vary=session.varied,
                tolerance=tolerance,
                progress=progress,
            )
        if not session.varied:
            with progress_bar("explaining") as progress:
                causes = [explain(comparison, progress=progress)]
                if any(run.parts_at is not None for run in causes[0].runs):
                    causes.append(explain_also(causes[0], "outcome"))
                own = chosen.flown_by is not None
                cures = find_cures(causes[0], felt=not own)
            sheet = _felt(session)
    written = write_report(
        comparison, out, causes=causes, cures=cures, sheet=sheet, file=scenario.name
    )
    for line in verdict_lines(comparison):
        echo(line)
    print_written([written])


def _felt(session: Session) -> "FeelSheet | None":
    """Return the feel sheet at the rates, or None if no craft has a metric."""
    from tinrocket.errors import OptionError
    from tinrocket.feel_metrics.measuring import feel

    try:
        return feel(session.scenario, session.parsed_rates, clocks=session.clocks)
    except OptionError:
        return None
