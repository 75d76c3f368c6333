"""`tinrocket feel`: the feel metrics at every frame rate."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tinrocket.cli.session import (
    USUAL_RATES,
    AllowOutside,
    AsJson,
    FrameTimes,
    OfCraft,
    Rates,
    RulesFile,
    ScenarioFile,
    Session,
    Varied,
)

if TYPE_CHECKING:
    from tinrocket.feel_metrics.sheet import FeelSheet


def feel(
    scenario: ScenarioFile,
    rates: Rates = USUAL_RATES,
    frame_times: FrameTimes = None,
    vary: Varied = None,
    craft: OfCraft = None,
    uneven: Annotated[
        str | None,
        typer.Option(
            metavar="jitter=2ms,hitch=80ms,seeds=50",
            help="Fly uneven frames too: median, 5 and 95 % over the seeds.",
        ),
    ] = None,
    share: Annotated[float, typer.Option(help="Smallest difference to report, in percent.")] = 5.0,
    out: Annotated[Path | None, typer.Option(help="Directory for the table and pictures.")] = None,
    explain: Annotated[
        bool, typer.Option("--explain", help="Print the definition of each metric and fly nothing.")
    ] = False,
    rules: RulesFile = None,
    allow_outside: AllowOutside = False,
    json: AsJson = False,
) -> None:
    """Measure feel metrics of each craft at every frame rate, with standard manoeuvres."""
    from tinrocket.cli.output import console, echo, print_written, progress_bar
    from tinrocket.feel_metrics.measuring import feel as fly_and_measure
    from tinrocket.feel_metrics.metric import Perceptible
    from tinrocket.feel_metrics.uneven import parse_uneven
    from tinrocket.files import make_directory

    if out is not None:
        make_directory(out)
    session = Session(
        scenario, rules, allow_outside, rates=rates, frame_times=frame_times, vary=vary
    )
    chosen = session.scenario
    with progress_bar("flying") as progress:
        sheet = fly_and_measure(
            chosen,
            rates=session.parsed_rates,
            clocks=session.clocks,
            vary=session.varied,
            craft=craft,
            perceptible=Perceptible(share=share / 100.0),
            uneven=None if uneven is None else parse_uneven(uneven),
            progress=progress,
        )
    if explain:
        _explain(sheet)
        return
    if json:
        echo(as_json(sheet))
    else:
        from tinrocket.show.feel_table import feel_lines, feel_table

        screen = console()
        screen.print(feel_table(sheet, screen.width))
        for line in feel_lines(sheet):
            screen.print(line, markup=False, soft_wrap=True)
    if out is not None:
        written = _write(sheet, out)
        if not json:
            print_written(written)


def _explain(sheet: "FeelSheet") -> None:
    """Print the definitions of the numbers that this scenario has."""
    from tinrocket.cli.output import echo

    manoeuvre = ""
    for name, metric in dict.fromkeys((row.manoeuvre, row.metric) for row in sheet.rows):
        if name != manoeuvre:
            echo(name)
        manoeuvre = name
        unit = f" [{metric.unit}]" if metric.unit else ""
        source = f" ({metric.source})" if metric.source else ""
        echo(f"  {metric.name}{unit}: {metric.definition}{source}")


def as_json(sheet: "FeelSheet") -> str:
    """Return a sheet as JSON: a row for each number, craft, variant and clock."""
    from json import loads

    from tinrocket.texts import json_text

    rows = loads(sheet.table.to_json(orient="records", double_precision=15))
    differs = [
        {"variant": variant, "clock": clock, "share": share}
        for (variant, clock), share in sheet.tape_differs.items()
    ]
    columns = {
        "scenario": sheet.title,
        "tuned_at": sheet.tuned_at,
        "agrees": sheet.agrees,
        "tape_differs": differs,
        "metrics": rows,
    }
    return json_text(columns)


def _write(sheet: "FeelSheet", out: Path) -> list[Path]:
    from tinrocket.cli.results import result_folder
    from tinrocket.show.feel import feel_pictures
    from tinrocket.show.theme import save_figure
    from tinrocket.trajectory.csv_text import columns_of, write_csv

    with result_folder(out) as written:
        written.append(write_csv(columns_of(sheet.table), out / "feel.csv"))
        for name, draw in feel_pictures(sheet).items():
            written.append(save_figure(draw(), out / f"{name}.png"))
    return sorted(written)
