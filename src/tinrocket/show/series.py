"""Motion over time: place, velocity, heading, with the tape as a strip beneath."""

from collections.abc import Sequence

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from numpy.typing import NDArray

from tinrocket.comparison.comparison import AS_WRITTEN, Comparison
from tinrocket.comparison.run import references
from tinrocket.errors import OptionError, UnknownNameError, expect, nearest
from tinrocket.scenario.arena import AXES
from tinrocket.show import theme
from tinrocket.trajectory.columns import ACTION, RESOURCE
from tinrocket.trajectory.trajectory import Trajectory

Floats = NDArray[np.float64]

STEERED = ("x", "y", "speed", "heading")
PUSHED = ("x", "y", "vx", "vy")
"""Quantities of a craft that turns, and of one that does not; constant ones are left out."""
MOST_VARIANTS = 4
"""Largest number of variants side by side; with more, those that differ most are drawn."""


def plot_series(
    flights: Trajectory | Comparison,
    craft: str | None = None,
    axes: Sequence[Axes] | None = None,
    *,
    legend: bool = False,
) -> Figure:
    """Draw place and velocity over time, and beneath them the inputs.

    Quantities that never change are left out: of a craft that turns these are x, y, speed and
    heading, of another x, y, vx and vy.

    Parameters
    ----------
    flights
        One flight, or a comparison: then a column for each variant, with its reference as a broad
        band and every run.
    craft
        Name of the craft (default: the one that drifts most in a comparison, else the first).
    axes
        Axes to draw into, one for each quantity and one for the strip; with several
        variants, of the first.  By default a new figure.
    legend
        Whether to write a legend into the first of given Axes.

    Raises
    ------
    UnknownNameError
        If there is no such craft.
    OptionError
        If there are not as many Axes as there is to draw.
    """
    if isinstance(flights, Comparison):
        title = f"{flights.title or 'Motion'}: motion over time"
        name = flights.most_parted if craft is None else craft
        looks = theme.looks(flights.clocks)
        variants = _most_parted_variants(flights)
        columns = [[run for run in flights.runs if run.variant == variant] for variant in variants]
        lines = [[(run.flight, looks[run.clock]) for run in runs] for runs in columns]
        bands = [references(runs) for runs in columns]
        handles = [theme.reference_handle(flights.reference_name)]
        titles = (
            [variant or AS_WRITTEN for variant in variants] if len(flights.variants) > 1 else [""]
        )
        if len(variants) < len(flights.variants):
            title += f", the {len(variants)} of {len(flights.variants)} variants that part most"
    else:
        expect(flights, Trajectory, "plot_series()", "fly one with simulate(scenario)")
        title = f"{flights.title or 'Motion'}: motion over time"
        looks = theme.looks([(flights.rate, flights.clock)])
        lines, bands, handles, titles = (
            [[(flights, looks[flights.clock])]],
            [[]],
            list[Line2D](),
            [""],
        )
        name = craft or _first(flights)
    first = lines[0][0][0]
    if name not in first.craft:
        raise UnknownNameError(f"there is no craft '{name}'{nearest(name, first.craft)}")
    every = [flight for column in lines for flight, _look in column]
    quantities = _changing([*every, *(line for band in bands for line in band)], name)
    handles += theme.clock_handles(looks)
    if axes is not None:
        if len(axes) != len(quantities) + 1:
            raise OptionError(
                f"plot_series() draws {', '.join(quantities)} and the tape of '{name}': "
                f"give {len(quantities) + 1} axes, not {len(axes)}"
            )
        _draw_column(axes, quantities, name, lines[0], bands[0], labels=True)
        theme.own_legend(axes[0], handles, requested=legend)
        return theme.canvas(axes[0])[0]
    figure = theme.new_figure()
    actions = sum(str(column).startswith(ACTION) for column in first.recorded.names)
    heights = [3.0] * len(quantities) + [0.6 + 0.3 * actions]
    grid = figure.subplots(
        len(heights),
        len(lines),
        sharex=True,
        sharey="row",
        squeeze=False,
        height_ratios=heights,
    )
    for number, (column, band) in enumerate(zip(lines, bands, strict=True)):
        _draw_column(list(grid[:, number]), quantities, name, column, band, labels=number == 0)
        theme.dress(grid[0, number], titles[number], "", grid[0, number].get_ylabel(), len(lines))
    theme.finish(
        figure,
        f"{title}, {name}" if len(first.craft) > 1 else title,
        handles,
        wspace=0.06,
        hspace=0.16,
    )
    return figure


