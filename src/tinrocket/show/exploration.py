"""Feel over whole ranges of numbers: curves of one, maps of two, shares of many."""

import math

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.ticker import FuncFormatter, LogLocator

from tinrocket.errors import expect
from tinrocket.show import theme
from tinrocket.tuning.exploration import Exploration
from tinrocket.tuning.free_numbers import FreeNumber

LINE = "#8a226a"
HOLDS = "#2f7d4f"
LEVELS = 9
BAR = 0.38
MOST_SHOWN = 1.2
"""End of the axis of shares: an interval may extend beyond the whole variance."""


def plot_exploration(exploration: Exploration) -> Figure:
    """Draw an exploration.

    One number: a curve for each metric.  Two: a map for each, with the scenario's place and the
    region in which all wants hold.  More: the share of each metric's variance that is due to each
    number.
    """
    hint = "make one with explore(scenario, over, show)"
    expect(exploration, Exploration, "plot_exploration()", hint)
    figure = theme.new_figure()
    count = len(exploration.free)
    laid = theme.panels(figure, len(exploration.metrics), 1.4)
    draw = {1: _curve, 2: _map}.get(count, _bars)
    for n, ax in enumerate(laid.axes):
        draw(ax, exploration, n)
        unit = f" [{exploration.units[n]}]" if exploration.units[n] else ""
        title = f"{exploration.crafts[n]} {exploration.metrics[n]}{unit if count > 1 else ''}"
        across, along = "share of the variance", ""
        if count < 3:
            across = exploration.free[0].path
            along = f"{exploration.metrics[n]}{unit}" if count == 1 else exploration.free[1].path
        theme.dress(ax, title, across, along, laid.columns)
    handles = [theme.mark_handle("o", "as the scenario is", markersize=9)]
    if exploration.wants and count < 3:
        wanted = " and ".join(exploration.wants)
        handles.append(
            theme.mark_handle(
                "s", f"all wants hold: {wanted}", color=HOLDS, markersize=10, alpha=0.6
            )
        )
    if count > 2:
        handles = [
            theme.mark_handle("s", "with all other numbers", color=LINE, markersize=10),
            theme.mark_handle("s", "by itself", color=theme.FAINT, markersize=10),
            theme.mark_handle("_", "95 % of resamples lie within", markersize=10),
        ]
    over = ", ".join(number.path for number in exploration.free)
    title = f"{exploration.title or 'Feel'} over {over} at {exploration.rate:g} fps"
    wide = {"left": 0.2} if count > 2 else {}
    theme.finish(figure, title, handles, laid.spare, hspace=0.4, **({"wspace": 0.28} | wide))
    return figure


def _curve(ax: Axes, exploration: Exploration, n: int) -> None:
    x, y = exploration.numbers[:, 0], exploration.values[:, n]
    if exploration.holds.any() and exploration.wants:
        for begin, end in _spans(exploration.holds):
            ax.axvspan(x[begin], x[end], color=HOLDS, alpha=0.18, linewidth=0)
    ax.plot(x, y, color=LINE, linewidth=2.0)
    _scale(ax, exploration.free[0], "x")
    if not math.isnan(exploration.now[n]):
        ax.plot([exploration.free[0].now], [exploration.now[n]], "o", color=theme.INK, markersize=9)


def _spans(holds: "np.typing.NDArray[np.bool_]") -> list[tuple[int, int]]:
    """Return the first and the last index of each run of true values."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], holds.astype(int), [0]])))
    return [(int(a), int(b) - 1) for a, b in edges.reshape(-1, 2)]


def _map(ax: Axes, exploration: Exploration, n: int) -> None:
    along = len(np.unique(exploration.numbers[:, 0]))
    shape = (along, len(exploration.numbers) // along)
    x, y = (exploration.numbers[:, k].reshape(shape) for k in (0, 1))
    z = np.ma.masked_invalid(exploration.values[:, n].reshape(shape))
    if z.count() and float(z.max()) > float(z.min()):
        filled = ax.contourf(x, y, z, LEVELS, cmap="inferno_r", alpha=0.75, extend="both")
        lines = ax.contour(x, y, z, filled.levels, colors=theme.INK, linewidths=0.7)
        ax.clabel(lines, fontsize=9, inline=True)
    if exploration.wants and exploration.holds.any():
        held = exploration.holds.reshape(shape).astype(float)
        ax.contourf(x, y, held, [0.5, 1.5], colors=[HOLDS], alpha=0.45)
        ax.contour(x, y, held, [0.5], colors=[HOLDS], linewidths=2.0)
    for axis, free in zip("xy", exploration.free, strict=True):
        _scale(ax, free, axis)
    ax.plot(
        *[[free.now] for free in exploration.free],
        "o",
        color=theme.INK,
        markersize=9,
        markeredgecolor="white",
    )


def _scale(ax: Axes, free: FreeNumber, axis: str) -> None:
    """Give an axis of a range that is searched by ratios a logarithmic scale."""
    if free.scale == "log":
        getattr(ax, f"set_{axis}scale")("log")
        along = ax.xaxis if axis == "x" else ax.yaxis
        along.set_major_formatter(FuncFormatter(_plain))
        along.set_minor_formatter(FuncFormatter(_plain))
        along.set_minor_locator(LogLocator(subs=(2.0, 5.0)))


def _plain(value: float, _place: int | None = None) -> str:
    return f"{value:g}"


def _bars(ax: Axes, exploration: Exploration, n: int) -> None:
    shares = [
        each for each in exploration.sensitivity if each.metric.endswith(exploration.metrics[n])
    ]
    rows = np.arange(len(shares), dtype=np.float64)
    for height, share, low, high, colour in (
        (-BAR / 2, "whole", "whole_low", "whole_high", LINE),
        (BAR / 2, "alone", "alone_low", "alone_high", theme.FAINT),
    ):
        values = np.array([getattr(each, share) for each in shares])
        ends = [np.array([getattr(each, name) for each in shares]) for name in (low, high)]
        spans = np.abs(np.stack([values - ends[0], ends[1] - values]))
        ax.barh(rows + height, values, height=BAR, color=colour, xerr=spans, ecolor=theme.INK)
    ax.set_ylim(len(shares) - 0.5, -0.5)
    ax.set_xlim(-0.03, MOST_SHOWN)
    theme.name_rows(ax, rows.tolist(), [each.path for each in shares])
    if not shares:
        ax.text(0.5, 0.5, "nothing changes it", transform=ax.transAxes, ha="center")
