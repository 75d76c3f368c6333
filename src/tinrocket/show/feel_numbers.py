"""Feel metrics against the frame rate, as a percentage of the tuned ones."""

import math
import textwrap
from collections.abc import Sequence

from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.ticker import FixedLocator, FuncFormatter, NullLocator

from tinrocket.comparison.comparison import AS_WRITTEN
from tinrocket.errors import expect
from tinrocket.feel_metrics.sheet import FeelRow, FeelSheet
from tinrocket.show import theme
from tinrocket.show.feel_table import formatted

MOST_PANELS, MOST_GONE = 9, 3
LEAST = 1e-3
"""The smallest share of a tuned number that is drawn; smaller ones are negligible."""
LABEL_ROOM = 0.62
"""Share of a panel's width for the names beside lines."""
LABEL_HEIGHT = 0.095
"""Height of a name, as a share of a panel's height with two rows of panels."""
LETTERS = 104
"""Most letters of names beside lines, in all columns together; the rest is counted."""
WORST = "#8d1d6d"
QUIET = "#9a9aa6"


def plot_feel(sheet: FeelSheet, craft: str | None = None, variant: str | None = None) -> Figure:
    """Draw each metric against the frame rate, as a percentage of the tuned one.

    A panel for each manoeuvre; metrics that differ perceptibly are named, the others are pale.

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
    """
    expect(sheet, FeelSheet, "plot_feel()", "make one with feel(scenario)")
    name, changed = sheet.whose(craft), sheet.which(variant)
    rows = [row for row in sheet.rows if (row.craft, row.variant) == (name, changed)]
    drawn = [row for row in rows if row.differs or (row.tuned.value and not row.tuned.note)]
    shown = list(dict.fromkeys(row.manoeuvre for row in drawn))
    shown.sort(key=lambda one: -sum(row.differs for row in rows if row.manoeuvre == one))
    # leave out manoeuvres without differences beside those with some
    differing = {row.manoeuvre for row in rows if row.differs}
    shown = [one for one in shown if one in differing or not differing][:MOST_PANELS]
    figure = theme.new_figure()
    laid = theme.panels(figure, len(shown), 1.15)
    for ax, manoeuvre in zip(laid.axes, shown, strict=True):
        _draw_numbers(ax, [row for row in rows if row.manoeuvre == manoeuvre], sheet, laid.columns)
    laid.label_outer()
    for ax in laid.axes:  # each panel has its own scale
        ax.tick_params(labelleft=True, labelbottom=True)
    handles = [
        Line2D([], [], color=WORST, marker="o", markersize=4, label="differs from the tuned one"),
        Line2D([], [], color=QUIET, marker="o", markersize=4, label="no perceptible difference"),
        theme.reference_handle(f"within {sheet.perceptible.share:.0%}"),
    ]
    whose = f" of {name}" if len(sheet.craft) > 1 else ""
    of = "" if changed == AS_WRITTEN else f", {changed}"
    title = f"{sheet.title or 'Feel'}: feel metrics{whose} by frame rate, as tuned = 100 %{of}"
    theme.finish(figure, title, handles, laid.spare, wspace=0.16, hspace=0.34)
    return figure


TICKS_APART = 0.03
"""Smallest distance of two rates on an axis as wide as the picture."""