def _draw_column(
    axes: Sequence[Axes],
    quantities: Sequence[str],
    craft: str,
    lines: Sequence[tuple[Trajectory, theme.Look]],
    bands: Sequence[Trajectory],
    *,
    labels: bool,
) -> None:
    first = lines[0][0]
    unit = first.unit
    units = {"x": unit, "y": unit, "heading": "deg"}
    for quantity, ax in zip(quantities, axes, strict=False):
        for band in bands:
            t, values = _broken(band, craft, quantity)
            ax.plot(t, values, color=theme.REFERENCE, linewidth=6.0, solid_capstyle="butt")
        for number, (flight, look) in enumerate(lines):
            t, values = _broken(flight, craft, quantity)
            if not np.isfinite(values).any():  # it never appears
                continue
            ax.plot(
                t,
                values,
                color=look.colour,
                linewidth=1.3,
                marker=look.marker,
                markersize=4,
                # markers of several lines that lie on each other are all seen
                markevery=(theme.MARK_EVERY * number / len(lines), theme.MARK_EVERY),
            )
        label = f"{quantity} [{units.get(quantity, f'{unit}/s')}]"
        if quantity.startswith(RESOURCE):
            label = quantity.removeprefix(RESOURCE)
        theme.dress(ax, ylabel=label if labels else "")
        if quantity in ("y", "vy") and first.up < 0 and not ax.yaxis_inverted():
            ax.invert_yaxis()
    draw_tape(axes[-1], first, craft)
    for ax in axes:
        ax.set_xlim(0.0, max(flight.duration for flight, _look in lines))


def draw_tape(ax: Axes, flight: Trajectory, craft: str) -> None:
    """Draw the sampled values of each action as a row: dark while it is down."""
    track = flight.track(craft)
    actions = [column for column in track if str(column).startswith(ACTION)]
    t = track["t"]
    for row, action in enumerate(reversed(actions)):
        values = track[action]
        size = max(np.abs(values).max(), 1.0)
        ax.fill_between(
            t, row, row + 0.8 * values / size, step="post", color=theme.INK, linewidth=0
        )
    theme.dress(ax, xlabel="time [s]")
    names = (str(action).removeprefix(ACTION) for action in reversed(actions))
    theme.name_rows(ax, [row + 0.4 for row in range(len(actions))], names)
    ax.set_ylim(-0.2, max(len(actions), 1))
    ax.grid(visible=False, axis="y")


def _most_parted_variants(comparison: Comparison) -> list[str]:
    """Return the variants that diverge most, in the order in which they are flown."""
    names = list(comparison.variants)
    far = {
        name: max(run.farthest[1] for run in comparison.runs if run.variant == name)
        for name in names
    }
    chosen = sorted(names, key=lambda name: -far[name])[:MOST_VARIANTS]
    return [name for name in names if name in chosen]


def _first(flight: Trajectory) -> str:
    tracked = (craft for craft in flight.craft if not flight.compared_by_events(craft))
    return next(tracked, flight.craft[0])


def _changing(flights: Sequence[Trajectory], craft: str) -> list[str]:
    """Return the quantities of a craft that vary, at least one."""

    def changes(quantity: str) -> bool:
        values = [flight.track(craft)[quantity] for flight in flights if craft in flight.craft]
        every = np.concatenate(values)
        return bool(np.isfinite(every).all()) and float(np.ptp(every)) > 1e-9

    held = [name for name in flights[0].track(craft) if name.startswith(RESOURCE)]
    shown = [*(STEERED if changes("heading") else PUSHED), *held]
    return [quantity for quantity in shown if changes(quantity)] or ["x"]


def _broken(flight: Trajectory, craft: str, quantity: str) -> tuple[Floats, Floats]:
    """Return times and values, with a gap where the quantity jumps across a seam or is missing."""
    track = flight.track(craft)
    t, values = track["t"], track[quantity]
    if "alive" in track:
        values = np.where(track["alive"] != 0, values, np.nan)
    if quantity not in AXES:
        return t, values
    jumps = np.flatnonzero(np.diff(track[f"wraps_{quantity}"])) + 1
    return np.insert(t, jumps, t[jumps]), np.insert(values, jumps, np.nan)
