"""`tinrocket compare`: one scenario at several frame rates and in several variants."""

from pathlib import Path
from typing import Annotated, Literal

import typer

from tinrocket.cli.options import FrameTimes, RulesFile, Varied

FailOn = Annotated[
    Literal["outcome", "drift"] | None,
    typer.Option(
        help="Exit with 1 if any run has another outcome; 'drift': if any does not agree."
    ),
]


def compare(
    scenario: Annotated[Path, typer.Argument(help="A scenario file (TOML).")],
    rates: Annotated[str, typer.Option(help="Frame rates, such as 30,60,144.")] = "30,60,144",
    frame_times: FrameTimes = None,
    against: Annotated[
        str,
        typer.Option(
            help="The reference: 'tuned', each variant's own run at the tuned rate; "
            "'fine', its limit at a very high rate; 'base', the scenario as written."
        ),
    ] = "tuned",
    vary: Varied = None,
    screen: Annotated[
        bool, typer.Option("--view", help="Compare what is seen in the view, not the world.")
    ] = False,
    tolerance: Annotated[float, typer.Option(help="Distance that still counts as the same.")] = 2.0,
    out: Annotated[
        Path | None, typer.Option(help="Directory for tables, trajectories and pictures.")
    ] = None,
    rules: RulesFile = None,
    fail_on: FailOn = None,
    json: Annotated[bool, typer.Option("--json", help="Print JSON and nothing else.")] = False,
) -> None:
    """Fly a scenario at several frame rates and say where and by how much runs part."""
    from tinrocket.analysis.compare import compare as fly_and_compare
    from tinrocket.analysis.comparison import Against
    from tinrocket.cli.options import captured, load_rules
    from tinrocket.cli.output import (
        as_json,
        fails,
        parse_rates,
        print_comparison,
        progress_bar,
        write_comparison,
    )
    from tinrocket.errors import OptionError
    from tinrocket.scenario.toml_file import read_scenario
    from tinrocket.scenario.vary import parse_vary

    load_rules(rules)
    chosen = read_scenario(scenario)
    if screen and chosen.view is None:
        raise OptionError("--view: this scenario has no view; add a table [view]")
    reference: Against = against  # type: ignore[assignment]  # compare() says so if it is none
    with progress_bar("flying") as progress:
        comparison = fly_and_compare(
            chosen,
            rates=parse_rates(rates),
            clocks=captured(frame_times),
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
    if fails(comparison, fail_on):
        raise typer.Exit(1)
