"""`tinrocket why`: which line makes runs differ, and what to write instead."""

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from tinrocket.cli import completion
from tinrocket.cli.session import (
    USUAL_RATES,
    AllowOutside,
    AsJson,
    FrameTimes,
    Rates,
    RulesFile,
    ScenarioFile,
    Session,
    Tolerance,
)

if TYPE_CHECKING:
    from tinrocket.scenario.scenario import Scenario
    from tinrocket.why.cures import Cures
    from tinrocket.why.explain import Causes


def why(
    scenario: ScenarioFile,
    rates: Rates = USUAL_RATES,
    frame_times: FrameTimes = None,
    craft: Annotated[
        str | None, typer.Option(help="Craft to explain (default: the one that drifts most).")
    ] = None,
    of: Annotated[
        str | None,
        typer.Option(
            help="What to explain: 'drift', 'outcome' (its first change), 'events' (how many "
            "differ), or a feel metric (default: drift and, if it differs, the outcome).",
            autocompletion=completion.explained,
        ),
    ] = None,
    screen: Annotated[
        bool, typer.Option("--view", help="Measure drift as seen in the view, not in the world.")
    ] = False,
    uneven: Annotated[
        str | None,
        typer.Option(
            metavar="jitter=2ms,hitch=80ms,seeds=20",
            help="Judge cures over uneven frames too: jitter, hitch and number of seeds.",
        ),
    ] = None,
    tolerance: Tolerance = 2.0,
    whole: Annotated[
        bool,
        typer.Option(
            "--whole", help="Measure drift over the whole run, also after the outcome differs."
        ),
    ] = False,
    cure: Annotated[
        str | None,
        typer.Option(
            metavar="NAME",
            help="Cure that --apply writes, by its name in the table (default: the recommended).",
        ),
    ] = None,
    all_lines: Annotated[
        bool, typer.Option("--all-lines", help="Print the line of every suspect that has one.")
    ] = False,
    apply: Annotated[
        Path | None, typer.Option(help="File to write the cured scenario to; comments are kept.")
    ] = None,
    diff: Annotated[
        bool,
        typer.Option(
            "--diff", help="Print the cure of an update function as a diff, and nothing else."
        ),
    ] = False,
    out: Annotated[Path | None, typer.Option(help="Directory for tables and pictures.")] = None,
    rules: RulesFile = None,
    allow_outside: AllowOutside = False,
    json: AsJson = False,
) -> None:
    """Find which lines make runs differ, what fixes them, and print the lines to write."""
    from tinrocket.cli.output import console, echo, echo_text, print_written, progress_bar
    from tinrocket.comparison.compare import check_tolerance
    from tinrocket.feel_metrics.uneven import parse_uneven
    from tinrocket.files import make_directory
    from tinrocket.why.cures import find_cures
    from tinrocket.why.explain import explain, explain_also

    if out is not None:
        make_directory(out)
    session = Session(scenario, rules, allow_outside, rates=rates, frame_times=frame_times)
    chosen = session.scenario
    check_tolerance(tolerance, chosen.arena.unit)
    requested: dict[str, Any] = {
        "rates": session.parsed_rates,
        "clocks": session.clocks,
        "craft": craft,
        "tolerance": tolerance,
        "on_screen": screen,
        "whole_run": whole,
    }
    rough = None if uneven is None else parse_uneven(uneven)
    with progress_bar("explaining") as progress:
        every = [explain(chosen, of=of or "drift", progress=progress, **requested)]
        if of is None and any(run.parts_at is not None for run in every[0].runs):
            every.append(explain_also(every[0], "outcome"))
        # measuring feel in plain Python would take longer than everything else
        felt = chosen.flown_by is None
        cures = find_cures(_most(every), felt=felt, uneven=rough)
    chosen_cure = None if cure is None else cures.with_cure(cure)
    if diff:
        from tinrocket.why.own_patch import diff_of

        echo_text(diff_of(chosen_cure or cures.cured))
    elif json:
        echo(as_json(every, cures))
    else:
        from tinrocket.show.why_table import (
            all_cure_lines,
            alternative_lines,
            cure_lines,
            cure_table,
            verdict_line,
            why_lines,
        )
        from tinrocket.why.own_patch import own_notes

        printer = console()

        def print_all(head: str, lines: list[str]) -> None:
            if head:
                printer.print(head, style="bold", markup=False, soft_wrap=True)
            for line in lines:
                printer.print(line, markup=False, soft_wrap=True)

        print_all(verdict_line(every), cure_lines(cures))
        for causes in every:
            what = "drifts" if causes.of == "drift" else f"differs in {causes.of}"
            lines = why_lines(causes, partings=causes.of == "drift")
            print_all(f"\nWhy {causes.craft} {what}", lines)
        if cures.recommended is not None:
            print_all("\nCures that were tried", [])
            printer.print(cure_table(cures))
            print_all("", alternative_lines(cures))
            print_all("", own_notes(cures))
        if all_lines:
            print_all("", all_cure_lines(cures))
    cured = chosen_cure or cures.cured
    written = _written(every, cures, cured, scenario, apply, out, allow_outside=allow_outside)
    if not (json or diff):
        print_written(written)


