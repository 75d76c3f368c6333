"""Drift over time: distance of each run from its reference, and its outcome."""

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.lines import Line2D

from tinrocket.comparison.comparison import AS_WRITTEN, Comparison
from tinrocket.comparison.drift import Drift
from tinrocket.comparison.run import Run
from tinrocket.errors import UnknownNameError, expect, nearest
from tinrocket.show import theme

_DECADES = tuple(10.0**power for power in range(-3, 10))


def plot_drift(
    comparison: Comparison,
    craft: str | None = None,
    ax: Axes | None = None,
    *,
    legend: bool = False,
) -> Figure:
    """Draw each run's distance from the reference over time, up to where it ends.

    The scale is even up to the tolerance and logarithmic above it, so that a tenth of a
    pixel and a whole arena can be read in one picture.  Marks show where a run first passes the
    tolerance, where it comes back for good, the first event that differs, and where the craft
    disappears.

    Parameters
    ----------
    comparison
        The comparison.
    craft
        Name of a craft, or of a grid, of which the member farthest away counts (default: the one
        that drifts most).
    ax
        Axes for all variants, one line style each (default: a new figure with a panel for each).
    legend
        Whether to write a legend into given Axes.

    Raises
    ------
    UnknownNameError
        If there is no drift of such a craft.
    """
    expect(comparison, Comparison, "plot_drift()", "make one with compare(scenario)")
    told = [name for name, drift in comparison.runs[0].drifts.items() if drift]
    name = craft or comparison.most_parted_family
    if name not in told:
        raise UnknownNameError(f"there is no drift of '{name}'{nearest(name, told)}")
    looks = theme.looks(comparison.clocks)
    names = comparison.variants
    drifts = [drift for run in comparison.runs if (drift := run.drifts[name])]
    top = max([comparison.tolerance, *(drift.largest for drift in drifts)]) * 1.6
    end = max(float(drift.t[-1]) for drift in drifts)
    handles = [
        _band_handle(comparison),
        *theme.clock_handles(looks),
        *_mark_handles(comparison, name),
    ]
    if ax is not None:
        styles = theme.variant_styles(names)
        for variant in names:
            _draw(ax, comparison, name, variant, looks, styles[variant])
        _scale(ax, comparison, top, end)
        ax.set_title(
            theme.literal(f"drift from {comparison.reference_name}"),
            loc="left",
            color=theme.INK,
            fontsize=11,
        )
        handles += theme.style_handles([variant or AS_WRITTEN for variant in names])
        theme.own_legend(ax, handles, requested=legend)
        return theme.canvas(ax)[0]
    figure = theme.new_figure()
    panels = theme.panels(figure, len(names), 2.2, sharex=True, sharey=True)
    for panel, variant in zip(panels.axes, names, strict=True):
        _draw(panel, comparison, name, variant, looks, "-")
        _scale(panel, comparison, top, end)
        if len(names) > 1:
            title = variant or AS_WRITTEN
            labels = panel.get_xlabel(), panel.get_ylabel()
            theme.dress(panel, title, *labels, columns=panels.columns)
    panels.label_outer()
    whose = f" of {name}" if len(comparison.craft) > 1 else ""
    if len(comparison.runs[0].flight.families[name]) > 1:
        whose = f" of the {name} farthest off"
    title = f"{comparison.title or 'Drift'}: drift{whose} from {comparison.reference_name}"
    theme.finish(figure, title, handles, panels.spare, wspace=0.05)
    return figure


def _draw(
    ax: Axes,
    comparison: Comparison,
    craft: str,
    variant: str,
    looks: dict[str, theme.Look],
    style: Any,
) -> None:
    runs = [run for run in comparison.runs if run.variant == variant and run.drifts[craft]]
    for number, run in enumerate(runs):
        drift, look = run.drifts[craft], looks[run.clock]
        assert drift is not None
        ax.plot(
            drift.t,
            drift.distance,
            color=look.colour,
            linestyle=style,
            linewidth=1.6,
            marker=look.marker,
            markersize=4,
            markevery=(theme.MARK_EVERY * number / len(runs), theme.MARK_EVERY),
        )
        for t, marker, options in _marks(run, drift, craft, comparison.tolerance):
            distance = float(np.interp(t, drift.t, drift.distance))
            ax.plot(t, distance, marker, color=look.colour, zorder=4, **options)


def _scale(ax: Axes, comparison: Comparison, top: float, end: float) -> None:
    tolerance, unit = comparison.tolerance, comparison.unit
    ax.set_yscale("symlog", linthresh=max(tolerance, 1e-9), linscale=1.0)
    ax.axhspan(0.0, tolerance, color=theme.REFERENCE, alpha=0.5, linewidth=0, zorder=0.5)
    ax.set_ylim(0.0, top)
    ax.set_yticks(
        [tick for tick in (0.0, tolerance, *_DECADES) if tick == 0 or tolerance <= tick < top]
    )
    ax.minorticks_off()
    ax.set_xlim(0.0, 1.01 * end)
    ax.yaxis.set_major_formatter(lambda value, _position: f"{value:g}")
    theme.dress(ax, xlabel="time [s]", ylabel=f"distance [{unit}]")


PASSES: dict[str, Any] = {"markersize": 8, "markeredgecolor": "white"}
DIFFERS: dict[str, Any] = {"markersize": 11, "markerfacecolor": "none", "markeredgewidth": 1.8}
GONE: dict[str, Any] = {"markersize": 9, "markeredgewidth": 2.4}
KINDS: dict[str, tuple[str, dict[str, Any], str]] = {
    "passes": ("^", PASSES, "passes the tolerance"),
    "returns": ("v", PASSES, "back within it for good"),
    "differs": ("o", DIFFERS, "first event that differs"),
    "gone": ("x", GONE, "gone: the end of its drift"),
}


def _moments(run: Run, drift: Drift, craft: str, tolerance: float) -> dict[str, float]:
    """Return the times of the marked events [s]; events that do not happen are left out."""
    moments: dict[str, float] = {}
    passes = drift.passes(tolerance)
    if passes is not None:
        moments["passes"] = passes
        if drift.final <= tolerance:
            over = int(np.flatnonzero(drift.distance > tolerance)[-1])
            moments["returns"] = float(drift.t[min(over + 1, drift.t.size - 1)])
    change = run.first_change(craft)
    if change is not None and change <= drift.t[-1] + 1e-9:
        moments["differs"] = change
    if drift.gone:
        moments["gone"] = float(drift.t[-1])
    return moments


def _marks(
    run: Run, drift: Drift, craft: str, tolerance: float
) -> Sequence[tuple[float, str, dict[str, Any]]]:
    moments = _moments(run, drift, craft, tolerance)
    return [(t, KINDS[kind][0], KINDS[kind][1]) for kind, t in moments.items() if math.isfinite(t)]


def _mark_handles(comparison: Comparison, craft: str) -> list[Line2D]:
    there: set[str] = set()
    for run in comparison.runs:
        drift = run.drifts[craft]
        there |= set(_moments(run, drift, craft, comparison.tolerance)) if drift else set()
    return [
        theme.mark_handle(marker, label, **options)
        for kind, (marker, options, label) in KINDS.items()
        if kind in there
    ]


def _band_handle(comparison: Comparison) -> Line2D:
    within = f"within {comparison.tolerance:g} {comparison.unit}: agrees"
    return Line2D(
        [], [], color=theme.REFERENCE, linewidth=7, alpha=0.6, label=theme.literal(within)
    )
