"""x, y, speed and heading over time, with the tape as a strip beneath."""

from collections.abc import Sequence

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from tinrocket.analysis.comparison import AS_WRITTEN, Comparison
from tinrocket.analysis.trajectory import ACTION, Trajectory
from tinrocket.errors import expect
from tinrocket.scenario.arena import AXES
from tinrocket.show import theme

QUANTITIES = ("x", "y", "speed", "heading")


def plot_series(
    flights: Trajectory | Comparison,
    craft: str | None = None,
    axes: Sequence[Axes] | None = None,
) -> Figure:
    """Draw x, y, speed and heading over time, and beneath them what the hands did.

    Parameters
    ----------
    flights
        One flight, or a comparison: then its reference as a broad band, and every run.
    craft
        Whose; the first craft's if not given.
    axes
        Five Axes to draw into, one for each quantity and the strip; a new figure if not
        given.
    """
    if not isinstance(flights, Comparison):
        expect(flights, Trajectory, "plot_series()", "fly one with simulate(scenario)")
    if isinstance(flights, Comparison):
        first = flights.runs[0].reference
        chosen = theme.variant_styles(flights.variants)
        lines = [(run.flight, chosen[run.variant]) for run in flights.runs]
        styles = theme.style_handles([name or AS_WRITTEN for name in flights.variants])
        band = [theme.reference_handle(flights.reference_name)]
        handles = [*band, *theme.rate_handles(flights.clocks), *styles]
        title = f"{flights.title or 'Motion'}: motion over time"
    else:
        first, lines = flights, [(flights, theme.STYLES[0])]
        handles = theme.rate_handles([(flights.rate, flights.clock)])
        title = f"{flights.title or 'Motion'}: motion over time"
    name = craft or next(
        (one for one in first.craft if not first.compared_by_events(one)), first.craft[0]
    )
    unit = first.arena.unit if first.arena else "px"
    units = {"x": unit, "y": unit, "speed": f"{unit}/s", "heading": "deg"}
    figure, axes = _canvas(axes, first, name)
    markers = theme.clock_markers((flight.rate, flight.clock) for flight, _style in lines)
    for quantity, ax in zip(QUANTITIES, axes, strict=False):
        if isinstance(flights, Comparison):
            t, values = _broken(first, name, quantity)
            ax.plot(t, values, color=theme.REFERENCE, linewidth=6.0, solid_capstyle="butt")
        for flight, style in lines:
            t, values = _broken(flight, name, quantity)
            ax.plot(
                t,
                values,
                color=theme.rate_colour(flight.rate),
                linestyle=style,
                linewidth=1.4,
                marker=markers[flight.clock],
                markersize=4,
                markevery=theme.MARK_EVERY,
            )
        theme.dress(ax, ylabel=f"{quantity} [{units[quantity]}]")
        if quantity == "y" and first.arena and first.arena.y_axis == "down":
            ax.invert_yaxis()
    draw_tape(axes[-1], first, name)
    axes[-1].set_xlim(0.0, first.duration)
    for ax in axes:
        ax.yaxis.set_label_coords(-0.045, 0.5)
    theme.add_title(figure, f"{title}, {name}" if len(first.craft) > 1 else title)
    theme.add_legend(figure, handles)
    return figure


def draw_tape(ax: Axes, flight: Trajectory, craft: str) -> None:
    """Draw what was sampled of each action as a row: dark while it is down."""
    track = flight.of(craft)
    actions = [column for column in track if str(column).startswith(ACTION)]
    t = track["t"].to_numpy()
    for row, action in enumerate(reversed(actions)):
        values = track[action].to_numpy()
        size = max(np.abs(values).max(), 1.0)
        ax.fill_between(
            t, row, row + 0.8 * values / size, step="post", color=theme.INK, linewidth=0
        )
    theme.dress(ax, xlabel="time [s]")
    ax.set_yticks(
        [row + 0.4 for row in range(len(actions))],
        [str(action).removeprefix(ACTION) for action in reversed(actions)],
    )
    ax.set_ylim(-0.2, max(len(actions), 1))
    ax.grid(visible=False, axis="y")


def _canvas(
    axes: Sequence[Axes] | None, flight: Trajectory, craft: str
) -> tuple[Figure, Sequence[Axes]]:
    if axes is not None:
        return theme.canvas(axes[0])[0], axes
    figure = theme.new_figure()
    actions = sum(str(column).startswith(ACTION) for column in flight.of(craft))
    heights = [3.0] * len(QUANTITIES) + [0.5 + 0.35 * actions]
    return figure, list(figure.subplots(len(heights), 1, sharex=True, height_ratios=heights))


def _broken(flight: Trajectory, craft: str, quantity: str) -> tuple[np.ndarray, np.ndarray]:
    """Return times and values, with a gap where the quantity jumps across a seam."""
    track = flight.of(craft)
    t, values = track["t"].to_numpy(), track[quantity].to_numpy()
    if quantity not in AXES:
        return t, values
    jumps = np.flatnonzero(np.diff(track[f"wraps_{quantity}"].to_numpy())) + 1
    return np.insert(t, jumps, t[jumps]), np.insert(values, jumps, np.nan)
