"""`tinrocket check`: mistakes of motion, or whether a scenario still matches its pin."""

from dataclasses import asdict
from math import isnan
from pathlib import Path
from typing import Annotated, Literal

import typer

from tinrocket.cli import completion
from tinrocket.cli.session import USUAL_RATES, AllowOutside, AsJson, Rates, RulesFile, Session


def check(
    scenario: Annotated[
        Path | None, typer.Argument(help="A scenario file (TOML).", show_default=False)
    ] = None,
    rates: Rates = USUAL_RATES,
    select: Annotated[
        str | None,
        typer.Option(
            help="Checks to run (default: all).",
            metavar="NAME,NAME",
            autocompletion=completion.checks,
        ),
    ] = None,
    ignore: Annotated[
        str | None,
        typer.Option(
            help="Checks to leave out.", metavar="NAME,NAME", autocompletion=completion.checks
        ),
    ] = None,
    form: Annotated[
        Literal["text", "json", "sarif", "github"],
        typer.Option("--format", help="How findings are printed."),
    ] = "text",
    explain: Annotated[
        str | None,
        typer.Option(
            help="Describe a check, or all of them with 'all', and run none.",
            autocompletion=completion.checks,
        ),
    ] = None,
    pinned: Annotated[
        Path | None,
        typer.Option(help="Compare with this pin instead of running the checks.", metavar="FILE"),
    ] = None,
    tolerance: Annotated[
        float,
        typer.Option(
            help="With --pinned: largest change of a number that is accepted, in percent."
        ),
    ] = 0.5,
    accept: Annotated[
        bool, typer.Option("--accept", help="With --pinned: replace the pin.")
    ] = False,
    rules: RulesFile = None,
    allow_outside: AllowOutside = False,
    json: AsJson = False,
) -> None:
    """Look for common mistakes of motion, or compare with a pin.

    Exits with 1 if there is a finding, or if a pinned value changed.
    """
    from tinrocket.cli.output import echo, progress_bar
    from tinrocket.errors import OptionError

    if explain is not None:
        _explain(explain)
        return
    if scenario is None:
        raise OptionError("give a scenario to check, or --explain NAME")
    session = Session(scenario, rules, allow_outside, rates=rates)
    if accept and pinned is None:
        raise OptionError("--accept renews a pin; name it with --pinned FILE")
    if pinned is not None:
        _check_pinned(session, pinned, tolerance / 100.0, accept=accept, json=json)
        return
    session.load_rules()
    from tinrocket.checks.check import check_file
    from tinrocket.checks.code import check_code
    from tinrocket.checks.formats import FORMATS
    from tinrocket.own_update.loading import is_own_update

    of_code = is_own_update(scenario)
    if of_code:
        findings = check_code(scenario, _names(select), _names(ignore))
    else:
        with progress_bar("checking") as progress:
            findings = check_file(
                scenario,
                session.parsed_rates,
                _names(select),
                _names(ignore),
                progress,
                allow_outside=allow_outside,
            )
    if json:
        form = "json"
    output = FORMATS[form](findings, str(scenario).rpartition(":")[0] if of_code else str(scenario))
    if output:
        if form == "github":  # commands of a build server, which are meant to act
            typer.echo(output)
        else:
            echo(output)
    if form == "text":
        many = "1 finding" if len(findings) == 1 else f"{len(findings) or 'no'} findings"
        echo(f"{scenario}: {many}")
        apart = "" if of_code else _apart(session)
        if apart:
            echo(apart)
    if findings:
        raise typer.Exit(1)


def _apart(session: Session) -> str:
    """Return a line about how far runs of the tape drift apart, if they do."""
    from tinrocket.comparison.compare import compare
    from tinrocket.errors import TinRocketError

    try:
        compared = compare(session.scenario, session.parsed_rates)
    except TinRocketError:  # the finding about it reports the large number or the blow-up
        return ""
    if compared.agrees:
        return ""
    worst = max(compared.runs, key=lambda run: run.farthest[1])
    far, unit = worst.farthest[1], compared.unit
    how = f"up to {far:.3g} {unit} apart" if far > compared.tolerance else "of another outcome"
    return (
        f"Its runs are {how} ({worst.clock}): run 'tinrocket compare {session.file}', then 'why'."
    )


def _names(text: str | None) -> list[str]:
    return [name.strip() for name in text.split(",") if name.strip()] if text else []


def _explain(name: str) -> None:
    from tinrocket.checks.check import ALL, check_named
    from tinrocket.checks.code import CODE
    from tinrocket.cli.output import echo

    every = ALL | CODE
    chosen = every.values() if name == "all" else (every.get(name) or check_named(name),)
    for finding in chosen:
        echo(f"{finding.name}\n  {finding.why}\n  Instead: {finding.instead}.")


def _check_pinned(
    session: Session, pinned: Path, share: float, *, accept: bool, json: bool
) -> None:
    from tinrocket.cli.output import echo
    from tinrocket.feel_metrics.pin import changes, difference, pin
    from tinrocket.feel_metrics.pin_file import read_pin, write_pin
    from tinrocket.texts import json_text

    before = read_pin(pinned)
    now = pin(session.scenario, before.rates)
    differences = difference(before, now, share)
    written = [str(write_pin(now, pinned))] if accept else []
    if json:
        done, said = ([asdict(changed) for changed in ones] for ones in changes(before, now, share))
        for change in (*done, *said):
            change["percent"] = None if isnan(change["percent"]) else change["percent"]
        echo(
            json_text(
                {"agrees": not differences, "changes": done, "scenario": said, "wrote": written}
            )
        )
    else:
        if differences:
            echo(differences)
        for path in written:
            echo(f"wrote {path}")
        if not differences and not accept:
            echo(f"{session.file} does what {pinned} records, within {100 * share:g} %")
    if differences and not accept:
        raise typer.Exit(1)
