"""`tinrocket pin`: write down what a scenario does, so that it cannot change unnoticed."""

from pathlib import Path
from typing import Annotated

import typer

from tinrocket.cli.options import AllowOutside, RulesFile


def pin(
    scenario: Annotated[Path, typer.Argument(help="A scenario file (TOML).")],
    rates: Annotated[str, typer.Option(help="Frame rates.", metavar="R,R")] = "30,60,144",
    out: Annotated[
        Path | None, typer.Option(help="Where to; SCENARIO.pin.toml beside it if not given.")
    ] = None,
    accept: Annotated[
        bool, typer.Option("--accept", help="Replace a pin that is there already.")
    ] = False,
    rules: RulesFile = None,
    allow_outside: AllowOutside = False,
) -> None:
    """Write feel, ends and outcomes of a scenario at several frame rates into a pin."""
    from tinrocket.cli.options import load_rules
    from tinrocket.cli.output import echo, parse_rates
    from tinrocket.errors import FileError
    from tinrocket.handling.pin import pin as fly_and_pin
    from tinrocket.handling.pin_file import pin_path, write_pin
    from tinrocket.scenario.toml_file import read_scenario

    to = out or pin_path(scenario)
    if to.exists() and not accept:
        raise FileError(
            f"{to}: is there already; see what has changed with 'tinrocket check {scenario} "
            f"--pinned {to}', or replace it with --accept"
        )
    load_rules(rules)
    chosen = read_scenario(scenario, allow_outside=allow_outside)
    pinned = fly_and_pin(chosen, parse_rates(rates))
    echo(f"wrote {write_pin(pinned, to)}")
