"""Marks of events at their places."""

from collections.abc import Sequence

import numpy as np
from matplotlib.axes import Axes
from matplotlib.lines import Line2D

from tinrocket.scenario.event_kinds import EVENT_KINDS
from tinrocket.show import theme
from tinrocket.show.scene import Scene
from tinrocket.trajectory.trajectory import Trajectory

MARKED = [kind for kind in EVENT_KINDS if kind.mark]
CONTACTS = {kind.name: kind.mark for kind in MARKED if {"edge", "contact"} & {*kind.sources}}
IMPULSES = {kind.name: kind.mark for kind in MARKED if kind.name not in CONTACTS}
MARKS = CONTACTS | IMPULSES
"""Style of events on a path."""
MAX_MARKS_PER_PATH = 40
"""Most marks of a kind on one path; more are unreadable, and left to the timeline."""
NEAR = 0.012
"""Distance below which marks are merged, as a share of the picture."""


def draw_marks(
    ax: Axes, flight: Trajectory, scene: Scene, look: theme.Look, kinds: Sequence[str]
) -> None:
    """Draw the marks of events; smaller for members of a pool, and for acts of rules."""
    events = flight.happened
    for kind in kinds:
        met = events["kind"] == kind
        if not met.any():
            continue
        t = events["t"][met]
        x, y = (scene.along(n, events[axis][met], t) for n, axis in enumerate("xy"))
        small = all(flight.pooled(craft) != craft for craft in set(events["craft"][met].tolist()))
        spots = np.round(np.column_stack([x, y]) / (NEAR * scene.size))
        _spots, first = np.unique(spots, axis=0, return_index=True)
        if first.size > MAX_MARKS_PER_PATH:
            continue
        size, width = (6, 0.6) if kind in IMPULSES else (5, 1.2) if small else (8, 1.8)
        ax.plot(
            x[first],
            y[first],
            MARKS[kind],
            color=look.colour,
            markersize=size,
            markeredgewidth=width,
            zorder=3.1,
        )


def mark_handles(flights: Sequence[Trajectory], kinds: Sequence[str]) -> list[Line2D]:
    """Return a legend entry for each kind of mark present."""
    there = set().union(*(flight.happened["kind"].tolist() for flight in flights))
    return [
        theme.mark_handle(MARKS[kind], kind.replace("_", " ")) for kind in kinds if kind in there
    ]
