"""Effects of a change: the scenario as written beside its variants, at the tuned rate."""

from typing import Any

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.lines import Line2D

from tinrocket.comparison.comparison import AS_WRITTEN, Comparison
from tinrocket.comparison.drift import measure_drift
from tinrocket.comparison.largest_drift import farthest_drift
from tinrocket.errors import OptionError, expect
from tinrocket.show import theme
from tinrocket.show.bodies import draw_bodies
from tinrocket.show.ghosts import Ghosts, draw_ghosts, ghost_step
from tinrocket.show.lines import clip_of, path_of
from tinrocket.show.scene import Scene
from tinrocket.trajectory.trajectory import Trajectory

MOST_IN_TITLE = 3
"""Largest number of variants to spell out in the title; more are in the legend."""


def plot_variants(comparison: Comparison, craft: str | None = None) -> Figure:
    """Draw the scenario as written as a broad band, and each variant at the same rate on top.

    The path with ghosts at equal times, the speed over time, and the distance from the scenario as
    written.

    Parameters
    ----------
    comparison
        A comparison with variants.
    craft
        Name of the craft (default: the one that drifts most).

    Raises
    ------
    OptionError
        If nothing is varied.
    """
    expect(comparison, Comparison, "plot_variants()", "make one with compare(scenario)")
    base = comparison.base
    if base is None:
        raise OptionError("there are no variants to draw; compare(scenario, vary={...}) makes them")
    flights = comparison.tuned_variants
    name = craft or most_changed(base, flights)
    looks = theme.variant_looks(tuple(flights))
    scene = Scene.of([base, *flights.values()])
    figure = theme.new_figure()
    grid = figure.add_gridspec(2, 2, width_ratios=(1.35, 1.0))
    where = figure.add_subplot(grid[:, 0])
    speed, apart = figure.add_subplot(grid[0, 1]), figure.add_subplot(grid[1, 1])
    scene.draw(where)
    draw_bodies(where, base, scene)
    step = ghost_step(base.duration, 1)
    _draw(where, base, name, scene, color=theme.REFERENCE, linewidth=6.5)
    _over_time(speed, base, name, color=theme.REFERENCE, linewidth=6.0)
    for number, (variant, flight) in enumerate(flights.items()):
        look = looks[variant]
        _draw(where, flight, name, scene, color=look.colour, linewidth=1.4)
        draw_ghosts(where, Ghosts.of(flight, name, scene, step), look)
        style: dict[str, Any] = {
            "color": look.colour,
            "linewidth": 1.4,
            "marker": look.marker,
            "markersize": 4,
            "markevery": (theme.MARK_EVERY * number / len(flights), theme.MARK_EVERY),
        }
        _over_time(speed, flight, name, **style)
        drift = measure_drift(flight, base, name)
        apart.plot(drift.t, drift.distance, **style)
    theme.dress(where, "", *scene.labels)
    theme.dress(speed, "", "", f"speed [{scene.unit}/s]")
    theme.dress(apart, "", "time [s]", f"distance from it as written [{scene.unit}]")
    for ax in (speed, apart):
        ax.set_xlim(0.0, base.duration)
    handles = [
        theme.reference_handle(AS_WRITTEN),
        *theme.clock_handles(looks),
        theme.mark_handle("o", f"ghost: every {step:g} s", markersize=5),
    ]
    theme.finish(figure, _title(comparison, name, base), handles, wspace=0.18)
    return figure


def most_changed(base: Trajectory, flights: dict[str, Trajectory]) -> str:
    """Return the craft with the path that differs most between variants; the first if none does."""
    moved = [craft for craft in base.craft if not base.compared_by_events(craft)]
    if not moved:
        return base.craft[0]
    far = [farthest_drift(flight, base, moved) for flight in flights.values()]
    return max(far, key=lambda drift: drift.largest).craft


def _title(comparison: Comparison, craft: str, base: Trajectory) -> str:
    names = [name for name in comparison.variants if name]
    whose = f" with {craft}" if len(base.families) > 1 else ""
    changes = f"what {len(names)} changes do" if len(names) > MOST_IN_TITLE else " | ".join(names)
    return f"{comparison.title or 'Variants'}{whose}, at {base.clock}: {changes}"


def _draw(ax: Axes, flight: Trajectory, craft: str, scene: Scene, **style: Any) -> None:
    line = Line2D(*path_of(flight, craft, scene), solid_capstyle="butt", **style)
    ax.add_line(line)
    clip = clip_of(ax, flight, craft)
    if clip is not None:
        line.set_clip_path(clip)


def _over_time(ax: Axes, flight: Trajectory, craft: str, **style: Any) -> None:
    track = flight.track(craft)
    speed = track["speed"]
    if "alive" in track:
        speed = np.where(track["alive"] != 0, speed, np.nan)
    ax.plot(track["t"], speed, **style)
