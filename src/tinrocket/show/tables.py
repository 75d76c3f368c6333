"""Printed tables: what differs, and by how much."""

import math
from collections import Counter
from collections.abc import Callable
from typing import Literal

import pandas as pd
from rich.console import Group
from rich.table import Table
from rich.text import Text

from tinrocket.analysis.compare import AS_WRITTEN, Comparison, Run
from tinrocket.analysis.trajectory import Trajectory

VERDICTS = {"agrees": "green", "drifts": "magenta", "outcome differs": "bold red"}
WORDS = ("clock", "verdict", "events", "craft")
"""Columns of words; the others hold numbers and are set flush right."""

CLOCK_WIDTH = 8
"""A clock with a longer description takes several lines, to keep the table narrow."""

CRAFT_WIDTH = 12

Cell = Callable[[pd.Series], Text]
MOST_EVENTS = 12
"""Events that a printed table shows before it says how many more there are."""


def drift_table(comparison: Comparison) -> Group:
    """Return the drift table: what changed the outcome first, then how far runs part.

    A block of rows for each variant; narrow enough for a terminal of 80 columns.
    """
    unit = comparison.scenario.arena.unit
    rows = comparison.table
    shared = _shared([str(clock) for _rate, clock in comparison.clocks])
    columns: dict[str, tuple[int, Cell]] = {
        "clock": (7, lambda row: Text(str(row["clock"]).removesuffix(shared))),
    }
    several = len(comparison.scenario.craft) > 1
    if several:
        columns["craft"] = (6, lambda row: Text(str(row["craft"])))
    columns |= {
        "verdict": (15, lambda row: Text(str(row["verdict"]), VERDICTS[str(row["verdict"])])),
        "events": (10 if several else 13, _events_cell),
        "diverges at": (11, lambda row: _number(row["diverges_at"], " s")),
        f"max {unit}": (6, lambda row: _number(row["drift_max"])),
    }
    if not several:  # there is no room for both
        columns[f"rms {unit}"] = (6, lambda row: _number(row["drift_rms"]))
    columns[f"final {unit}"] = (8, lambda row: _number(row["drift_final"]))
    every = f"; every clock with {shared.removeprefix(', ')}" if shared else ""
    blocks: list[Text | Table] = [Text(f"Drift from {comparison.reference_name}{every}", "bold")]
    for number, (variant, group) in enumerate(rows.groupby("variant", sort=False)):
        table = Table(box=None, show_header=number == 0, padding=(0, 2, 0, 0))
        for name, (width, _cell) in columns.items():
            side: Literal["left", "right"] = "left" if name in WORDS else "right"
            fits = max(width, len(name))
            most = {"clock": CLOCK_WIDTH, "craft": CRAFT_WIDTH}.get(name)
            table.add_column(Text(name, "dim"), justify=side, min_width=fits, max_width=most)
        for _index, row in group.iterrows():
            table.add_row(*(cell(row) for _width, cell in columns.values()))
        if variant != AS_WRITTEN or number:
            blocks.append(Text(str(variant), "italic"))
        blocks.append(table)
    return Group(*blocks)


def _shared(clocks: list[str]) -> str:
    """Return the end that all descriptions of clocks have in common, from a comma on."""
    parts = [clock.split(", ") for clock in clocks]
    count = 0
    while len(clocks) > 1 and all(len(p) > count + 1 for p in parts):
        if len({p[-count - 1] for p in parts}) > 1:
            break
        count += 1
    return ", " + ", ".join(parts[0][-count:]) if count else ""


def _events_cell(row: pd.Series) -> Text:
    changed = [f"{row[key]} {key}" for key in ("missing", "extra") if row[key]]
    shifted = [f"{row['shifted']} shifted"] if row["shifted"] else ["same"]
    return Text(", ".join(changed or shifted))


def verdict_lines(comparison: Comparison) -> list[str]:
    """Return what the drift table says: how many runs agree, and the worst of each variant."""
    rows, unit = comparison.table, comparison.scenario.arena.unit
    good = int((rows["verdict"] == "agrees").sum())
    reference, within = comparison.reference_name, f"{comparison.tolerance:g} {unit}"
    lines = [f"{good} of {len(rows)} runs agree with {reference} within {within}."]
    owners = [run for run in comparison.runs for _craft in run.drifts]
    for variant, group in rows.groupby("variant", sort=False):
        bad = group[group["verdict"] != "agrees"]
        if bad.empty:
            continue
        place = int(bad["drift_max"].fillna(-1.0).argmax())
        worst, run = bad.iloc[place], owners[int(bad.index[place])]
        departs = float(worst["diverges_at"])
        left = "" if math.isnan(departs) else f", diverging at {departs:.2f} s"
        far = worst["drift_max"]
        off = f"{worst['craft']}" if math.isnan(far) else f"up to {far:.3g} {unit} off"
        lines.append(f"{variant}: at {worst['clock']} {off}{left}{_changes(run)}.")
    return lines


def _changes(run: Run) -> str:
    said = []
    for status in ("missing", "extra"):
        counts = Counter(run.outcomes.loc[run.outcomes["status"] == status, "kind"])
        if counts:
            said.append(f"{status}: {', '.join(f'{n} {kind}' for kind, n in counts.items())}")
    return "".join(f"; {part}" for part in said)


def event_table(trajectory: Trajectory, *, every: bool = False) -> Table:
    """Return the first events of a flight, or every one, as a table."""
    table = Table(
        title=Text("Events"),
        title_justify="left",
        title_style="bold",
        box=None,
        padding=(0, 2, 0, 0),
    )
    unit = trajectory.arena.unit if trajectory.arena else "px"
    most = len(trajectory.events) if every else MOST_EVENTS
    for name in (
        "t [s]",
        "event",
        "craft",
        "where",
        f"x [{unit}]",
        f"y [{unit}]",
        f"speed [{unit}/s]",
    ):
        table.add_column(Text(name), justify="right" if "[" in name else "left", no_wrap=True)
    for _index, event in trajectory.events.head(most).iterrows():
        table.add_row(
            f"{event['t']:.4f}",
            str(event["kind"]),
            Text(str(event["craft"])),
            Text(str(event["other"] or event["edge"] or event["rule"] or event["action"])),
            *(_number(event[name]) for name in ("x", "y", "speed")),
        )
    more = len(trajectory.events) - most
    if more > 0:
        table.caption = f"and {more} more; --events prints all"
    return table


def _number(value: float, unit: str = "") -> Text:
    shown = f"{value:.2f}{unit}" if abs(value) < 1000 else f"{value:.0f}{unit}"
    return Text("–" if math.isnan(value) else shown, justify="right")
