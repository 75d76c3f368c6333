"""Paths over the arena: where the craft went, and how fast, at every frame rate."""

from collections.abc import Sequence

import numpy as np
import pandas as pd
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.patches import Rectangle

from tinrocket.analysis.comparison import AS_WRITTEN, Comparison
from tinrocket.analysis.trajectory import Trajectory
from tinrocket.errors import expect
from tinrocket.scenario.arena import AXES, SIDES, Arena
from tinrocket.show import theme
from tinrocket.show.bodies import draw_bodies

DOT_EVERY = 0.5
"""A dot on the path every so many seconds: where they crowd, the craft is slow."""

EDGE_STYLES = {
    "remove": {"linestyle": (0, (4, 2, 1, 2)), "linewidth": 1.6},
    "wrap": {"linestyle": (0, (6, 4)), "linewidth": 1.4},
    "clamp": {"linestyle": "-", "linewidth": 2.6},
    "bounce": {"linestyle": (0, (1, 0.6)), "linewidth": 4.5},
    "open": {"linestyle": (0, (1, 4)), "linewidth": 1.2},
}
MARKS = {
    "bounce": "x",
    "hard_hit": "*",
    "block": "_",
    "stop": "s",
    "hit": "1",
    "pass": "|",
    "clamp": "_",
    "remove": "X",
    "flap": "^",
    "dash": "D",
    "hop": "p",
    "fire": "v",
    "split": "P",
    "expire": ".",
}
"""What events look like on a path; those of rules are smaller than contacts."""
MARK_EVERY = 8.0
"""Marks nearer to each other than about this are one [px]."""
IMPULSES = ("flap", "dash", "hop", "fire", "expire")


def plot_path(trajectory: Trajectory, ax: Axes | None = None) -> Figure:
    """Draw one flight over its arena: path, dots in time, start and contacts.

    Parameters
    ----------
    trajectory
        What to draw; edges are drawn if its arena is known.
    ax
        Where to draw; a new figure if not given.
    """
    expect(trajectory, Trajectory, "plot_path()", "fly one with simulate(scenario)")
    own = ax is None
    figure, ax = theme.canvas(ax)
    _arena(ax, trajectory.arena)
    draw_bodies(ax, trajectory)
    draw_path(ax, trajectory, color=theme.rate_colour(trajectory.rate), linewidth=1.8, dots=True)
    title = f"{trajectory.title or 'Path'}: the path at {trajectory.clock}"
    theme.dress(ax, "" if own else title, *_axis_labels(trajectory.arena))
    if own:
        theme.add_title(figure, title)
        handles = [
            *theme.rate_handles([(trajectory.rate, trajectory.clock)]),
            *_key(trajectory.arena, [trajectory]),
        ]
        theme.add_legend(figure, handles, columns=6)
    return figure


