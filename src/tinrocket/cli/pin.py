"""`tinrocket pin`: write down what a scenario does, so that it cannot change unnoticed."""

from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from tinrocket.cli.session import (
    USUAL_RATES,
    AllowOutside,
    AsJson,
    Rates,
    RulesFile,
    ScenarioFile,
    Session,
)


def pin(
    scenario: ScenarioFile,
    rates: Rates = USUAL_RATES,
    out: Annotated[
        Path | None, typer.Option(help="File to write (default: SCENARIO.pin.toml beside it).")
    ] = None,
    accept: Annotated[
        bool, typer.Option("--accept", help="Replace a pin that is there already.")
    ] = False,
    rules: RulesFile = None,
    allow_outside: AllowOutside = False,
    json: AsJson = False,
) -> None:
    """Write feel, ends and outcomes of a scenario at several frame rates into a pin."""
    from tinrocket.cli.output import echo
    from tinrocket.errors import FileError
    from tinrocket.feel_metrics.pin import pin as fly_and_pin
    from tinrocket.feel_metrics.pin_file import pin_path, write_pin
    from tinrocket.texts import json_text

    to = out or pin_path(scenario)
    if to.exists() and not accept:
        raise FileError(
            f"{to}: is there already; see what has changed with 'tinrocket check {scenario} "
            f"--pinned {to}', or replace it with --accept"
        )
    session = Session(scenario, rules, allow_outside, rates=rates)
    pinned = fly_and_pin(session.scenario, session.parsed_rates)
    written = write_pin(pinned, to)
    echo(json_text(asdict(pinned) | {"file": str(written)}) if json else f"wrote {written}")
