"""Printed tables: what differs, and by how much."""

import math
from collections import Counter
from collections.abc import Callable
from typing import Literal

import pandas as pd
from rich import box
from rich.table import Table
from rich.text import Text

from tinrocket.analysis.compare import AS_WRITTEN, Comparison, Run
from tinrocket.analysis.trajectory import Trajectory

VERDICTS = {"agrees": "green", "drifts": "yellow", "outcome differs": "bold red"}
MOST_EVENTS = 12
"""Events that a printed table shows before it says how many more there are."""


def drift_table(comparison: Comparison) -> Table:
    """Return the drift table: what changed the outcome first, then how far runs part."""
    unit = comparison.scenario.arena.unit
    rows = comparison.table
    shown: dict[str, tuple[Literal["left", "right"], Callable[[pd.Series], str | Text]]] = {
        "variant": ("left", lambda row: Text(str(row["variant"]))),
        "clock": ("right", lambda row: str(row["clock"])),
        "craft": ("left", lambda row: Text(str(row["craft"]))),
        "verdict": ("left", lambda row: Text(str(row["verdict"]), VERDICTS[str(row["verdict"])])),
        "missing": ("right", lambda row: _count(row["missing"])),
        "extra": ("right", lambda row: _count(row["extra"])),
        "shifted": ("right", lambda row: _count(row["shifted"])),
        "lost taps": ("right", lambda row: _count(row["lost_taps"])),
        "departs [s]": ("right", lambda row: _number(row["departs_at"])),
        f"max [{unit}]": ("right", lambda row: _number(row["drift_max"])),
        f"rms [{unit}]": ("right", lambda row: _number(row["drift_rms"])),
        f"final [{unit}]": ("right", lambda row: _number(row["drift_final"])),
    }
    if (rows["variant"] == AS_WRITTEN).all():
        del shown["variant"]
    if (rows["craft"] == rows["craft"].iloc[0]).all():
        del shown["craft"]
    if not rows["lost_taps"].any():
        del shown["lost taps"]
    table = _table(f"Drift from {comparison.reference_name}")
    for name, (side, _cell) in shown.items():
        table.add_column(Text(name), justify=side, no_wrap=name != "variant")
    for _index, row in rows.iterrows():
        table.add_row(*(cell(row) for _side, cell in shown.values()))
    return table


def verdict_lines(comparison: Comparison) -> list[str]:
    """Return what the drift table says: how many runs agree, and the worst of each variant."""
    rows, unit = comparison.table, comparison.scenario.arena.unit
    good = int((rows["verdict"] == "agrees").sum())
    reference, within = comparison.reference_name, f"{comparison.tolerance:g} {unit}"
    lines = [f"{good} of {len(rows)} runs agree with {reference} within {within}."]
    for variant, group in rows.groupby("variant", sort=False):
        bad = group[group["verdict"] != "agrees"]
        if bad.empty:
            continue
        worst = bad.iloc[int(bad["drift_max"].argmax())]
        run = next(
            run
            for run in comparison.runs
            if (run.variant or AS_WRITTEN) == variant and run.clock == worst["clock"]
        )
        departs = float(worst["departs_at"])
        left = "" if math.isnan(departs) else f", leaving the reference at {departs:.2f} s"
        off = f"up to {worst['drift_max']:.3g} {unit} off"
        lines.append(f"{variant}: at {worst['clock']} {off}{left}{_changes(run)}.")
    return lines


def _changes(run: Run) -> str:
    counts: Counter[str] = Counter()
    for status in ("missing", "extra"):
        for kind in run.outcomes.loc[run.outcomes["status"] == status, "kind"]:
            counts[f"{status} {str(kind).replace('_', ' ')}"] += 1
    parts = [f"{count} {what}{'s' if count > 1 else ''}" for what, count in counts.items()]
    return f"; {', '.join(parts)}" if parts else ""


def event_table(trajectory: Trajectory) -> Table:
    """Return the first events of a flight as a table."""
    table = _table("Events")
    unit = trajectory.arena.unit if trajectory.arena else "px"
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
    for _index, event in trajectory.events.head(MOST_EVENTS).iterrows():
        table.add_row(
            f"{event['t']:.4f}",
            str(event["kind"]).replace("_", " "),
            Text(str(event["craft"])),
            Text(str(event["edge"] or event["action"])),
            *(_number(event[name]) for name in ("x", "y", "speed")),
        )
    more = len(trajectory.events) - MOST_EVENTS
    if more > 0:
        table.caption = f"and {more} more"
    return table


def _table(title: str) -> Table:
    return Table(
        title=Text(title),
        title_justify="left",
        title_style="bold",
        box=box.SIMPLE_HEAD,
        pad_edge=False,
    )


def _number(value: float) -> str:
    return "–" if math.isnan(value) else f"{value:.2f}" if abs(value) < 1000 else f"{value:.0f}"


def _count(value: int) -> str:
    return str(value) if value else "·"
