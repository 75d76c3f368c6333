"""Printed tables of differences."""

import math
from collections.abc import Callable
from typing import Any, Literal

from rich.console import Group
from rich.table import Table
from rich.text import Text

from tinrocket.comparison.comparison import AS_WRITTEN, Comparison
from tinrocket.comparison.verdicts import BLEW_UP, VERDICTS
from tinrocket.show.summary import number

COLOURS = {"agrees": "green", "drifts": "magenta", "outcome differs": "bold red", "blew up": "red"}
WIDTH = 80
"""Width of a terminal into which a table fits, without cells of two lines."""

CRAFT_WIDTH = 12
LEFT = ("clock", "craft", "verdict", "events")
"""Columns of words; the others hold numbers and are set flush right."""

Row = dict[str, Any]
Cell = Callable[[Row], Text]
MOST_ROWS = 24
"""Rows of a drift table before it keeps only the worst craft of each run."""

LEAST_LAG = 0.05
"""Smallest latency that gets a column [ms]."""
EVERY_ROW = 60
"""Most rows of a drift table."""


def drift_table(comparison: Comparison) -> Group:
    """Return the drift table: a block for each variant, in it the worst clock and craft first.

    Of many craft only the worst of each run is shown.
    """
    unit, rows = comparison.unit, sorted(comparison.rows, key=_worst_first)
    craft = len({row["craft"] for row in rows}) > 1
    late = any(row["lag_ms"] > LEAST_LAG for row in rows)
    notes = ["events: -missing +extra ~shifted"]
    notes += ["late: mean display latency, which is not drift"] if late else []
    if len(rows) > MOST_ROWS and craft:
        worst: dict[tuple[str, str], Row] = {}
        for row in rows:
            worst.setdefault((row["variant"], row["clock"]), row)
        kept = list(worst.values())
        if len(kept) < len(rows):
            notes.append("the worst craft of each run")
        rows = kept
    hidden = max(len(rows) - EVERY_ROW, 0)
    rows = rows[:EVERY_ROW]
    shared = _shared([str(clock) for _rate, clock in comparison.clocks])
    if shared:
        notes.append(f"every clock with {shared.removeprefix(', ')}")
    shorts, key = _clock_names([clock for _rate, clock in comparison.clocks], shared, craft)
    columns: dict[str, tuple[int, Cell]] = {
        "clock": (7, lambda row: Text(shorts.get(str(row["clock"]), str(row["clock"])))),
        **({"craft": (6, lambda row: Text(str(row["craft"])))} if craft else {}),
        "verdict": (15, lambda row: Text(str(row["verdict"]), COLOURS[str(row["verdict"])])),
        "events": (10, _events_cell),
        "diverges\nat": (8, lambda row: number(row["diverges_at"], " s")),
        f"max\n[{unit}]": (7, lambda row: number(row["drift_max"])),
        # there is no room for both
        **({} if craft else {f"rms\n[{unit}]": (7, lambda row: number(row["drift_rms"]))}),
        f"final\n[{unit}]": (7, lambda row: number(row["drift_final"])),
        **({"late\n[ms]": (7, lambda row: number(row["lag_ms"]))} if late else {}),
    }
    blocks: list[Text | Table] = [Text(f"Drift from {comparison.reference_name}", "bold")]
    blocks.append(Text("; ".join(notes), "dim"))
    blocks += [Text(line, "dim") for line in key]
    variants = dict.fromkeys(run.variant or AS_WRITTEN for run in comparison.runs)
    groups: dict[str, list[Row]] = {}
    for row in rows:
        groups.setdefault(row["variant"], []).append(row)
    shown = [name for name in dict.fromkeys((*variants, *groups)) if name in groups]
    for place, variant in enumerate(shown):
        table = Table(box=None, show_header=place == 0, padding=(0, 1, 0, 0))
        for name, (width, _cell) in columns.items():
            side: Literal["left", "right"] = "left" if name in LEFT else "right"
            most = CRAFT_WIDTH - 2 * late if name == "craft" else None
            fits = max(width, *map(len, name.split("\n")))
            table.add_column(
                Text(name, "dim"),
                justify=side,
                min_width=fits,
                max_width=most,
                no_wrap=True,
                vertical="bottom",
            )
        for row in groups[variant]:
            table.add_row(*(cell(row) for _width, cell in columns.values()))
        if variant != AS_WRITTEN or place:
            blocks.append(Text(variant, "italic"))
        blocks.append(table)
    if hidden:
        blocks.append(Text(f"and {hidden} more rows that diverge less", "dim"))
    return Group(*blocks)


def _shared(clocks: list[str]) -> str:
    """Return the common end of all descriptions of clocks, from a comma on."""
    parts = [clock.split(", ") for clock in clocks]
    count = 0
    while len(clocks) > 1 and all(len(p) > count + 1 for p in parts):
        if len({p[-count - 1] for p in parts}) > 1:
            break
        count += 1
    return ", " + ", ".join(parts[0][-count:]) if count else ""


def _clock_names(clocks: list[str], shared: str, craft: bool) -> tuple[dict[str, str], list[str]]:
    """Return short names of clocks, and a line for each that is too long for a cell."""
    room = 8 if craft else 12
    names, key = {}, []
    for place, clock in enumerate(clocks, start=1):
        short = clock.removesuffix(shared)
        names[clock] = short if len(short) <= room else f"[{place}]"
        if len(short) > room:
            key.append(f"[{place}] is {short}")
    return names, key


def _worst_first(row: Row) -> tuple[int, float]:
    """Return the sort key of a row; unmeasurable ones come last within their verdict."""
    far = row["drift_max"]
    return VERDICTS.index(row["verdict"]), 1.0 if math.isnan(far) else -far


def _events_cell(row: Row) -> Text:
    signs = (("missing", "-"), ("extra", "+"), ("shifted", "~"))
    counts = [f"{sign}{row[status]}" for status, sign in signs if row[status]]
    return Text(" ".join(counts) or ("same" if row["verdict"] != BLEW_UP else "–"))
