"""`tinrocket trace`: values frame by frame, and after each rule within a frame."""

import math
from json import loads
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tinrocket.cli.session import (
    AllowOutside,
    AsJson,
    FrameTimes,
    OfCraft,
    Rate,
    RulesFile,
    ScenarioFile,
    Session,
    Varied,
)

if TYPE_CHECKING:
    import pandas as pd

    from tinrocket.scenario.clock import Clock
    from tinrocket.scenario.scenario import Scenario

USUAL_FRAMES = 12
"""Number of frames shown if neither --until nor --frames is given."""
LARGE = 1e9
"""Size from which a number is printed with an exponent."""
USUAL = ("frame", "t", "craft", "after", "x", "y", "vx", "vy", "speed", "ax", "ay", "heading")


def trace(
    scenario: ScenarioFile,
    craft: OfCraft = None,
    since: Annotated[float, typer.Option("--from", help="First moment [s].")] = 0.0,
    until: Annotated[float | None, typer.Option(help="Last moment [s].")] = None,
    frames: Annotated[
        int | None,
        typer.Option(help=f"Number of frames, instead of --until (default: {USUAL_FRAMES})."),
    ] = None,
    each_rule: Annotated[
        bool, typer.Option("--each-rule", help="A row after each rule, edge, contact and stage.")
    ] = False,
    columns: Annotated[
        str | None,
        typer.Option(
            help="Columns to print, such as t,x,vy,in.thrust, or 'all' (default: those in use)."
        ),
    ] = None,
    rate: Rate = None,
    frame_times: FrameTimes = None,
    vary: Varied = None,
    csv: Annotated[Path | None, typer.Option(help="File to write the whole table to.")] = None,
    rules: RulesFile = None,
    allow_outside: AllowOutside = False,
    json: AsJson = False,
) -> None:
    """Print the state of each craft frame by frame, or after each rule."""
    from tinrocket.cli.output import echo
    from tinrocket.errors import OptionError
    from tinrocket.texts import json_text
    from tinrocket.trajectory.csv_text import columns_of, write_csv
    from tinrocket.trajectory.trace import trace as trace_flight

    if until is not None and frames is not None:
        raise OptionError("give --until or --frames, not both")
    session = Session(scenario, rules, allow_outside, rate=rate, frame_times=frame_times, vary=vary)
    variants = session.variants()
    if len(variants) > 1 and csv:
        raise OptionError("--csv is of one flight; give one value for each --vary")
    printed: list[dict[str, object]] = []
    blew_up: list[str] = []
    for name, variant in variants:
        end = until
        if until is None and (frames is not None or not csv):
            end = since + _length(frames or USUAL_FRAMES, variant, session.clock)
        table = trace_flight(variant, craft, since, end, clock=session.clock, each_rule=each_rule)
        if table.empty:
            what = "no frame begins" if since > variant.duration else "no craft is there"
            raise OptionError(f"{what} from {since:g} s to {end or variant.duration:g} s")
        if csv:
            write_csv(columns_of(table), csv)
        picked = _picked(table, columns)
        if "blew_up" in table.attrs:
            blew_up.append(f"{name}: {table.attrs['blew_up']}" if name else table.attrs["blew_up"])
        if json:
            rows = loads(picked.to_json(orient="records", double_precision=15))
            printed.append({"variant": name, "rows": rows})
            continue
        unit = variant.arena.unit
        units = f"lengths in {unit}, t in s, angles in degrees; ax, ay: what the row gained, per s"
        echo(f"{name}; {units}" if name else units)
        echo(picked.to_string(index=False, float_format=_shown))
    if json:
        echo(json_text(printed if vary else printed[0]["rows"]))
    elif csv:
        echo(f"wrote {csv}")
    if blew_up:
        raise OptionError("\n".join(blew_up))


def _shown(value: float) -> str:
    """Return a number with four decimals, or with an exponent if it is too large for a column."""
    return f"{value:.4f}" if abs(value) < LARGE or math.isinf(value) else f"{value:.4e}"


def _length(frames: int, scenario: "Scenario", clock: "Clock | None") -> float:
    """Return the mean duration of a number of frames [s]."""
    clock = clock or scenario.clock
    return frames / clock.average_rate(scenario.tuned_at)


def _picked(table: "pd.DataFrame", columns: str | None) -> "pd.DataFrame":
    """Return the requested columns, or those with values to show."""
    from tinrocket.trajectory.trace import named_columns

    if columns == "all":
        return table
    if columns is not None:
        return table[named_columns(columns.split(","), table)]
    filled = [name for name in map(str, table) if not table[name].isna().all()]
    used = [
        name for name in map(str, table) if name.startswith(("in.", "timer.")) and table[name].any()
    ]
    shown = [name for name in USUAL if name in filled]
    if (table["craft"] == table["craft"].iloc[0]).all():
        shown.remove("craft")
    described = [name for name in ("changed", "events") if name in table and table[name].any()]
    return table[shown + used + described]
