"""`tinrocket compare`: one scenario at several frame rates and in several variants."""

from pathlib import Path
from typing import Annotated

import typer


def compare(
    scenario: Annotated[Path, typer.Argument(help="A scenario file (TOML).")],
    rates: Annotated[str, typer.Option(help="Frame rates, such as 30,60,144.")] = "30,60,144",
    frame_times: Annotated[
        list[Path] | None,
        typer.Option(
            metavar="FILE",
            help="Captured frame times (CSV, one column in s or ms); may be repeated.",
        ),
    ] = None,
    against: Annotated[
        str,
        typer.Option(
            help="The reference: 'tuned', each variant's own run at the tuned rate; "
            "'fine', its limit at a very high rate; 'base', the scenario as written."
        ),
    ] = "tuned",
    vary: Annotated[
        list[str] | None,
        typer.Option(
            metavar="PATH=V,V",
            help="Values to try, such as rocket.drag.half_life=0.4,0.8; may be repeated.",
        ),
    ] = None,
    screen: Annotated[
        bool, typer.Option("--view", help="Compare what is seen in the view, not the world.")
    ] = False,
    tolerance: Annotated[float, typer.Option(help="Distance that still counts as the same.")] = 2.0,
    out: Annotated[
        Path | None, typer.Option(help="Directory for tables, trajectories and pictures.")
    ] = None,
    json: Annotated[bool, typer.Option("--json", help="Print JSON and nothing else.")] = False,
) -> None:
    """Fly a scenario at several frame rates and say where and by how much runs part."""
    from tinrocket.analysis.compare import Against
    from tinrocket.analysis.compare import compare as fly_and_compare
    from tinrocket.cli.output import (
        as_json,
        parse_rates,
        print_comparison,
        progress_bar,
        write_comparison,
    )
    from tinrocket.scenario.clock import Clock
    from tinrocket.scenario.csv_file import read_frame_times
    from tinrocket.scenario.toml_file import read_scenario
    from tinrocket.scenario.vary import parse_vary

    clocks = [
        Clock(name=path.stem, frame_times=read_frame_times(path)) for path in frame_times or ()
    ]
    reference: Against = against  # type: ignore[assignment]  # compare() says so if it is none
    with progress_bar("flying") as progress:
        comparison = fly_and_compare(
            read_scenario(scenario),
            rates=parse_rates(rates),
            clocks=clocks,
            vary=parse_vary(vary or ()),
            against=reference,
            tolerance=tolerance,
            on_screen=screen,
            progress=progress,
        )
    written = write_comparison(comparison, out) if out else []
    if json:
        typer.echo(as_json(comparison))
    else:
        print_comparison(comparison, written)
