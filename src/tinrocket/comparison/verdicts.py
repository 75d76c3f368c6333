"""The summary of a comparison, in sentences."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

import numpy as np

from tinrocket.comparison.outcomes import CHANGED

if TYPE_CHECKING:
    from tinrocket.comparison.comparison import Comparison
from tinrocket.comparison.run import Run

BLEW_UP, DIFFERS, DRIFTS, AGREES = VERDICTS = ("blew up", "outcome differs", "drifts", "agrees")
"""Verdicts of a run, the worst first."""


def verdict_lines(comparison: Comparison) -> list[str]:
    """Return a summary of the drift table in at most three lines.

    How many runs agree, which one diverges first and at which event, and which is worst.
    """
    verdicts = Counter(comparison.verdicts)
    others = {DRIFTS: "drift", DIFFERS: "with a different outcome", BLEW_UP: "blow up"}
    rest = ", ".join(f"{verdicts[kind]} {verb}" for kind, verb in others.items() if verdicts[kind])
    single = sum(verdicts.values()) == 1
    line = (
        f"{verdicts[AGREES]} of {sum(verdicts.values())} run{'' if single else 's'} "
        f"agree{'s' if single else ''} with {comparison.reference_name} "
        f"within {comparison.tolerance:g} {comparison.unit}"
    )
    lines = [f"{line}{f'; {rest}' if rest else ''}."]
    parting = [
        (_diverges_at(run, comparison.tolerance), -run.farthest[1], place, run)
        for place, run in enumerate(comparison.runs)
        if comparison.verdicts[place] != AGREES
    ]
    if not parting:
        return lines
    when, _far, _place, first = min(parting)
    lines.append(f"First to diverge: {_called(first)}, at {when:.2f} s{chain(first)}.")
    rank = [VERDICTS.index(verdict) for verdict in comparison.verdicts]
    worst = min(parting, key=lambda part: (rank[part[2]], part[1]))[3]
    craft, far = worst.farthest
    distance = f"{far:.0f}" if 1000.0 <= far < 1e6 else f"{far:.3g}"
    off = f": {craft} drifts up to {distance} {comparison.unit}" if far > 0.0 else ""
    drift = worst.drifts[craft] if far > 0.0 else None
    until = f", until it is gone at {drift.t[-1]:.2f} s" if drift and drift.gone else ""
    again = "" if worst is first else chain(worst)
    lines.append(f"Worst: {_called(worst)}{off}{until}{again}{_changes(worst)}.")
    return lines


def _called(run: Run) -> str:
    return f"{run.variant} at {run.clock}" if run.variant else run.clock


def _diverges_at(run: Run, tolerance: float) -> float:
    """Return when a run first diverges from its reference [s], by drift or by an event."""
    moments = [drift.passes(tolerance) for drift in run.drifts.values() if drift]
    moments.append(run.first_change())
    return min((moment for moment in moments if moment is not None), default=math.inf)


def chain(run: Run) -> str:
    """Return the first event that changes the outcome, and how many differ after it."""
    status = run.matched["status"]
    changed = np.isin(status, CHANGED)
    if not changed.any():
        return ""
    place = int(changed.argmax())
    first = {name: values[place] for name, values in run.matched.items()}
    rest = int((status[place + 1 :] != "same").sum())
    moment = first["t"] if math.isnan(first["t_reference"]) else first["t_reference"]
    what = event_phrase(first, craft=len(run.drifts) > 1)
    how = "is missing" if first["status"] == "missing" else "is extra"
    after = f"; after it {rest} event{'' if rest == 1 else 's'} differ" if rest else ""
    return f"; at {moment:.2f} s {what} {how}{after}{'s' if rest == 1 else ''}"


def event_phrase(event: Mapping[str, Any], *, craft: bool = True) -> str:
    """Return an event in words: its kind, its craft, and the other body."""
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
    """Return the number of missing and extra events of each kind."""
    parts = []
    for status in CHANGED:
        counts = Counter(run.matched["kind"][run.matched["status"] == status].tolist())
        parts += [f"{n} {status} {_events(kind, n)}" for kind, n in counts.items()]
    return f"; {', '.join(parts)}" if parts else ""


def _events(kind: str, count: int) -> str:
    """Return the name of a kind of event for a count: 1 wrap, 2 wraps."""
    name = kind.replace("_", " ")
    if count == 1:
        return name
    # a counter that the user watches, such as calls
    if name.endswith("s") and not name.endswith("ss"):
        return name
    return f"{name}es" if name.endswith(("ss", "sh")) else f"{name}s"
