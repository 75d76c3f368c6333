"""Marks of the begin and end of paths, and of headings."""

import numpy as np
from matplotlib.axes import Axes
from matplotlib.patheffects import withStroke

from tinrocket.motion.angles import Heading
from tinrocket.show import theme
from tinrocket.show.scene import Scene
from tinrocket.trajectory.trajectory import Trajectory


def draw_end(
    ax: Axes, flight: Trajectory, craft: str, scene: Scene, look: theme.Look, *, gone: bool
) -> None:
    """Mark the last place of a craft."""
    track = flight.track(craft)
    shown = track["t"] <= flight.ends_at
    if gone:
        shown &= track["alive"] != 0
    if not shown.any():
        return
    x, y = scene.place(track, int(np.flatnonzero(shown)[-1]))
    marker, size = ("x", 8) if gone else (look.marker, 9)
    ax.plot(
        x,
        y,
        marker,
        color=look.colour,
        markersize=size,
        markeredgecolor=look.colour if gone else theme.INK,
        markeredgewidth=2.0 if gone else 1.0,
        zorder=3.3,
    )


def draw_starts(ax: Axes, flight: Trajectory, scene: Scene, whose: frozenset[str]) -> None:
    """Mark the starts of craft, by name if there are several, and their headings."""
    several = len(flight.families) > 1
    for family, members in flight.families.items():
        body, track = flight.bodies.get(members[0]), flight.track(members[0])
        if (body is not None and body.pooled) or members[0] not in whose:
            continue
        x, y = scene.place(track, 0)
        ax.plot(x, y, "o", color="white", markeredgecolor=theme.INK, markersize=7, zorder=3.5)
        if several:
            ax.annotate(
                theme.literal(family),
                (x, y),
                (0, -9),
                textcoords="offset points",
                ha="center",
                va="top",
                color=theme.INK,
                fontsize=9,
                zorder=3.6,
                path_effects=[withStroke(linewidth=2.0, foreground="white")],
            )
        if len(members) == 1 and is_pointing(flight, family):
            _draw_arrow(ax, flight, family, (x, y), scene)


def is_pointing(flight: Trajectory, craft: str) -> bool:
    """Return whether the heading of a craft matters: it turns, or its picture does, or it fires."""
    heading = flight.track(craft)["heading"]
    body = flight.bodies.get(craft)
    turns = bool(np.isfinite(heading).all()) and float(np.ptp(heading)) > 0.0
    happened = flight.happened
    fires = bool(((happened["kind"] == "fire") & (happened["craft"] == craft)).any())
    return turns or fires or (body is not None and body.art_offset != 0.0)


def _draw_arrow(
    ax: Axes, flight: Trajectory, craft: str, place: tuple[float, float], scene: Scene
) -> None:
    if flight.arena is None:
        return
    body, heading = flight.bodies.get(craft), float(flight.track(craft)["heading"][0])
    angle = Heading.of(flight.arena).to_core(heading + (body.art_offset if body else 0.0))
    length = 0.05 * scene.size
    tip = place[0] + length * np.cos(angle), place[1] + length * np.sin(angle)
    ax.annotate(
        "",
        xy=tip,
        xytext=place,
        arrowprops={"arrowstyle": "-|>", "color": theme.INK, "linewidth": 1.6},
        zorder=3.4,
    )
