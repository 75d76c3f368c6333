"""Residuals of a fit over time, with the spans in which the model fails."""

from matplotlib.figure import Figure

from tinrocket.errors import expect
from tinrocket.show import theme
from tinrocket.tuning.fitted import Fit

COLOURS = {"x": "#8a226a", "y": "#e8853a"}
FAILS = "#a3282b"
BAD = 8.0
"""Standard deviations at which the picture ends; rows beyond are drawn at its edge."""


def plot_fit(fit: Fit) -> Figure:
    """Draw the residuals of a fit over time, along x and along y."""
    expect(fit, Fit, "plot_fit()", "make one with fit(scenario, log, free)")
    figure = theme.new_figure()
    crafts = list(dict.fromkeys(fit.residuals["craft"]))
    laid = theme.panels(figure, len(crafts), 2.4)
    edge = BAD * fit.spread
    for ax, craft in zip(laid.axes, crafts, strict=True):
        ax.axhspan(-1.96 * fit.spread, 1.96 * fit.spread, color=theme.REFERENCE, linewidth=0)
        for axis, colour in COLOURS.items():
            rows = fit.residuals[
                (fit.residuals["craft"] == craft) & (fit.residuals["axis"] == axis)
            ]
            inside = rows["off"].abs() <= edge
            ax.plot(rows["t"][inside], rows["off"][inside], ".", color=colour, markersize=4)
            beyond = rows[~inside]
            ax.plot(beyond["t"], beyond["off"].clip(-edge, edge), "x", color=colour, markersize=7)
        for name, begin, end in fit.failures:
            if name == craft:
                ax.axvspan(begin, end, color=FAILS, alpha=0.15, linewidth=0)
        ax.set_ylim(-1.1 * edge, 1.1 * edge)
        theme.dress(ax, craft, "time [s]", f"model minus log [{fit.unit}]", laid.columns)
    handles = [
        *(theme.mark_handle(".", axis, color=c, markersize=9) for axis, c in COLOURS.items()),
        theme.mark_handle("x", f"a row off by more than {edge:.2g} {fit.unit}"),
        theme.reference_handle("95 % of good rows lie within"),
    ]
    if fit.failures:
        handles.append(theme.mark_handle("s", "the model fails", color=FAILS, alpha=0.3))
    numbers = ", ".join(f"{number.free.path} = {number.rounded:.6g}" for number in fit.numbers)
    theme.finish(figure, f"{fit.scenario.title or 'Fit'}: {numbers}", handles, laid.spare)
    return figure