def _draw_numbers(ax: Axes, rows: Sequence[FeelRow], sheet: FeelSheet, columns: int) -> None:
    """Draw the numbers of one manoeuvre; those that differ are named beside their lines."""
    rates = sorted({row.rate for row in rows} | {sheet.tuned_at})
    letters = LETTERS // columns
    lines: dict[tuple[float, ...], list[FeelRow]] = {}
    gone: list[str] = []
    for name in dict.fromkeys(row.metric.name for row in rows):
        mine = {row.rate: row for row in rows if row.metric.name == name}
        some = next(iter(mine.values()))
        if some.tuned.note or not some.tuned.value:
            differing = [row for row in mine.values() if row.differs]
            gone += [
                f"{name}: {formatted(some.tuned, some.metric.unit, sheet.unit)} as tuned, "
                f"{formatted(row.answer, row.metric.unit, sheet.unit)} at {row.clock}"
                for row in differing[:1]
            ]
            continue
        shares = [
            1.0 if rate not in mine else mine[rate].answer.value / some.tuned.value
            for rate in rates
        ]
        gone += [
            f"{name}: {row.answer.note} at {row.clock}" for row in mine.values() if row.answer.note
        ][:1]
        gone += [
            f"{name}: {formatted(row.answer, row.metric.unit, sheet.unit)} at {row.clock}"
            for row in mine.values()
            if row.differs and not row.answer.note and row.answer.value / some.tuned.value <= 0.0
        ][:1]
        drawn = tuple(_rounded(share) for share in shares)
        lines.setdefault(drawn, []).append(max(mine.values(), key=lambda row: row.differs))
    ax.set_yscale("log", base=2)
    ax.axhspan(1.0 - sheet.perceptible.share, 1.0 + sheet.perceptible.share, color=theme.REFERENCE)
    ends: list[tuple[float, float, str]] = []
    quiet_first = sorted(lines.items(), key=lambda item: any(row.differs for row in item[1]))
    for line, alike in quiet_first:
        differs = any(row.differs for row in alike)
        colour = WORST if differs else QUIET
        ax.plot(rates, line, color=colour, marker="o", markersize=4, linewidth=1.5)
        finite = [n for n, share in enumerate(line) if math.isfinite(share)]
        if differs and finite:
            name = _named([row.metric.name for row in alike if row.differs], letters)
            ends.append((rates[finite[-1]], line[finite[-1]], name))
    values = [share for line in lines for share in line if math.isfinite(share)]
    low, high = min([0.8, *values]) / 1.25, max([1.25, *values]) * 1.25
    beneath = [
        line for change in gone[:MOST_GONE] for line in textwrap.wrap(change, 2 * letters - 8)
    ]
    if gone:  # beneath all lines
        low /= (high / low) ** (0.075 * len(beneath) + 0.02)
    ax.set_ylim(low, high)
    ax.set_xscale("log")
    room = (rates[-1] / rates[0]) ** (LABEL_ROOM / (1.0 - LABEL_ROOM)) if len(rates) > 1 else 4.0
    ax.set_xlim(rates[0] / 1.12, rates[-1] * room)
    _ticks(ax, rates, low, high, apart=TICKS_APART * columns)
    _write_names(ax, ends, rates[-1], low, high)
    theme.dress(ax, rows[0].manoeuvre, "frames/s", "", columns)
    if gone:
        ax.text(
            0.02,
            0.02,
            theme.literal("\n".join(beneath)),
            transform=ax.transAxes,
            fontsize=8,
            color=WORST,
            va="bottom",
            linespacing=1.25,
        )


def _percent(share: float) -> str:
    return f"{100 * share:.0f}%" if share > 0.1 else f"{100 * share:.2g}%"


def _rounded(share: float) -> float:
    """Return a share, rounded so that equal-looking lines coincide; None if not drawable."""
    return float(f"{share:.2g}") if share > LEAST else math.nan


def _ticks(ax: Axes, rates: Sequence[float], low: float, high: float, *, apart: float) -> None:
    """Set ticks of shares and rates, with a smallest distance of rates as a share of the axis."""
    powers = range(math.floor(math.log2(low)), math.ceil(math.log2(high)) + 1)
    step = max(len(powers) // 6, 1)
    ax.yaxis.set_major_locator(FixedLocator([2.0**n for n in powers if n % step == 0]))
    ax.yaxis.set_major_formatter(FuncFormatter(lambda share, _at: _percent(share)))
    ax.yaxis.set_minor_locator(NullLocator())
    ticks: list[float] = []
    for rate in sorted(rates):  # as many as can be read
        left, right = ax.get_xlim()
        if not ticks or math.log(rate / ticks[-1]) > apart * math.log(right / left):
            ticks.append(rate)
    ax.xaxis.set_major_locator(FixedLocator(ticks))
    ax.xaxis.set_major_formatter(FuncFormatter(lambda rate, _at: f"{rate:g}"))
    ax.xaxis.set_minor_locator(NullLocator())


def _write_names(
    ax: Axes, ends: list[tuple[float, float, str]], last: float, low: float, high: float
) -> None:
    """Write names to the right of where lines end, none over another."""
    span = math.log(high / low)
    places = sorted((math.log(share / low) / span, rate, name) for rate, share, name in ends)
    heights = [place for place, *_rest in places]
    for n in range(1, len(heights)):
        heights[n] = max(heights[n], heights[n - 1] + LABEL_HEIGHT)
    top = 0.95
    for n in reversed(range(len(heights))):
        heights[n] = min(heights[n], top)
        top = heights[n] - LABEL_HEIGHT
    for (place, rate, name), height in zip(places, heights, strict=True):
        beside, at = last * 1.16, low * math.exp(height * span)
        ax.plot([rate, beside], [low * math.exp(place * span), at], ":", color=WORST, linewidth=0.7)
        ax.text(beside, at, theme.literal(name), fontsize=8, color=WORST, va="center")


def _named(names: Sequence[str], letters: int) -> str:
    """Return the names of coinciding lines, as many as fit."""
    text, used = names[0], 1
    for name in names[1:]:
        if len(text) + len(name) + 2 > letters * (1 + text.count("\n")):
            if text.count("\n"):
                break
            text += ",\n" + name
        else:
            text += f", {name}"
        used += 1
    return text if used == len(names) else f"{text} and {len(names) - used} more"
