"""Events along time: a row for each run, beside those of its reference."""

from collections import Counter
from collections.abc import Sequence

import numpy as np
from matplotlib.axes import Axes
from matplotlib.collections import LineCollection
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from numpy.typing import NDArray

from tinrocket.comparison.comparison import AS_WRITTEN, Comparison
from tinrocket.comparison.outcomes import CHANGED
from tinrocket.errors import expect
from tinrocket.show import theme
from tinrocket.trajectory.columns import EventColumns

LANES = 5
"""Most kinds of events with a lane of their own in a row; the rarest share the last."""
SHAPES = ("o", "s", "^", "D", "v", "P", "h", "<", ">", "p", "*", "d")
"""Marks of the kinds, the commonest first; all can be hollow."""
ALIKE = 0.55
"""Opacity of events that are the same in both."""


def plot_timeline(
    comparison: Comparison,
    ax: Axes | None = None,
    variant: str | None = None,
    *,
    legend: bool = False,
) -> Figure:
    """Draw the events of every run along time, in a row beneath those of its reference.

    Equal events are pale; a shifted one is joined with the moment at which it was due; a missing
    one is hollow, and an extra one is crossed.

    Parameters
    ----------
    comparison
        The comparison.
    ax
        Axes for one variant (default: a new figure with all of them).
    variant
        Name of the variant (default: the first).
    legend
        Whether to write a legend into given Axes.

    Raises
    ------
    UnknownNameError
        If there is no such variant.
    """
    expect(comparison, Comparison, "plot_timeline()", "make one with compare(scenario)")
    chosen = comparison.variant(variant)
    counts = Counter(kind for run in comparison.runs for kind in run.matched["kind"].tolist())
    kinds = [kind for kind, _count in counts.most_common()]
    lanes = {kind: min(number, LANES - 1) for number, kind in enumerate(kinds)}
    marks = {kind: SHAPES[n % len(SHAPES)] for n, kind in enumerate(kinds)}
    looks = theme.looks(comparison.clocks)
    handles = [
        *(theme.mark_handle(marks[kind], kind.replace("_", " ")) for kind in kinds),
        *_status_handles(comparison),
    ]
    if ax is not None:
        _panel(ax, comparison, chosen, looks, lanes, marks)
        theme.own_legend(ax, handles, requested=legend)
        return theme.canvas(ax)[0]
    figure = theme.new_figure()
    shown = comparison.variants if variant is None else (chosen,)
    panels = theme.panels(figure, len(shown), 2.2, sharex=True, sharey=True)
    for panel, name in zip(panels.axes, shown, strict=True):
        _panel(panel, comparison, name, looks, lanes, marks, panels.columns)
    panels.label_outer()
    title = f"{comparison.title or 'Events'}: events beside those of {comparison.reference_name}"
    theme.finish(figure, title, handles, panels.spare, left=0.085, wspace=0.05)
    return figure


def _panel(
    ax: Axes,
    comparison: Comparison,
    variant: str,
    looks: dict[str, theme.Look],
    lanes: dict[str, int],
    marks: dict[str, str],
    columns: int = 1,
) -> None:
    runs = [run for run in comparison.runs if run.variant == variant]
    count = max(min(len(lanes), LANES), 1)
    names = ["reference", *(run.clock for run in runs)]
    matched = runs[0].matched
    due = matched["status"] != "extra"
    expected = {name: matched[name][due] for name in ("kind", "t_reference")}
    expected |= {"t": expected["t_reference"], "status": np.full(int(due.sum()), "same")}
    ink = theme.Look((0.17, 0.17, 0.2, 1.0), "")
    for row, (events, look) in enumerate(
        [(expected, ink), *((run.matched, looks[run.clock]) for run in runs)]
    ):
        ax.axhspan(row - 0.46, row + 0.46, color="#f4f3ef", linewidth=0, zorder=0.4)
        for kind, lane in lanes.items():
            height = row + 0.72 * ((lane + 0.5) / count - 0.5)
            _draw_kind(ax, events, events["kind"] == kind, height, marks[kind], look)
    ax.set_ylim(len(names) - 0.5, -0.5)
    ax.set_xlim(0.0, comparison.duration * 1.01)
    several = len(comparison.variants) > 1
    theme.dress(ax, (variant or AS_WRITTEN) if several else "", "time [s]", columns=columns)
    theme.name_rows(ax, range(len(names)), names)
    ax.grid(visible=False, axis="y")


def _draw_kind(
    ax: Axes,
    events: EventColumns,
    chosen: NDArray[np.bool_],
    height: float,
    marker: str,
    look: theme.Look,
) -> None:
    """Draw the events of one kind in one row."""
    status, t, due = (events[name][chosen] for name in ("status", "t", "t_reference"))
    shifted = np.isin(status, ["late", "early"])
    joins = [[(a, height), (b, height)] for a, b in zip(due[shifted], t[shifted], strict=True)]
    ax.add_collection(
        LineCollection(joins, colors=[look.colour], linewidths=2.4, alpha=0.5, zorder=2.0),
        autolim=False,
    )
    size = 6.0
    for some, at, options in (
        (status == "same", t, {"alpha": ALIKE}),
        (shifted, t, {}),
        (status == "missing", due, {"markerfacecolor": "white", "markersize": 8.0}),
        (status == "extra", t, {}),
    ):
        if some.any():
            heights = np.full(int(some.sum()), height)
            style = {"color": look.colour, "markersize": size, "markeredgewidth": 1.2} | options
            ax.plot(at[some], heights, marker, **style)  # type: ignore[arg-type]
    extra = t[status == "extra"]
    ax.plot(
        extra, np.full(extra.size, height), "x", color=theme.INK, markersize=8, markeredgewidth=1.1
    )


def _status_handles(comparison: Comparison) -> Sequence[Line2D]:
    there = {status for run in comparison.runs for status in run.matched["status"].tolist()}
    handles = [theme.mark_handle("o", "as expected", alpha=ALIKE, markersize=5)]
    if there & {"late", "early"}:
        handles.append(
            Line2D(
                [], [], color=theme.INK, alpha=0.5, linewidth=2.4, label="shifted: from when due"
            )
        )
    if CHANGED[0] in there:
        handles.append(
            theme.mark_handle("o", "hollow: missing", markerfacecolor="white", markersize=7)
        )
    if CHANGED[1] in there:
        handles.append(theme.mark_handle("x", "crossed: extra", markersize=8))
    return handles
