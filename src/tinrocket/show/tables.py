"""Printed tables: what differs, and by how much."""

import math
from collections import Counter
from collections.abc import Callable
from typing import Literal

import pandas as pd
from rich.console import Group
from rich.table import Table
from rich.text import Text

from tinrocket.analysis.comparison import (
    AGREES,
    AS_WRITTEN,
    BLEW_UP,
    DIFFERS,
    DRIFTS,
    VERDICTS,
    Comparison,
    Run,
)
from tinrocket.analysis.outcomes import CHANGED
from tinrocket.show.summary import number

COLOURS = {"agrees": "green", "drifts": "magenta", "outcome differs": "bold red", "blew up": "red"}
WIDTH = 80
"""A table fits into a terminal of so many columns, without a cell that takes two lines."""

CRAFT_WIDTH = 12
LEFT = ("clock", "craft", "verdict", "events")
"""Columns of words; the others hold numbers and are set flush right."""

Cell = Callable[[pd.Series], Text]
MOST_ROWS = 24
"""Rows of a drift table before it keeps only the worst craft of each run."""

EVERY_ROW = 60
"""Rows that a drift table has at most."""


def drift_table(comparison: Comparison) -> Group:
    """Return the drift table: a block for each variant, in it the worst clock and craft first.

    Of many craft only the worst of each run is shown.
    """
    unit, rows = comparison.unit, comparison.table
    rank = {verdict: place for place, verdict in enumerate(VERDICTS)}
    order = {"rank": rows["verdict"].map(rank), "far": -rows["drift_max"].fillna(-1.0)}
    rows = rows.assign(**order).sort_values(["rank", "far"], kind="stable")
    craft = len(set(rows["craft"])) > 1
    notes = ["events: -missing +extra ~shifted"]
    if len(rows) > MOST_ROWS and craft:
        kept = rows.drop_duplicates(["variant", "clock"])
        if len(kept) < len(rows):
            notes.append("the worst craft of each run")
        rows = kept
    hidden = max(len(rows) - EVERY_ROW, 0)
    rows = rows.head(EVERY_ROW)
    shared = _shared([str(clock) for _rate, clock in comparison.clocks])
    if shared:
        notes.append(f"every clock with {shared.removeprefix(', ')}")
    shorts, key = _clock_names([clock for _rate, clock in comparison.clocks], shared, craft)
    columns: dict[str, tuple[int, Cell]] = {
        "clock": (7, lambda row: Text(shorts.get(str(row["clock"]), str(row["clock"])))),
        **({"craft": (6, lambda row: Text(str(row["craft"])))} if craft else {}),
        "verdict": (15, lambda row: Text(str(row["verdict"]), COLOURS[str(row["verdict"])])),
        "events": (10, _events_cell),
        "parts at": (8, lambda row: number(row["diverges_at"], " s")),
        f"max {unit}": (7, lambda row: number(row["drift_max"])),
        # there is no room for both
        **({} if craft else {f"rms {unit}": (7, lambda row: number(row["drift_rms"]))}),
        f"final {unit}": (8, lambda row: number(row["drift_final"])),
    }
    blocks: list[Text | Table] = [Text(f"Drift from {comparison.reference_name}", "bold")]
    blocks.append(Text("; ".join(notes), "dim"))
    blocks += [Text(line, "dim") for line in key]
    variants = dict.fromkeys(run.variant or AS_WRITTEN for run in comparison.runs)
    groups = {str(variant): group for variant, group in rows.groupby("variant", sort=False)}
    shown = [name for name in dict.fromkeys((*variants, *groups)) if name in groups]
    for place, variant in enumerate(shown):
        table = Table(box=None, show_header=place == 0, padding=(0, 2, 0, 0))
        for name, (width, _cell) in columns.items():
            side: Literal["left", "right"] = "left" if name in LEFT else "right"
            most = CRAFT_WIDTH if name == "craft" else None
            fits = max(width, len(name))
            table.add_column(
                Text(name, "dim"), justify=side, min_width=fits, max_width=most, no_wrap=True
            )
        for _index, row in groups[variant].iterrows():
            table.add_row(*(cell(row) for _width, cell in columns.values()))
        if variant != AS_WRITTEN or place:
            blocks.append(Text(variant, "italic"))
        blocks.append(table)
    if hidden:
        blocks.append(Text(f"and {hidden} more rows that part less", "dim"))
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


