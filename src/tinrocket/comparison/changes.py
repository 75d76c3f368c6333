"""How a comparison differs from the one before a change of the scenario's numbers."""

from collections import Counter
from collections.abc import Iterator

import numpy as np

from tinrocket.comparison.comparison import Comparison
from tinrocket.comparison.drift import measure_drift
from tinrocket.comparison.outcomes import CHANGED
from tinrocket.comparison.run import Run
from tinrocket.scenario.differences import numbers_changed
from tinrocket.scenario.scenario import Scenario
from tinrocket.trajectory.trajectory import Trajectory

LEAST = 0.005
"""Differences below this are left out: they would be printed as the same number."""


def changes_between(before: Comparison, after: Comparison) -> list[str]:
    """Return what differs between two comparisons of a scenario, in sentences.

    First the scenario's numbers, then how each variant flies where it was tuned, then how its
    runs agree with that.
    """
    lines: list[str] = []
    if before.scenario is not None and after.scenario is not None:
        lines += _numbers(before.scenario, after.scenario)
    old, new = before.tuned_variants, after.tuned_variants
    for variant in new:
        if variant in old:
            lines += [_named(variant, line) for line in _flown(old[variant], new[variant])]
    runs = {(run.variant, run.clock): place for place, run in enumerate(before.runs)}
    for place, run in enumerate(after.runs):
        earlier = runs.get((run.variant, run.clock))
        if earlier is None:
            continue
        changes = list(_agreement(before, earlier, after, place))
        if changes:
            lines.append(_named(run.variant, f"{run.clock}: {', '.join(changes)}"))
    return lines


def _named(variant: str, line: str) -> str:
    return f"{variant}: {line}" if variant else line


def _numbers(before: Scenario, after: Scenario) -> list[str]:
    return [f"{path} {old} → {new}" for path, old, new in numbers_changed(before, after)]


def _flown(before: Trajectory, after: Trajectory) -> Iterator[str]:
    """Yield the differences of the flight at the tuned rate, craft by craft."""
    for craft in after.craft:
        if craft not in before.craft or after.compared_by_events(craft):
            continue
        changes = []
        fast = [float(flight.track(craft)["speed"].max()) for flight in (before, after)]
        if abs(fast[0] - fast[1]) >= LEAST:
            changes.append(f"top speed {fast[0]:.4g} → {fast[1]:.4g} {after.unit}/s")
        drift = measure_drift(after, before, craft)
        if drift.largest >= LEAST:
            changes.append(
                f"path moved by up to {drift.largest:.3g} {after.unit}, by {drift.final:.3g} at "
                "the end"
            )
        if changes:
            yield f"{craft}: {', '.join(changes)}"
    counts = [Counter(flight.happened["kind"].tolist()) for flight in (before, after)]
    kinds = dict.fromkeys((*counts[0], *counts[1]))
    changes = [
        f"{kind} {counts[0][kind]} → {counts[1][kind]}"
        for kind in kinds
        if counts[0][kind] != counts[1][kind]
    ]
    if changes:
        yield f"events: {', '.join(changes)}"


def _agreement(before: Comparison, earlier: int, after: Comparison, place: int) -> Iterator[str]:
    """Yield how the agreement of a run with its reference has changed."""
    verdicts = before.verdicts[earlier], after.verdicts[place]
    if verdicts[0] != verdicts[1]:
        yield f"{verdicts[0]} → {verdicts[1]}"
    counts = [_changed(before.runs[earlier]), _changed(after.runs[place])]
    for status, kind in dict.fromkeys((*counts[0], *counts[1])):
        old, new = (count[status, kind] for count in counts)
        if old != new:
            yield f"{old} {status} {kind} → {new}"
    far = [run.farthest[1] for run in (before.runs[earlier], after.runs[place])]
    if abs(far[0] - far[1]) >= LEAST:
        yield f"max drift {far[0]:.3g} → {far[1]:.3g} {after.unit}"


def _changed(run: Run) -> Counter[tuple[str, str]]:
    """Count missing and extra events by status and kind."""
    rows = np.isin(run.matched["status"], CHANGED)
    pairs = zip(
        run.matched["status"][rows].tolist(), run.matched["kind"][rows].tolist(), strict=True
    )
    return Counter(pairs)