def plot_paths(
    comparison: Comparison, ax: Axes | None = None, variant: str | None = None
) -> Figure:
    """Draw every run over the path of its reference, a panel for each variant.

    Parameters
    ----------
    comparison
        What to draw.
    ax
        Where to draw one variant; a new figure with all of them if not given.
    variant
        Which one that is; the first if not given.
    """
    expect(comparison, Comparison, "plot_paths()", "make one with compare(scenario)")
    names = comparison.variants
    if ax is not None:
        _panel(ax, comparison, names[0] if variant is None else variant)
        return theme.canvas(ax)[0]
    figure = theme.new_figure()
    arena = comparison.arena
    columns = 1 if len(names) == 1 else 2 if len(names) <= 4 else 3
    rows = -(-len(names) // columns)
    panels = figure.subplots(rows, columns, squeeze=False).ravel()
    for panel, name in zip(panels, names, strict=False):
        _panel(panel, comparison, name)
    handles = [
        theme.reference_handle(comparison.reference_name),
        *theme.rate_handles(comparison.clocks),
        *_key(arena, [run.flight for run in comparison.runs]),
    ]
    spare = panels[len(names) :]
    for panel in spare:
        panel.set_axis_off()
    if spare.size:
        spare[0].legend(handles=handles, loc="center", frameon=False, fontsize=11, labelspacing=1.0)
        figure.subplots_adjust(bottom=0.08)
    else:
        theme.add_legend(figure, handles)
    title = comparison.title or "Paths"
    theme.add_title(figure, f"{title}: the path at each frame rate")
    return figure


def _panel(ax: Axes, comparison: Comparison, variant: str) -> None:
    runs = [run for run in comparison.runs if run.variant == variant]
    _arena(ax, comparison.arena)
    draw_bodies(ax, runs[0].flight)
    draw_path(ax, runs[0].reference, color=theme.REFERENCE, linewidth=7.0, dots=False)
    markers = theme.clock_markers(comparison.clocks)
    for run in runs:
        color, marker = theme.rate_colour(run.rate), markers[run.clock]
        draw_path(ax, run.flight, color=color, linewidth=1.5, dots=True, marker=marker)
    theme.dress(ax, variant or AS_WRITTEN, *_axis_labels(comparison.arena))


def draw_path(
    ax: Axes,
    trajectory: Trajectory,
    *,
    color: str | tuple[float, ...],
    linewidth: float,
    dots: bool,
    marker: str = "",
) -> None:
    """Draw the path of every craft, broken where it wraps, into an Axes.

    With `dots`, also a dot every `DOT_EVERY` s (or `marker`, if given), the start, and
    the contacts.
    """
    for family, members in trajectory.families.items():
        body = trajectory.bodies.get(members[0])
        pooled = body is not None and body.pooled
        for craft in members:
            track = trajectory.of(craft)
            x, y = broken_at_seams(track, trajectory)
            width = 0.6 * linewidth if pooled else linewidth
            (line,) = ax.plot(x, y, color=color, linewidth=width, solid_capstyle="butt")
            clip = _clip(ax, trajectory, craft)
            if clip is not None:
                line.set_clip_path(clip)
            if not dots:
                continue
            if "height" in track and (track["height"] > 0).any():
                up = 1.0 if trajectory.arena and trajectory.arena.y_axis == "up" else -1.0
                above = np.where(track["height"] > 0, track["y"] + up * track["height"], np.nan)
                ax.plot(track["x"], above, color=color, linewidth=0.8 * linewidth, alpha=0.6)
            if not trajectory.compared_by_events(craft):
                _dots(ax, trajectory, craft, color, marker)
        if dots and not pooled:
            name = family if len(trajectory.craft) > 1 else ""
            _start(ax, trajectory, members[0], name, arrow=len(members) == 1)
    if dots:
        _events(ax, trajectory, color)


def _dots(
    ax: Axes, trajectory: Trajectory, craft: str, color: str | tuple[float, ...], marker: str
) -> None:
    """Draw where a craft is every `DOT_EVERY` s while it is there."""
    end = trajectory.duration
    there = trajectory.at(np.minimum(np.arange(0.0, end + 1e-9, DOT_EVERY), end), craft)
    if "alive" in there:
        there = there[there["alive"] != 0]
    shape, size = (marker, 4) if marker else (".", 6)
    ax.plot(there["x"], there["y"], shape, color=color, markersize=size)


def _events(ax: Axes, trajectory: Trajectory, color: str | tuple[float, ...]) -> None:
    """Draw what happened, where it happened; smaller where many of a pool take part.

    Marks of one kind that would lie on each other are one.
    """
    events = trajectory.events
    pooled = events["craft"].map(lambda craft: trajectory.pooled(craft) != craft).astype(bool)
    for kind, sign in MARKS.items():
        for small in (False, True):
            met = events[(events["kind"] == kind) & (pooled == small)]
            spots = (met[["x", "y"]] / MARK_EVERY).round()
            met = met[~spots.duplicated()]
            size, width = (7, 0) if kind in IMPULSES else (6, 1.5) if small else (9, 2)
            ax.plot(met["x"], met["y"], sign, color=color, markersize=size, markeredgewidth=width)


def _while_there(track: pd.DataFrame, *, sent: bool) -> np.ndarray:
    """Return which frames of a path belong to a line that begins in the frame before.

    None does in which the craft is not there, just appears, or is put back to its start; one of
    a pool may be gone and be sent again, to anywhere, within a frame.
    """
    x, y = track["x"].to_numpy(), track["y"].to_numpy()
    along = np.ones(len(track), dtype=bool)
    if "alive" not in track:
        return along
    there = track["alive"].to_numpy() != 0
    speed, dt = track["speed"].to_numpy(), np.diff(track["t"].to_numpy())
    far = np.hypot(np.diff(x), np.diff(y)) > 2.0 * np.maximum(speed[1:], speed[:-1]) * dt + 1.0
    back = far & (sent | ((x[1:] == x[0]) & (y[1:] == y[0])))
    along[1:] = there[:-1] & ~back
    along[0] = there[0]
    return along


def broken_at_seams(track: pd.DataFrame, trajectory: Trajectory) -> tuple[np.ndarray, np.ndarray]:
    """Return the shown path with a gap at each wrap.

    The frame in which a craft wraps is drawn twice, out of the arena at one side and into
    it at the other; what lies outside is for the caller to clip.
    """
    laps = track[["wraps_x", "wraps_y"]].to_numpy()
    craft = str(track["craft"].iloc[0])
    body = trajectory.bodies.get(craft)
    along = _while_there(track, sent=body is not None and body.pooled)
    wraps = np.flatnonzero((laps[1:] != laps[:-1]).any(axis=1) & along[1:]) + 1
    axes = []
    for axis in AXES:
        path = track[f"{axis}_unwrapped"].to_numpy()
        shown = np.where(along, track[axis].to_numpy(), np.nan)
        low, high = trajectory.seam(axis, craft) or (0.0, 0.0)
        period = high - low
        count = track[f"wraps_{axis}"].to_numpy()
        leaving = path[wraps] - count[wraps - 1] * period
        entering = path[wraps - 1] - count[wraps] * period
        gaps = np.full(wraps.size, np.nan)
        if period == 0.0:  # on the screen a craft that wraps just jumps
            leaving = entering = gaps
        extra = np.column_stack([leaving, gaps, entering]).ravel()
        axes.append(np.insert(shown, np.repeat(wraps, 3), extra))
    return axes[0], axes[1]


def _extent(arena: Arena) -> tuple[float, float, float, float]:
    x, y = arena.seam("x") or (0.0, arena.width), arena.seam("y") or (0.0, arena.height)
    return x[0], x[1], y[0], y[1]


def _clip(ax: Axes, trajectory: Trajectory, craft: str) -> Rectangle | None:
    """Return the box outside which the two ends of a wrap are not drawn."""
    body = trajectory.bodies.get(craft)
    seams = trajectory.seam("x", craft), trajectory.seam("y", craft)
    if (body is not None and body.in_view) or seams == (None, None):
        return None
    far = 1e6
    (x0, x1), (y0, y1) = (seam or (-far, far) for seam in seams)
    return Rectangle((x0, y0), x1 - x0, y1 - y0, transform=ax.transData)


def _arena(ax: Axes, arena: Arena | None) -> None:
    ax.set_aspect("equal")
    if arena is None:
        return
    low, high = (0.0, arena.height) if arena.y_axis == "up" else (arena.height, 0.0)
    lines = {
        "left": ([0.0, 0.0], [low, high]),
        "right": ([arena.width, arena.width], [low, high]),
        "bottom": ([0.0, arena.width], [low, low]),
        "top": ([0.0, arena.width], [high, high]),
    }
    for side in SIDES:
        style = EDGE_STYLES[getattr(arena.edges, side).kind]
        ax.plot(*lines[side], color=theme.INK, zorder=1.5, **style)  # type: ignore[arg-type]
    x0, x1, y0, y1 = _extent(arena)
    pad = 0.02 * max(arena.width, arena.height)
    ax.set_xlim(x0 - pad, x1 + pad)
    ax.set_ylim(*((y0 - pad, y1 + pad) if arena.y_axis == "up" else (y1 + pad, y0 - pad)))


def _start(ax: Axes, trajectory: Trajectory, craft: str, name: str, *, arrow: bool) -> None:
    """Mark where a craft begins, and with an `arrow` where its picture points."""
    arena, body = trajectory.arena, trajectory.bodies.get(craft)
    first = trajectory.of(craft).iloc[0]
    ax.plot(
        first["x"],
        first["y"],
        "o",
        color="white",
        markeredgecolor=theme.INK,
        markersize=8,
        zorder=4,
    )
    ax.annotate(
        name,
        (first["x"], first["y"]),
        (0, -8),
        textcoords="offset points",
        ha="center",
        va="top",
        color=theme.INK,
        fontsize=9,
    )
    if arena is None or not arrow:
        return
    quarters = {"right": 0.0, "down": 90.0, "left": 180.0, "up": 270.0}
    sense = 1.0 if arena.angles.positive == "clockwise" else -1.0
    pointing = first["heading"] + (body.art_offset if body else 0.0)
    clockwise = np.radians(quarters[arena.angles.zero] + sense * pointing)
    length = 0.05 * max(arena.width, arena.height)
    down = 1.0 if arena.y_axis == "down" else -1.0
    tip = first["x"] + length * np.cos(clockwise), first["y"] + down * length * np.sin(clockwise)
    ax.annotate(
        "",
        xy=tip,
        xytext=(first["x"], first["y"]),
        arrowprops={"arrowstyle": "-|>", "color": theme.INK, "linewidth": 1.6},
    )


def _key(arena: Arena | None, flights: Sequence[Trajectory]) -> list[Line2D]:
    dots = Line2D([], [], color=theme.INK, marker=".", linestyle="", label=f"every {DOT_EVERY:g} s")
    start = Line2D(
        [],
        [],
        color="white",
        marker="o",
        markeredgecolor=theme.INK,
        linestyle="",
        label="start and heading",
    )
    kinds = dict.fromkeys(getattr(arena.edges, side).kind for side in SIDES) if arena else {}
    edges = [
        Line2D([], [], color=theme.INK, label=f"edge: {kind}", **EDGE_STYLES[kind])  # type: ignore[arg-type]
        for kind in kinds
    ]
    marks = [
        Line2D([], [], color=theme.INK, marker=sign, linestyle="", label=kind)
        for kind, sign in MARKS.items()
        if any((flight.events["kind"] == kind).any() for flight in flights)
    ]
    if any("height" in flight.frames and flight.frames["height"].any() for flight in flights):
        marks.append(Line2D([], [], color=theme.INK, alpha=0.6, linewidth=1, label="above ground"))
    return [dots, start, *edges, *marks]


def _axis_labels(arena: Arena | None) -> tuple[str, str]:
    unit = arena.unit if arena else "px"
    return f"x [{unit}]", f"y [{unit}]"
