"""Paths over the arena, with ghosts at the same moments."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.lines import Line2D

from tinrocket.comparison.comparison import AS_WRITTEN, Comparison
from tinrocket.comparison.run import Run, references
from tinrocket.errors import UnknownNameError, expect, nearest
from tinrocket.show import theme
from tinrocket.show.bodies import draw_bodies
from tinrocket.show.endpoints import draw_end, draw_starts, is_pointing
from tinrocket.show.ghosts import (
    Ghosts,
    draw_ghosts,
    draw_moments,
    draw_strokes,
    draw_ties,
    ghost_step,
)
from tinrocket.show.lines import clip_of, path_of
from tinrocket.show.marks import CONTACTS, MARKS, draw_marks, mark_handles
from tinrocket.show.scene import EDGE_STYLES, Scene
from tinrocket.trajectory.trajectory import Trajectory

MOST_OF_GRID = 120
"""Most paths of members of a grid, at all clocks together."""
GOLDEN = (5**0.5 - 1) / 2
MOST_NAMED = 6
"""Most craft that a title names."""
MOST_PATHS = 9
"""Most lines in a panel; with more, only those of one craft are drawn."""
FEW_CLOCKS = 3
"""Most lines with marks of events; with more, only the timeline shows them."""
GONE = 0.45
"""Opacity of the path of a craft that is absent at the end."""


def plot_path(trajectory: Trajectory, ax: Axes | None = None, *, legend: bool = False) -> Figure:
    """Draw one flight over its arena: path, ghosts at equal times, and events.

    Parameters
    ----------
    trajectory
        The flight; edges are drawn if its arena is known.
    ax
        Axes to draw into (default: a new figure).
    legend
        Whether to write a legend into given Axes.
    """
    expect(trajectory, Trajectory, "plot_path()", "fly one with simulate(scenario)")
    own = ax is None
    figure, ax = theme.canvas(ax)
    looks = theme.looks([(trajectory.rate, trajectory.clock)])
    scene = Scene.of([trajectory])
    scene.draw(ax)
    draw_bodies(ax, trajectory, scene)
    every, look = frozenset(_some_of_many(trajectory, 1)), looks[trajectory.clock]
    _draw_flight(ax, trajectory, scene, look, width=1.8, whose=every)
    draw_starts(ax, trajectory, scene, every)
    step = _step(trajectory)
    longest = _longest_way(trajectory)
    for craft in _followed(trajectory):
        ghosts = Ghosts.of(trajectory, craft, scene, step)
        draw_ghosts(ax, ghosts, look)
        if craft == longest:
            draw_moments(ax, ghosts, scene)
    draw_marks(ax, trajectory, scene, look, tuple(MARKS))
    theme.dress(ax, "", *scene.labels)
    handles = [
        *theme.clock_handles(looks),
        *_key([trajectory], scene, step, tuple(MARKS)),
    ]
    if own:
        title = f"{trajectory.title or 'Path'}: the path at {trajectory.clock}"
        theme.finish(figure, title + _whose(trajectory, every), handles)
    else:
        theme.own_legend(ax, handles, requested=legend)
    return figure


def plot_paths(
    comparison: Comparison,
    ax: Axes | None = None,
    variant: str | None = None,
    *,
    craft: str | None = None,
    legend: bool = False,
) -> Figure:
    """Draw every run over the path of its reference, a panel for each variant.

    Ghosts are the positions in each run at the same moments, joined with the reference's.

    Parameters
    ----------
    comparison
        The comparison.
    ax
        Axes for one variant (default: a new figure with all of them).
    variant
        Name of the variant (default: the first).
    craft
        Name of the craft (default: all, or where there are too many to follow, the one that
        drifts most).
    legend
        Whether to write a legend into given Axes.

    Raises
    ------
    UnknownNameError
        If there is no such variant or craft.

    Examples
    --------
    >>> figure = tr.plot_paths(tr.compare(tr.read_demo("rocket")))
    >>> tr.save_figure(figure, "paths.png").name
    'paths.png'
    """
    expect(comparison, Comparison, "plot_paths()", "make one with compare(scenario)")
    chosen = comparison.variant(variant)
    flights = [run.flight for run in comparison.runs]
    whose = _chosen(comparison, craft)
    scene = Scene.of([*flights, *(run.reference for run in comparison.runs)])
    looks = theme.looks(comparison.clocks)
    marks = tuple(CONTACTS) if len(looks) <= FEW_CLOCKS else ()
    step = ghost_step(flights[0].duration, len(whose & set(_followed(flights[0]))))
    view = _View(scene, looks, marks, whose, step)
    followed = [name for name in _followed(flights[0]) if name in whose]
    left_out = len(whose) < len(flights[0].craft) and len(followed) == 1
    of_craft = f": {followed[0]}" if left_out else ""
    handles = [
        theme.reference_handle(comparison.reference_name + of_craft),
        *theme.clock_handles(looks),
        *_key(flights, scene, step, marks),
    ]
    if ax is not None:
        _panel(ax, comparison, chosen, view)
        theme.own_legend(ax, handles, requested=legend)
        return theme.canvas(ax)[0]
    figure = theme.new_figure()
    shown = comparison.variants if variant is None else (chosen,)
    panels = theme.panels(figure, len(shown), scene.aspect)
    for panel, name in zip(panels.axes, shown, strict=True):
        _panel(panel, comparison, name, view, panels.columns)
    rates = all(label == f"{rate:g} fps" for rate, label in comparison.clocks)
    each = "at each frame rate" if rates else "of each run"
    title = f"{comparison.title or 'Paths'}: the path {each}"
    title += _whose(flights[0], whose)
    theme.finish(figure, title, handles, panels.spare)
    return figure


@dataclass(frozen=True, slots=True)
class _View:
    """Shared settings of all panels: extent, styles of clocks, marks, drawn craft, ghosts."""

    scene: Scene
    looks: dict[str, theme.Look]
    marks: Sequence[str]
    whose: frozenset[str]
    step: float


def _chosen(comparison: Comparison, craft: str | None) -> frozenset[str]:
    """Return the craft to draw."""
    first = comparison.runs[0].flight
    if craft is not None:
        families = first.families
        if craft not in families and craft not in first.craft:
            raise UnknownNameError(f"there is no craft '{craft}'{nearest(craft, families)}")
        return frozenset(families.get(craft, (craft,)))
    clocks, followed = len(comparison.clocks), _followed(first)
    chosen = {comparison.most_parted, *_some_of_many(first, clocks)}
    chosen |= {drift.craft for run in comparison.runs for drift in run.drifts.values() if drift}
    if len(followed) * clocks > MOST_PATHS:
        chosen = chosen.difference(followed) | {comparison.most_parted}
    return frozenset(chosen)


def _some_of_many(flight: Trajectory, clocks: int) -> set[str]:
    """Return the craft to draw: of a large grid only a sample from all over it."""
    most, chosen = max(MOST_OF_GRID // clocks, 1), set[str]()
    for members in flight.families.values():
        if len(members) <= most or flight.compared_by_events(members[0]):
            chosen.update(members)
        else:  # with a step that does not follow rows and columns of a grid
            chosen |= {members[int(len(members) * (n * GOLDEN % 1.0))] for n in range(most)}
    return chosen


def _panel(ax: Axes, comparison: Comparison, variant: str, view: _View, columns: int = 1) -> None:
    runs = [run for run in comparison.runs if run.variant == variant]
    first, scene = runs[0].reference, view.scene
    scene.draw(ax)
    draw_bodies(ax, first, scene)
    for reference in references(runs):
        for craft in reference.craft:
            if craft in view.whose and not reference.compared_by_events(craft):
                _draw_line(ax, reference, craft, scene, color=theme.REFERENCE, linewidth=6.5)
    for run in runs:
        look = view.looks[run.clock]
        _draw_flight(ax, run.flight, scene, look, width=1.4, whose=view.whose)
        draw_marks(ax, run.flight, scene, look, view.marks)
    for craft in _followed(runs[0].flight):
        if craft in view.whose:
            _draw_ghosts_of(ax, runs, craft, view)
    longest = _longest_way(first, view.whose)
    if longest:
        draw_moments(ax, Ghosts.of(first, longest, scene, view.step), scene)
    draw_starts(ax, first, scene, view.whose)
    several = len(comparison.variants) > 1
    title = (variant or AS_WRITTEN) if several else ""
    theme.dress(ax, title, *scene.labels, columns=columns)


def _draw_ghosts_of(ax: Axes, runs: Sequence[Run], craft: str, view: _View) -> None:
    waits = theme.Look((0.45, 0.5, 0.56, 1.0), "o")
    for reference in references(runs):
        draw_ghosts(ax, Ghosts.of(reference, craft, view.scene, view.step), waits)
    for run in runs:
        ghosts = Ghosts.of(run.flight, craft, view.scene, view.step)
        expected = Ghosts.of(run.reference, craft, view.scene, view.step)
        draw_ties(ax, ghosts, expected, view.scene)
        draw_ghosts(ax, ghosts, view.looks[run.clock])


def _whose(flight: Trajectory, drawn: frozenset[str]) -> str:
    """Return the end of a title that names the drawn craft, if not all are drawn."""
    if len(drawn) >= len(flight.craft):
        return ""
    if len(drawn) > MOST_NAMED:
        return f", {len(drawn):,} of {len(flight.craft):,} craft"
    return f", {', '.join(sorted(drawn))}"


def _step(flight: Trajectory) -> float:
    return ghost_step(flight.duration, len(_followed(flight)))


def _longest_way(flight: Trajectory, whose: frozenset[str] | None = None) -> str:
    """Return the craft with the longest path; its ghosts are labelled with moments."""
    ways = {
        craft: flight.track(craft)["speed"].mean()
        for craft in _followed(flight)
        if whose is None or craft in whose
    }
    return max(ways, key=lambda craft: ways[craft]) if ways else ""


def _followed(flight: Trajectory) -> tuple[str, ...]:
    """Return the craft that have ghosts: single craft that move noticeably."""
    return tuple(
        family
        for family, members in flight.families.items()
        if members == (family,) and not flight.compared_by_events(family)
    )


def _draw_flight(
    ax: Axes,
    flight: Trajectory,
    scene: Scene,
    look: theme.Look,
    *,
    width: float,
    whose: frozenset[str],
) -> None:
    """Draw the paths of craft, paler if absent at the end; for pools only short strokes."""
    for members in flight.families.values():
        if flight.pooled(members[0]) != members[0]:
            draw_strokes(ax, flight, members, scene, look)
            continue
        if flight.compared_by_events(members[0]):
            continue
        for craft in whose.intersection(members):
            track = flight.track(craft)
            gone = "alive" in track and not track["alive"][-1]
            alpha = GONE if gone else 1.0
            _draw_line(ax, flight, craft, scene, color=look.colour, linewidth=width, alpha=alpha)
            if "height" in track and (track["height"] > 0).any():
                above = np.where(
                    track["height"] > 0, track["y"] + scene.up * track["height"], np.nan
                )
                ax.plot(track["x"], above, color=look.colour, linewidth=0.8 * width, alpha=0.6)
            draw_end(ax, flight, craft, scene, look, gone=gone)


def _draw_line(ax: Axes, flight: Trajectory, craft: str, scene: Scene, **style: object) -> None:
    x, y = path_of(flight, craft, scene)
    (line,) = ax.plot(x, y, solid_capstyle="butt", **style)  # type: ignore[arg-type]
    clip = clip_of(ax, flight, craft)
    if clip is not None:
        line.set_clip_path(clip)


def _key(
    flights: Sequence[Trajectory], scene: Scene, step: float, marks: Sequence[str]
) -> list[Line2D]:
    """Return the legend's entries beside the clocks, for the parts drawn."""
    first = flights[0]
    handles = [theme.mark_handle("o", "end", markersize=9)]
    if _followed(first):
        handles.insert(0, theme.mark_handle("o", f"ghost: every {step:g} s", markersize=5))
    points = any(is_pointing(first, craft) for craft in _followed(first))
    handles.append(
        theme.mark_handle(
            "o",
            "start and heading" if points else "start",
            color="white",
            markeredgecolor=theme.INK,
        )
    )
    if any("alive" in flight.recorded.names and not _all_there(flight) for flight in flights):
        handles.append(theme.mark_handle("x", "gone", markersize=7))
    if any(flight.pooled(craft) != craft for flight in flights for craft in flight.craft):
        handles.append(Line2D([], [], color=theme.INK, linewidth=1.3, label="stroke: a launch"))
    handles += [
        Line2D([], [], color=theme.INK, label=f"edge: {kind}", **EDGE_STYLES[kind])  # type: ignore[arg-type]
        for kind in scene.edges
    ]
    handles += mark_handles(flights, marks)
    if any(
        "height" in flight.recorded.names and flight.recorded.column("height").any()
        for flight in flights
    ):
        handles.append(
            Line2D([], [], color=theme.INK, alpha=0.6, linewidth=1, label="above ground")
        )
    return handles


def _all_there(flight: Trajectory) -> bool:
    """Return whether all craft outside of pools are present at the end."""
    single = [craft for craft in flight.craft if not flight.compared_by_events(craft)]
    return all(flight.track(craft)["alive"][-1] != 0 for craft in single)
