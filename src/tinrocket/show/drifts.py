"""Drift over time: how far each run is from its reference, and when it left it."""

from matplotlib.axes import Axes
from matplotlib.figure import Figure

from tinrocket.analysis.comparison import AS_WRITTEN, Comparison
from tinrocket.errors import UnknownNameError, expect, nearest
from tinrocket.show import theme

_DECADES = tuple(10.0**power for power in range(-3, 10))


def plot_drift(comparison: Comparison, craft: str | None = None, ax: Axes | None = None) -> Figure:
    """Draw each run's distance from the reference over time.

    The scale is even up to the tolerance and logarithmic above it, so that a tenth of a
    pixel and a whole arena can be read in one picture.

    Parameters
    ----------
    comparison
        What to draw.
    craft
        Whose; the first craft's if not given.
    ax
        Where to draw; a new figure if not given.
    """
    own = ax is None
    expect(comparison, Comparison, "plot_drift()", "make one with compare(scenario)")
    figure, ax = theme.canvas(ax)
    title = comparison.title or "Drift"
    unit = comparison.unit
    styles = theme.variant_styles(comparison.variants)
    told = [name for name, drift in comparison.runs[0].drifts.items() if drift]
    name = craft or told[0]
    if name not in told:
        raise UnknownNameError(f"there is no drift of '{name}'{nearest(name, told)}")
    markers = theme.clock_markers(comparison.clocks)
    largest = 0.0
    for run in comparison.runs:
        drift = run.drifts[name]
        assert drift is not None
        largest = max(largest, drift.largest)
        style = styles[run.variant]
        ax.plot(
            drift.t,
            drift.distance,
            color=theme.rate_colour(run.rate),
            linestyle=style,
            linewidth=1.8,
            marker=markers[run.clock],
            markersize=4,
            markevery=theme.MARK_EVERY,
            clip_on=False,
        )
    tolerance = comparison.tolerance
    ax.set_yscale("symlog", linthresh=max(tolerance, 1e-9), linscale=1.0)
    within = ax.axhspan(0.0, tolerance, color=theme.REFERENCE, alpha=0.5, linewidth=0)
    within.set_label(f"within {tolerance:g} {unit}: agrees")
    top = max(largest, tolerance) * 1.6
    ax.set_ylim(0.0, top)
    ax.set_yticks(
        [tick for tick in (0.0, tolerance, *_DECADES) if tick == 0 or tolerance <= tick < top]
    )
    ax.minorticks_off()
    ax.set_xlim(0.0, comparison.duration)
    ax.yaxis.set_major_formatter(lambda value, _position: f"{value:g}")
    theme.dress(ax, xlabel="time [s]", ylabel=f"distance from the reference [{unit}]")
    handles = [
        within,
        *theme.rate_handles(comparison.clocks),
        *theme.style_handles([variant or AS_WRITTEN for variant in comparison.variants]),
    ]
    if own:
        whose = f" of {name}" if len(comparison.craft) > 1 else ""
        theme.add_title(figure, f"{title}: drift{whose} from {comparison.reference_name}")
        rows = 1 if len(handles) <= 7 else 2
        theme.add_legend(figure, handles, columns=-(-len(handles) // rows))
    else:
        ax.set_title(
            f"drift from {comparison.reference_name}", loc="left", color=theme.INK, fontsize=11
        )
        ax.legend(handles=handles, frameon=False, fontsize=8)
    return figure
