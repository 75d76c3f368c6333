"""Flights for the replay of a page: the real frames of each."""

from collections.abc import Sequence
from typing import Any

import numpy as np
from matplotlib import colormaps
from matplotlib.colors import to_hex

from tinrocket.comparison.comparison import Comparison
from tinrocket.comparison.outcomes import CHANGED
from tinrocket.comparison.run import Run
from tinrocket.comparison.verdicts import event_phrase
from tinrocket.page.blobs import packed_floats
from tinrocket.show import theme
from tinrocket.trajectory.columns import ACTION
from tinrocket.trajectory.trajectory import Trajectory

ALWAYS = ("x", "y")
SOMETIMES = ("heading", "alive", "height")
"""Columns that are included if they change, or differ between craft."""
MOST_WITH_VELOCITY = 32
"""Most craft whose velocities are included: a crowd of arrows shows nothing."""
MOST_DIFFERENCES = 200
"""Most differing outcomes of each run that can be jumped to."""


def replay_data(comparison: Comparison) -> list[dict[str, Any]]:
    """Return every run of a comparison, and their reference first."""
    runs = list(comparison.runs)
    colours = _colours([(run.rate, run.clock) for run in runs])
    references = {id(run.reference): run for run in runs}
    # the run at that rate is the same flight
    flown_anew = comparison.against not in ("log", "model")
    shown = {(run.variant, run.clock) for run in runs if flown_anew}
    data = [
        _run(run.reference, comparison.reference_name, ("#7d8794", "#8f99a8"), run.variant, None)
        | {"reference": True}
        for run in references.values()
        if (run.variant, run.reference.clock) not in shown
    ]
    for run in runs:
        label = f"{run.variant}, {run.clock}" if run.variant else run.clock
        data.append(
            _run(run.flight, label, colours[run.clock], run.variant, run) | {"reference": False}
        )
    return data


def _colours(clocks: Sequence[tuple[float, str]]) -> dict[str, tuple[str, str]]:
    """Return the colour of each clock on a light page, as in pictures, and on a dark one."""
    looks = theme.looks(clocks)
    rates = {label: rate for rate, label in clocks}
    order = sorted(looks, key=lambda label: rates[label])
    last = max(len(order) - 1, 1)
    dark = {label: colormaps["inferno"](0.95 - 0.5 * n / last) for n, label in enumerate(order)}
    return {label: (to_hex(looks[label].colour), to_hex(dark[label])) for label in looks}


def _run(
    flight: Trajectory, label: str, colours: tuple[str, str], variant: str, run: Run | None
) -> dict[str, Any]:
    frames = flight.recorded
    names = [*ALWAYS, *(name for name in SOMETIMES if name in frames.names)]
    if len(frames.craft) <= MOST_WITH_VELOCITY and "vx" in frames.names:
        names += ["vx", "vy"]
    names += [name for name in ("view_x", "view_y") if name in frames.names]
    columns = [name for name in names if name in ALWAYS or _tells(frames.column(name))]
    first = frames.rows(frames.craft[0])
    actions = [name for name in frames.names if name.startswith(ACTION)]
    return {
        "label": label,
        "rate": flight.rate,
        "variant": variant,
        "colours": list(colours),
        "craft": list(frames.craft),
        "counts": list(frames.counts),
        "columns": columns,
        "states": packed_floats(np.stack([frames.column(name) for name in columns])),
        "times": packed_floats(frames.column("t")),
        "actions": [name.removeprefix(ACTION) for name in actions],
        "pressed": packed_floats(np.array([frames.column(name)[first] for name in actions])),
        "differences": [] if run is None else _differences(run),
    }


def _tells(column: Any) -> bool:
    return bool(np.any(column != column[0])) or column[0] != 0.0


def _differences(run: Run) -> list[dict[str, Any]]:
    """Return when outcomes of a run differ from its reference, each in words."""
    matched = run.matched
    changed = np.flatnonzero(np.isin(matched["status"], CHANGED))[:MOST_DIFFERENCES]
    marks = []
    for place in changed.tolist():
        event = {name: values[place] for name, values in matched.items()}
        moment = event["t"] if np.isnan(event["t_reference"]) else event["t_reference"]
        phrase = event_phrase(event, craft=len(run.drifts) > 1)
        marks.append({"t": float(moment), "text": f"{phrase} is {event['status']}"})
    return marks
