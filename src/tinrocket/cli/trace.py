"""`tinrocket trace`: values frame by frame, and after each rule within a frame."""

from pathlib import Path
from typing import Annotated

import typer

from tinrocket.cli.options import AllowOutside

USUAL = ("frame", "t", "craft", "after", "x", "y", "vx", "vy", "speed", "ax", "ay", "heading")


def trace(
    scenario: Annotated[Path, typer.Argument(help="A scenario file (TOML).")],
    craft: Annotated[str | None, typer.Option(help="Whose; all craft if not given.")] = None,
    since: Annotated[float, typer.Option("--from", help="First moment [s].")] = 0.0,
    until: Annotated[float | None, typer.Option(help="Moment at which it ends [s].")] = None,
    frames: Annotated[
        int | None, typer.Option(help="So many frames instead; 12 if neither is given.")
    ] = None,
    each_rule: Annotated[
        bool, typer.Option("--each-rule", help="A row after each rule, edge, contact and stage.")
    ] = False,
    columns: Annotated[
        str | None, typer.Option(help="Which columns, such as t,x,vy,in.thrust; or 'all'.")
    ] = None,
    rate: Annotated[float | None, typer.Option(help="Frames per second.")] = None,
    csv: Annotated[Path | None, typer.Option(help="Write the whole table here.")] = None,
    json: Annotated[bool, typer.Option("--json", help="Print JSON and nothing else.")] = False,
    allow_outside: AllowOutside = False,
) -> None:
    """Print how a craft stands frame by frame, or after each rule, and what it gained there."""
    from tinrocket.analysis.csv_text import columns_of, write_csv
    from tinrocket.analysis.trace import named_columns
    from tinrocket.analysis.trace import trace as trace_flight
    from tinrocket.cli.output import echo, parse_rates
    from tinrocket.errors import OptionError
    from tinrocket.scenario.toml_file import read_scenario
    from tinrocket.texts import json_text

    if until is not None and frames is not None:
        raise OptionError("give --until or --frames, not both")
    chosen = read_scenario(scenario, allow_outside=allow_outside)
    speed = None if rate is None else parse_rates(f"{rate:g}", "--rate")[0]
    shown = None if columns in (None, "all") else str(columns).split(",")
    if until is None and (frames is not None or not csv):
        until = since + (frames or 12) / (speed or chosen.clock.rate or chosen.tuned_at)
    table = trace_flight(chosen, craft, since, until, rate=speed, each_rule=each_rule)
    if table.empty:
        what = "no frame begins" if since > chosen.duration else "nobody is there"
        raise OptionError(f"{what} from {since:g} s to {until or chosen.duration:g} s")
    if csv:
        write_csv(columns_of(table), csv)
    if shown is None and columns is None:
        told = [
            name
            for name in map(str, table)
            if name.startswith(("in.", "timer.")) and table[name].any()
        ]
        shown = [name for name in USUAL if name in table]
        shown = [name for name in shown if name != "craft" or table["craft"].nunique() > 1]
        shown += told + (["events"] if table["events"].any() else [])
    picked = table if shown is None else table[named_columns(shown, table)]
    if json:
        from json import loads

        echo(json_text(loads(picked.to_json(orient="records", double_precision=15))))
        if "blew_up" in table.attrs:
            raise OptionError(table.attrs["blew_up"])
        return
    unit = chosen.arena.unit
    echo(f"lengths in {unit}, t in s, angles in degrees; ax, ay: what the row gained, per s")
    echo(picked.to_string(index=False, float_format=lambda value: f"{value:.4f}"))
    if csv:
        echo(f"wrote {csv}")
    if "blew_up" in table.attrs:
        raise OptionError(table.attrs["blew_up"])
