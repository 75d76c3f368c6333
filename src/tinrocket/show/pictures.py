"""The registry of pictures of a comparison: how each is drawn, and when it has content.

It can be read without the plotting library, which is loaded when a picture is drawn.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from tinrocket.comparison.comparison import Comparison
from tinrocket.scenario.arena import AXES

if TYPE_CHECKING:
    from matplotlib.figure import Figure

SAME_LINE = 0.004
"""Largest drift of runs with paths that look like one line, as a share of the arena's diagonal."""


@dataclass(frozen=True, slots=True)
class Picture:
    """One picture of a comparison.

    Attributes
    ----------
    name
        Name of the picture and of its file.
    draw
        Returns the picture as a figure; loads the plotting library.
    has_content
        Returns whether the picture has something to show for a comparison.
    """

    name: str
    draw: Callable[[Comparison], "Figure"]
    has_content: Callable[[Comparison], bool]


def _series(comparison: Comparison) -> "Figure":
    from tinrocket.show.series import plot_series

    return plot_series(comparison)


def _paths(comparison: Comparison) -> "Figure":
    from tinrocket.show.paths import plot_paths

    return plot_paths(comparison)


def _timeline(comparison: Comparison) -> "Figure":
    from tinrocket.show.timeline import plot_timeline

    return plot_timeline(comparison)


def _drift(comparison: Comparison) -> "Figure":
    from tinrocket.show.drifts import plot_drift

    return plot_drift(comparison)


def _variants(comparison: Comparison) -> "Figure":
    from tinrocket.show.variants import plot_variants

    return plot_variants(comparison)


def _always(_comparison: Comparison) -> bool:
    return True


def _has_events(comparison: Comparison) -> bool:
    return any(run.matched["t"].size for run in comparison.runs)


def _has_drift(comparison: Comparison) -> bool:
    return any(drift for run in comparison.runs for drift in run.drifts.values())


def _changes_tuned(comparison: Comparison) -> bool:
    return comparison.changes_tuned


PICTURES = {
    picture.name: picture
    for picture in (
        Picture("series", _series, _always),
        Picture("paths", _paths, _always),
        Picture("timeline", _timeline, _has_events),
        Picture("drift", _drift, _has_drift),
        Picture("variants", _variants, _changes_tuned),
    )
}
"""All pictures, from the slowest to draw to the fastest."""


def pictures_of(comparison: Comparison) -> list[str]:
    """Return the names of the pictures with content."""
    return [name for name, picture in PICTURES.items() if picture.has_content(comparison)]


def first_picture(comparison: Comparison) -> str:
    """Return the name of the most useful picture: the paths, or the drift if paths coincide."""
    drifts = [drift for run in comparison.runs for drift in run.drifts.values() if drift]
    largest = max((drift.largest for drift in drifts), default=math.inf)
    arena = comparison.arena
    if arena:
        size = math.hypot(arena.width, arena.height)
    else:  # of a log: the extent of the paths
        places = [comparison.runs[0].flight.recorded.column(axis) for axis in AXES]
        size = math.hypot(*(float(np.nanmax(place) - np.nanmin(place)) for place in places))
    return "drift" if 1e-6 < largest < SAME_LINE * size else "paths"
