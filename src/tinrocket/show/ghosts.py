"""Ghosts: positions of a craft in every run at the same moments, which show leads and lags."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from matplotlib.axes import Axes
from matplotlib.collections import LineCollection
from matplotlib.patheffects import withStroke
from numpy.typing import NDArray

from tinrocket.show import theme
from tinrocket.show.lines import comings
from tinrocket.show.scene import Scene
from tinrocket.trajectory.interpolate import states_between
from tinrocket.trajectory.trajectory import Trajectory

Floats = NDArray[np.float64]

MAX_GHOSTS = 12
"""Number of moments with ghosts of one craft; with several craft there are fewer."""
FEWEST = 6
"""Smallest number of ghosts of a craft."""
LABEL_APART = 0.05
"""Smallest distance of two labels of moments, as a share of the picture."""


@dataclass(frozen=True, slots=True)
class Ghosts:
    """Places of a craft at some moments, and just before them; NaN while it is absent."""

    t: Floats
    x: Floats
    y: Floats

    @classmethod
    def of(cls, flight: Trajectory, craft: str, scene: Scene, step: float) -> "Ghosts":
        """Return the places of a craft at equal times while it is present."""
        times = flight.track(craft)["t"]
        t = np.arange(1, int(flight.duration / step + 1e-9) + 1) * step
        t = t[(t >= times[0]) & (t <= min(times[-1], flight.ends_at))]
        there = states_between(flight, t, craft)
        places = [scene.along(number, there[axis], t) for number, axis in enumerate("xy")]
        if "alive" in there:
            gone = there["alive"] == 0
            places = [np.where(gone, np.nan, place) for place in places]
        return cls(t, *places)


def ghost_step(duration: float, crafts: int) -> float:
    """Return the time between two ghosts [s]."""
    return theme.nice_step(duration, max(MAX_GHOSTS // max(crafts, 1), FEWEST))


def draw_ghosts(ax: Axes, ghosts: Ghosts, look: theme.Look) -> None:
    """Draw a craft at each of the moments."""
    ax.plot(
        ghosts.x,
        ghosts.y,
        look.marker,
        color=look.colour,
        markersize=5.5,
        markeredgecolor="white",
        markeredgewidth=0.7,
        zorder=3.2,
        clip_on=True,
    )


def draw_ties(ax: Axes, ghosts: Ghosts, reference: Ghosts, scene: Scene) -> None:
    """Join each ghost with the reference at that moment, unless a seam lies between."""
    _t, mine, other = np.intersect1d(ghosts.t, reference.t, return_indices=True)
    if not mine.size:
        return
    ends = np.stack(
        [
            np.column_stack([ghosts.x[mine], ghosts.y[mine]]),
            np.column_stack([reference.x[other], reference.y[other]]),
        ],
        axis=1,
    )
    far = np.hypot(*(ends[:, 0] - ends[:, 1]).T)
    apart = ends[(far > 0.004 * scene.size) & (far < 0.45 * scene.size)]
    ax.add_collection(
        LineCollection(list(apart), colors=[theme.INK], linewidths=0.6, alpha=0.45, zorder=2.2),
        autolim=False,
    )


def draw_moments(ax: Axes, ghosts: Ghosts, scene: Scene) -> None:
    """Label ghosts with their moments, where there is room."""
    taken: list[tuple[float, float]] = []
    for t, x, y in zip(ghosts.t, ghosts.x, ghosts.y, strict=True):
        if not np.isfinite(x + y):
            continue
        near = (np.hypot(x - a, y - b) < LABEL_APART * scene.size for a, b in taken)
        if any(near):
            continue
        taken.append((float(x), float(y)))
        ax.annotate(
            f"{t:g} s",
            (x, y),
            (5, 5),
            textcoords="offset points",
            color=theme.INK,
            fontsize=8,
            zorder=3.7,
            path_effects=[withStroke(linewidth=2.0, foreground="white")],
        )


def draw_strokes(
    ax: Axes, flight: Trajectory, crafts: Sequence[str], scene: Scene, look: theme.Look
) -> None:
    """Draw each launch of a pool's member as a short stroke along its velocity."""
    strokes = []
    for craft in crafts:
        track = flight.track(craft)
        for row in comings(track).tolist():
            length = min(0.06 * scene.size / max(track["speed"][row], 1e-9), 0.5)
            way = np.array([track["vx"][row], track["vy"][row]]) - scene.scroll
            place = scene.place(track, row)
            strokes.append([place, np.array(place) + way * length])
    ax.add_collection(
        LineCollection(strokes, colors=[look.colour], linewidths=1.3, alpha=0.8, zorder=2.4),
        autolim=False,
    )
