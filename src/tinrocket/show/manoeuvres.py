"""Curves of manoeuvres at each frame rate, with the places at which metrics are read."""

from matplotlib.axes import Axes
from matplotlib.figure import Figure

from tinrocket.comparison.comparison import AS_WRITTEN
from tinrocket.errors import OptionError, expect
from tinrocket.feel_metrics.course import Course
from tinrocket.feel_metrics.manoeuvres import BUILT_IN
from tinrocket.feel_metrics.metric import Curve, Manoeuvre
from tinrocket.feel_metrics.sheet import FeelSheet, shown_unit
from tinrocket.scenario.clock import Clock
from tinrocket.show import theme
from tinrocket.show.feel_table import formatted


def plot_manoeuvres(
    sheet: FeelSheet, craft: str | None = None, variant: str | None = None
) -> Figure:
    """Draw the curves of manoeuvres at each frame rate, and where their metrics are read.

    Parameters
    ----------
    sheet
        The feel sheet.
    craft
        Name of the craft (default: the one with most metrics).
    variant
        Name of the variant (default: the first).

    Raises
    ------
    UnknownNameError
        If there is no such craft or variant.
    OptionError
        If none of its manoeuvres can be drawn.
    """
    expect(sheet, FeelSheet, "plot_manoeuvres()", "make one with feel(scenario)")
    name, changed = sheet.whose(craft), sheet.which(variant)
    course = sheet.courses[changed, name]
    drawn = drawable(sheet, name, changed)
    if not drawn:
        raise OptionError(f"no manoeuvre of '{name}' has anything to draw")
    figure = theme.new_figure()
    laid = theme.panels(figure, len(drawn), 1.3)
    looks = theme.looks([(rate, f"{rate:g} fps") for rate in _rates(sheet)])
    for ax, manoeuvre in zip(laid.axes, drawn, strict=True):
        _draw_curves(ax, manoeuvre, course, looks, sheet.unit)
        title = _title(manoeuvre, sheet, name, changed)
        theme.dress(ax, title, *_labels(manoeuvre, course, sheet.unit), laid.columns)
    whose = f" of {name}" if len(sheet.craft) > 1 else ""
    of = "" if changed == AS_WRITTEN else f", {changed}"
    read = theme.mark_handle("o", "where a number is read", markerfacecolor="white", markersize=7)
    handles = [*theme.clock_handles(looks), read]
    title = f"{sheet.title or 'Feel'}: manoeuvres{whose} at each frame rate{of}"
    theme.finish(figure, title, handles, laid.spare, wspace=0.24, hspace=0.42)
    return figure


def _rates(sheet: FeelSheet) -> list[float]:
    return sorted({rate for rate, _clock in sheet.clocks} | {sheet.tuned_at})


def drawable(sheet: FeelSheet, craft: str, variant: str | None = None) -> list[Manoeuvre]:
    """Return the manoeuvres of a craft that have a curve."""
    course = sheet.courses[variant or sheet.variants[0], craft]
    measured = {row.manoeuvre for row in sheet.rows if row.craft == craft}
    measured_here = [
        manoeuvre
        for manoeuvre in BUILT_IN
        if manoeuvre.curve is not None and manoeuvre.name in measured
    ]
    return [
        manoeuvre
        for manoeuvre in measured_here
        if manoeuvre.curve is not None and manoeuvre.curve(course) is not None
    ][:6]


def _labels(manoeuvre: Manoeuvre, course: Course, unit: str) -> tuple[str, str]:
    curve = manoeuvre.curve(course) if manoeuvre.curve else None
    assert curve is not None
    return shown_unit(curve.xlabel, unit), shown_unit(curve.ylabel, unit)


def _title(manoeuvre: Manoeuvre, sheet: FeelSheet, craft: str, variant: str) -> str:
    """Return the name of a manoeuvre and its first two numbers, as tuned."""
    rows = {
        row.metric.name: row
        for row in sheet.rows
        if (row.craft, row.variant, row.manoeuvre) == (craft, variant, manoeuvre.name)
    }
    texts = [
        f"{name} {formatted(row.tuned, row.metric.unit, sheet.unit)}"
        for name, row in list(rows.items())[:2]
    ]
    return f"{manoeuvre.name}: {', '.join(texts)} as tuned"


def _draw_curves(
    ax: Axes, manoeuvre: Manoeuvre, course: Course, looks: dict[str, theme.Look], unit: str
) -> None:
    rates = {label: float(label.removesuffix(" fps")) for label in looks}
    tuned = f"{course.rate:g} fps"
    for label, rate in rates.items():
        curve = (
            manoeuvre.curve(course if label == tuned else course.at(Clock(rate=rate)))
            if manoeuvre.curve
            else None
        )
        if curve is None:
            continue
        look = looks[label]
        wide = label == tuned
        if wide:
            ax.plot(curve.x, curve.y, color=theme.REFERENCE, linewidth=7, solid_capstyle="butt")
        ax.plot(
            curve.x,
            curve.y,
            color=look.colour,
            linewidth=1.5,
            marker=look.marker,
            markersize=4,
            markevery=theme.MARK_EVERY * 2,
        )
        _mark(ax, curve, look, named=wide)
        if curve.path:
            ax.set_aspect("equal", adjustable="datalim")


def _mark(ax: Axes, curve: Curve, look: theme.Look, *, named: bool) -> None:
    for x, y, name in curve.marks:
        ax.plot([x], [y], "o", color=look.colour, markersize=7, markerfacecolor="white")
        if named:
            ax.annotate(
                theme.literal(name),
                (x, y),
                xytext=(7, -11),
                textcoords="offset points",
                fontsize=8.5,
                color=theme.INK,
            )
