"""`tinrocket explore`: feel metrics over whole ranges of numbers."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from tinrocket.cli import completion
from tinrocket.cli.session import AllowOutside, AsJson, Rate, RulesFile, ScenarioFile, Session

if TYPE_CHECKING:
    from tinrocket.tuning.exploration import Exploration


def explore(
    scenario: ScenarioFile,
    over: Annotated[
        list[str],
        typer.Option(
            metavar="PATH[=FROM:TO]",
            help="A number to vary, and its range; may be repeated.",
            autocompletion=completion.paths,
        ),
    ],
    show: Annotated[
        list[str],
        typer.Option(metavar="METRIC", help="A feel metric, such as 'top speed'; may be repeated."),
    ],
    want: Annotated[
        list[str] | None,
        typer.Option(
            metavar="TEXT",
            help="A wanted range of a metric, marked in the picture; may be repeated.",
        ),
    ] = None,
    points: Annotated[
        int | None,
        typer.Option(help="Points along each range; draws (64) for three numbers or more."),
    ] = None,
    rate: Rate = None,
    out: Annotated[
        Path | None,
        typer.Option(help="Directory for the table and the picture; a killed run continues."),
    ] = None,
    rules: RulesFile = None,
    allow_outside: AllowOutside = False,
    json: AsJson = False,
) -> None:
    """Measure feel metrics over whole ranges: a curve, a map, or how much each number matters."""
    from tinrocket.cli.output import echo, print_written, progress_bar
    from tinrocket.texts import json_text
    from tinrocket.tuning.explore import explore as look_over

    session = Session(scenario, rules, allow_outside)
    with progress_bar("exploring") as progress:
        exploration = look_over(
            session.scenario,
            over,
            show,
            points=points,
            rate=rate,
            wants=want or (),
            out=out,
            progress=progress,
        )
    if json:
        echo(json_text(as_data(exploration)))
    else:
        for line in exploration.lines:
            echo(line)
    written = _written(exploration, out) if out is not None else []
    if not json:
        print_written(written)


def as_data(exploration: "Exploration") -> dict[str, Any]:
    """Return an exploration as plain data."""
    from dataclasses import asdict
    from json import loads

    return {
        "fps": exploration.rate,
        "places": loads(exploration.table.to_json(orient="records", double_precision=15)),
        "sensitivity": [asdict(share) for share in exploration.sensitivity],
    }


def _written(exploration: "Exploration", out: Path) -> list[Path]:
    from contextlib import suppress

    from tinrocket.errors import MissingExtraError
    from tinrocket.show.exploration import plot_exploration
    from tinrocket.show.theme import save_figure
    from tinrocket.trajectory.file import write_parquet
    from tinrocket.tuning.explored_file import NAME

    written = [out / NAME, save_figure(plot_exploration(exploration), out / "explored.png")]
    with suppress(MissingExtraError):  # the CSV file has all of it
        written.append(write_parquet(exploration.table, out / "explored.parquet"))
    return written
