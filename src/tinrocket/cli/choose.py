"""`tinrocket choose`: numbers chosen by flying pairs of them blind."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from tinrocket.cli.session import (
    AllowOutside,
    AsJson,
    FreeNumbers,
    InBrowser,
    Port,
    RulesFile,
    ScenarioFile,
    Session,
)

if TYPE_CHECKING:
    from tinrocket.tuning.choose import Choice


def choose(
    scenario: ScenarioFile,
    free: FreeNumbers,
    answers: Annotated[
        Path | None,
        typer.Option(help="File of the answers (default: NAME.choices.csv beside the scenario)."),
    ] = None,
    results: Annotated[
        bool, typer.Option("--results", help="Print the results of the answers, and end.")
    ] = False,
    apply: Annotated[
        Path | None, typer.Option(help="File to write the preferred numbers to; comments are kept.")
    ] = None,
    plot: Annotated[
        Path | None, typer.Option(help="File for a picture of the results (.png, .svg or .pdf).")
    ] = None,
    port: Port = 0,
    browser: InBrowser = True,
    rules: RulesFile = None,
    allow_outside: AllowOutside = False,
    json: AsJson = False,
) -> None:
    """Choose numbers by hand: fly two sets blind, say which feels better, and again.

    Each answer is saved at once, and the next pair is the most informative.  Ends with
    Ctrl-C, prints the preferred numbers, and goes on from the same answers the next time.
    """
    from tinrocket.cli.output import echo, print_written
    from tinrocket.page.choice_session import ChoiceSession, read_answers
    from tinrocket.texts import json_text
    from tinrocket.tuning.choose import choose as begin

    session = Session(scenario, rules, allow_outside)
    file = answers or scenario.with_name(f"{scenario.stem}.choices.csv")
    choice = begin(session.scenario, free, read_answers(file))
    if not results:
        asking = ChoiceSession(choice, file)
        _ask(session, scenario, asking, port, browser=browser, allow_outside=allow_outside)
        choice = asking.choice
    if json:
        echo(json_text(as_data(choice)))
    else:
        for line in choice.lines:
            echo(line)
    written = _written(choice, scenario, apply, plot, allow_outside=allow_outside)
    if not json:
        print_written(written)


def _ask(
    session: Session, scenario: Path, asking: Any, port: int, *, browser: bool, allow_outside: bool
) -> None:
    """Serve the page that shows pairs, until Ctrl-C."""
    from tinrocket.cli.local_page import serve
    from tinrocket.comparison.compare import compare
    from tinrocket.errors import OptionError
    from tinrocket.page.choice_session import ranges_of
    from tinrocket.page.document import document
    from tinrocket.page.page_data import page_data

    def make(token: str) -> str:
        chosen = session.read()
        comparison = compare(chosen, [chosen.tuned_at])
        flights = [run.flight for run in comparison.runs]
        ranges = ranges_of(asking.choice.free)
        data = page_data(chosen, None, flights, file=scenario.name, token=token, ranges=ranges)
        # timings as written: with others it would be another game
        data["cores"] = data["cores"][:1]
        offered = {number["path"] for core in data["cores"] for number in core["core"]["numbers"]}
        missing = [path for path in ranges if path not in offered]
        if missing:
            raise OptionError(
                f"{', '.join(missing)}: a page sets numbers of rules, starts and contacts alone"
            )
        return document(data | {"choice": asking.state()})

    make("")  # report a mistake here rather than in the page
    serve(
        scenario,
        make,
        port=port,
        browser=browser,
        allow_outside=allow_outside,
        doing="choosing numbers of",
        choice=asking,
    )


def as_data(choice: "Choice") -> dict[str, Any]:
    """Return a choice as plain data."""
    from json import loads

    preferred = choice.preferred if choice.answers else ()
    return {
        "answers": loads(choice.table.to_json(orient="records", double_precision=15)),
        "preferred": [
            {
                "path": preferred_number.number.path,
                "value": preferred_number.value,
                "low": preferred_number.low,
                "high": preferred_number.high,
                "noticeable": preferred_number.noticeable,
            }
            for preferred_number in preferred
        ],
    }


def _written(
    choice: "Choice",
    scenario: Path,
    apply: Path | None,
    plot: Path | None,
    *,
    allow_outside: bool,
) -> list[Path]:
    written = []
    if apply is not None:
        from tinrocket.why.applying import apply_cure

        changed = choice.preferred_scenario
        written.append(apply_cure(scenario, changed, apply, allow_outside=allow_outside))
    if plot is not None:
        from tinrocket.show.choice import plot_choice
        from tinrocket.show.theme import save_figure

        written.append(save_figure(plot_choice(choice), plot))
    return written