def _most(every: "list[Causes]") -> "Causes":
    """Return the quantity to cure: drift, or the outcome if nothing drifts."""
    return next((causes for causes in every if causes.blamed), every[0])


def as_json(every: "list[Causes]", cures: "Cures") -> str:
    """Return causes, cures and lines as JSON."""
    from json import loads

    from tinrocket.texts import json_text

    def plain(table: object) -> object:
        return loads(table.to_json(orient="records", double_precision=12))  # type: ignore[attr-defined]

    causes = cures.causes
    blamed = {suspect.name: suspect for explained in every for suspect in explained.blamed}
    data = {
        "scenario": causes.scenario.title,
        "tuned_at": causes.scenario.tuned_at,
        "causes": [
            {
                "of": explained.of,
                "craft": explained.craft,
                "unit": explained.unit,
                "runs": [
                    {"clock": run.clock, "whole": run.whole, "parts_at": run.parts_at}
                    for run in explained.runs
                ],
                "shares": plain(explained.table),
            }
            for explained in every
        ],
        "cannot_be_switched_off": list(causes.own),
        "cures": plain(cures.table),
        "recommended": cures.recommended.cure.name if cures.recommended else None,
        "reason": cures.reason,
        "feel_differs": {name: len(sheet.differing) for name, sheet in cures.feel.items()},
        "feel": [
            {"cure": name} | row
            for name, sheet in cures.feel.items()
            for row in loads(sheet.table.to_json(orient="records", double_precision=12))
        ],
        "lines": [
            {
                "suspect": suspect.name,
                "before": line.before,
                "after": line.after,
                "where": line.where,
            }
            for suspect in blamed.values()
            if (line := suspect.line)
        ],
    }
    return json_text(data)


def _written(
    every: "list[Causes]",
    cures: "Cures",
    cured: "Scenario | None",
    scenario: Path,
    apply: Path | None,
    out: Path | None,
    *,
    allow_outside: bool,
) -> list[Path]:
    written: list[Path] = []
    if apply is not None:
        from tinrocket.errors import OptionError
        from tinrocket.why.applying import apply_cure

        if cured is None:
            raise OptionError("--apply: there is nothing to cure")
        written.append(apply_cure(scenario, cured, apply, allow_outside=allow_outside))
    if out is None:
        return written
    import pandas as pd

    from tinrocket.cli.results import result_folder
    from tinrocket.show.theme import save_figure
    from tinrocket.show.why import plot_causes, plot_cures
    from tinrocket.trajectory.csv_text import columns_of, write_csv

    tables = [explained.table.assign(of=explained.of, craft=explained.craft) for explained in every]
    with result_folder(out) as files:
        felt = [sheet.table.assign(cure=name) for name, sheet in cures.feel.items()]
        of_feel = [("cured-feel.csv", pd.concat(felt))] if felt else []
        for name, table in (
            ("causes.csv", pd.concat(tables)),
            ("cures.csv", cures.table),
            *of_feel,
        ):
            files.append(write_csv(columns_of(table), out / name))
        for causes in every:
            ending = "" if len(every) == 1 else f"-of-{causes.of}"
            files.append(save_figure(plot_causes(causes), out / f"causes{ending}.png"))
        files.append(save_figure(plot_cures(cures), out / "cures.png"))
    return written + sorted(files)
