"""`tinrocket solve`: numbers for the feel that is wanted."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from tinrocket.cli.session import (
    AllowOutside,
    AsJson,
    FreeNumbers,
    RulesFile,
    ScenarioFile,
    Session,
)

if TYPE_CHECKING:
    from tinrocket.tuning.solution import Solution


def solve(
    scenario: ScenarioFile,
    want: Annotated[
        list[str],
        typer.Option(
            metavar="TEXT",
            help="What a feel metric should be, such as 'top speed = 420 px/s', "
            "'rise time <= 0.5 s', 'top speed same at 30, 144 fps'; may be repeated.",
        ),
    ],
    free: FreeNumbers,
    rates: Annotated[
        str | None,
        typer.Option(metavar="R,R", help="Frame rates of wants that name none (default: tuned)."),
    ] = None,
    starts: Annotated[int, typer.Option(help="Number of starts of the search.")] = 6,
    apply: Annotated[
        Path | None, typer.Option(help="File to write the solved scenario to; comments are kept.")
    ] = None,
    plot: Annotated[
        Path | None,
        typer.Option(help="File for a picture of before and after (.png, .svg or .pdf)."),
    ] = None,
    rules: RulesFile = None,
    allow_outside: AllowOutside = False,
    json: AsJson = False,
) -> None:
    """Find the numbers with which feel metrics are what you want."""
    from tinrocket.cli.output import console, echo, parse_rates, print_written, progress_bar
    from tinrocket.texts import json_text
    from tinrocket.tuning.solve import solve as search

    session = Session(scenario, rules, allow_outside)
    chosen = session.scenario
    at = parse_rates(rates) if rates else ()
    with progress_bar("solving") as progress:
        solution = search(chosen, want, free, rates=at, starts=starts, progress=progress)
    if json:
        echo(json_text(as_data(solution)))
    else:
        from tinrocket.show.solution_table import solution_table

        echo(solution.verdict)
        for line in solution.number_lines:
            echo(line)
        console().print(solution_table(solution))
        for line in solution.notes:
            echo(line)
    written = _written(solution, scenario, apply, plot, allow_outside=allow_outside)
    if not json:
        print_written(written)
    if not solution.met:
        raise typer.Exit(1)


def as_data(solution: "Solution") -> dict[str, Any]:
    """Return a solution as plain data."""
    from json import loads

    return {
        "met": solution.met,
        "numbers": solution.numbers,
        "rounded": solution.rounded,
        "wants": loads(solution.table.to_json(orient="records", double_precision=15)),
        "conflicts": list(solution.conflicts),
        "undetermined": list(solution.undetermined),
        "others": list(solution.others),
        "flights": solution.flights,
    }


def _written(
    solution: "Solution",
    scenario: Path,
    apply: Path | None,
    plot: Path | None,
    *,
    allow_outside: bool,
) -> list[Path]:
    written = []
    if apply is not None:
        from tinrocket.why.applying import apply_cure

        written.append(apply_cure(scenario, solution.scenario, apply, allow_outside=allow_outside))
    if plot is not None:
        from tinrocket.show.solution import plot_solution
        from tinrocket.show.theme import save_figure

        written.append(save_figure(plot_solution(solution), plot))
    return written