def _events_cell(row: pd.Series) -> Text:
    signs = (("missing", "-"), ("extra", "+"), ("shifted", "~"))
    counts = [f"{sign}{row[status]}" for status, sign in signs if row[status]]
    return Text(" ".join(counts) or ("same" if row["verdict"] != BLEW_UP else "–"))


def verdict_lines(comparison: Comparison) -> list[str]:
    """Return what the drift table says in three lines.

    How many runs agree, which one parts first and of what, and which to look at.
    """
    verdicts = Counter(comparison.verdicts)
    others = {DRIFTS: "drift", DIFFERS: "end otherwise", BLEW_UP: "blow up"}
    rest = ", ".join(f"{verdicts[kind]} {verb}" for kind, verb in others.items() if verdicts[kind])
    one = sum(verdicts.values()) == 1
    line = (
        f"{verdicts[AGREES]} of {sum(verdicts.values())} run{'' if one else 's'} "
        f"agree{'s' if one else ''} with {comparison.reference_name} "
        f"within {comparison.tolerance:g} {comparison.unit}"
    )
    lines = [f"{line}{f'; {rest}' if rest else ''}."]
    parting = [
        (_departs(run, comparison.tolerance), -_farthest(run)[1], place, run)
        for place, run in enumerate(comparison.runs)
        if comparison.verdicts[place] != AGREES
    ]
    if not parting:
        return lines
    when, _far, _place, first = min(parting)
    lines.append(f"First to part: {_called(first)}, at {when:.2f} s{chain(first)}.")
    rank = [VERDICTS.index(verdict) for verdict in comparison.verdicts]
    worst = min(parting, key=lambda part: (rank[part[2]], part[1]))[3]
    craft, far = _farthest(worst)
    told = f"{far:.3g}" if far < 1000.0 else f"{far:.0f}"
    off = f": {craft} up to {told} {comparison.unit} off" if far > 0.0 else ""
    drift = worst.drifts[craft] if far > 0.0 else None
    until = f", until it is gone at {drift.t[-1]:.2f} s" if drift and drift.gone else ""
    again = "" if worst is first else chain(worst)
    lines.append(f"Look at {_called(worst)}{off}{until}{again}{_changes(worst)}.")
    return lines


def _called(run: Run) -> str:
    return f"{run.variant} at {run.clock}" if run.variant else run.clock


def _farthest(run: Run) -> tuple[str, float]:
    """Return which craft is farthest from its reference, and how far."""
    far = {craft: drift.largest for craft, drift in run.drifts.items() if drift}
    return max(far.items(), key=lambda item: item[1], default=("", 0.0))


def _departs(run: Run, tolerance: float) -> float:
    """Return when a run first parts from its reference [s]: in place, or by an event."""
    moments = [drift.passes(tolerance) for drift in run.drifts.values() if drift]
    moments.append(run.first_change())
    return min((moment for moment in moments if moment is not None), default=math.inf)


def chain(run: Run) -> str:
    """Return what first changes the outcome, and how many events differ after it."""
    changed = run.outcomes["status"].isin(CHANGED)
    if not changed.any():
        return ""
    place = int(changed.argmax())
    first = run.outcomes.iloc[place]
    rest = int((run.outcomes["status"].iloc[place + 1 :] != "same").sum())
    moment = first["t"] if math.isnan(first["t_reference"]) else first["t_reference"]
    what = event_phrase(first, craft=len(run.drifts) > 1)
    status = "is missing" if first["status"] == "missing" else "is extra"
    after = f"; after it {rest} event{'' if rest == 1 else 's'} differ" if rest else ""
    return f"; at {moment:.2f} s {what} {status}{after}{'s' if rest == 1 else ''}"


def event_phrase(event: pd.Series, *, craft: bool = True) -> str:
    """Return an event in words: what, of whom, and with what."""
    whose = f"{event['craft']}'s " if craft and event["craft"] else "the "
    where = ""
    if event["edge"]:
        where = f" at the {event['edge']} edge"
    elif event["other"]:
        where = f" with {event['other']}"
    elif event["rule"] and event["rule"] != event["kind"]:
        where = f" of {event['rule']}"
    elif event["action"]:
        where = f" of {event['action']}"
    return f"{whose}{event['kind'].replace('_', ' ')}{where}"


def _changes(run: Run) -> str:
    said = []
    for status in CHANGED:
        counts = Counter(run.outcomes.loc[run.outcomes["status"] == status, "kind"])
        if counts:
            said.append(f"{status}: {', '.join(f'{n} {kind}' for kind, n in counts.items())}")
    return "".join(f"; {part}" for part in said)
