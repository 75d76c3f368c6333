"""Pictures of feel: numbers against frame rate, what manoeuvres look like, what a change does."""

import math
from collections.abc import Callable, Sequence

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.ticker import FixedLocator, FuncFormatter, NullLocator

from tinrocket.errors import OptionError, UnknownNameError, expect, nearest
from tinrocket.handling.course import Course
from tinrocket.handling.manoeuvres import BUILT_IN
from tinrocket.handling.metric import Curve, Manoeuvre
from tinrocket.handling.sheet import AS_WRITTEN, FeelRow, FeelSheet, shown_unit
from tinrocket.scenario.clock import Clock
from tinrocket.show import theme
from tinrocket.show.feel_table import figures, said

MOST_PANELS, MOST_GONE = 9, 3
LEAST = 1e-3
"""The least share of a tuned number that is drawn; what is less is as good as nothing."""
LABEL_ROOM = 0.62
"""Share of a panel's width that is left for the names of lines, beside them."""
LABEL_HEIGHT = 0.095
"""How high a name is, as a share of a panel's height, where there are two rows of panels."""
LETTERS = 40
"""Letters of a name before it is cut; of several alike lines the rest is counted."""
WORST = "#8d1d6d"
QUIET = "#9a9aa6"
MOST_CHANGED = 22
"""Numbers that a picture of changes has room for."""


def feel_pictures(sheet: FeelSheet) -> dict[str, Callable[[], Figure]]:
    """Return the pictures of a sheet by their names."""
    pictures: dict[str, Callable[[], Figure]] = {"feel": lambda: plot_feel(sheet)}
    if _looks(sheet, _most_told(sheet)):
        pictures["manoeuvres"] = lambda: plot_manoeuvres(sheet)
    if sheet.written:
        pictures["feel-changes"] = lambda: plot_feel_changes(sheet)
    return pictures


def plot_feel(sheet: FeelSheet, craft: str | None = None, variant: str | None = None) -> Figure:
    """Draw each number against the frame rate, as a percentage of what it was tuned to.

    A panel for each manoeuvre; numbers that differ by more than is perceptible are named, the
    others are pale.

    Parameters
    ----------
    sheet
        What to draw.
    craft
        Whose; the one with most numbers if not given.
    variant
        Which; the first if not given.

    Raises
    ------
    UnknownNameError
        If there is no such craft or variant.
    """
    expect(sheet, FeelSheet, "plot_feel()", "make one with feel(scenario)")
    name, changed = _known(craft, sheet.craft, _most_told(sheet)), _known(variant, sheet.variants)
    rows = [row for row in sheet.rows if (row.craft, row.variant) == (name, changed)]
    drawn = [row for row in rows if row.differs or (row.tuned.value and not row.tuned.said)]
    shown = list(dict.fromkeys(row.manoeuvre for row in drawn))
    shown.sort(key=lambda one: -sum(row.differs for row in rows if row.manoeuvre == one))
    shown = shown[:MOST_PANELS]
    figure = theme.new_figure()
    laid = theme.panels(figure, len(shown), 1.15)
    for ax, manoeuvre in zip(laid.axes, shown, strict=True):
        _draw_numbers(ax, [row for row in rows if row.manoeuvre == manoeuvre], sheet, laid.columns)
    laid.label_outer()
    for ax in laid.axes:  # each has numbers of its own
        ax.tick_params(labelleft=True, labelbottom=True)
    handles = [
        Line2D([], [], color=WORST, marker="o", markersize=4, label="differs from the tuned one"),
        Line2D([], [], color=QUIET, marker="o", markersize=4, label="no perceptible difference"),
        theme.reference_handle(f"within {sheet.perceptible.share:.0%}"),
    ]
    whose = f" of {name}" if len(sheet.craft) > 1 else ""
    of = "" if changed == AS_WRITTEN else f", {changed}"
    title = f"{sheet.title or 'Feel'}: numbers of feel{whose} by frame rate, as tuned = 100 %{of}"
    theme.finish(figure, title, handles, laid.spare, wspace=0.16, hspace=0.34)
    return figure


def _draw_numbers(ax: Axes, rows: Sequence[FeelRow], sheet: FeelSheet, columns: int) -> None:
    """Draw the numbers of one manoeuvre; those that differ are named beside their lines."""
    rates = sorted({row.rate for row in rows} | {sheet.tuned_at})
    lines: dict[tuple[float, ...], list[FeelRow]] = {}
    gone: list[str] = []
    for name in dict.fromkeys(row.metric.name for row in rows):
        mine = {row.rate: row for row in rows if row.metric.name == name}
        some = next(iter(mine.values()))
        if some.tuned.said or not some.tuned.value:
            told = [row for row in mine.values() if row.differs]
            gone += [
                f"{name}: {said(some.tuned, some.metric.unit, sheet.unit)} as tuned, "
                f"{said(row.answer, row.metric.unit, sheet.unit)} at {row.clock}"
                for row in told[:1]
            ]
            continue
        shares = [
            1.0 if rate not in mine else mine[rate].answer.value / some.tuned.value
            for rate in rates
        ]
        gone += [
            f"{name}: {row.answer.said} at {row.clock}" for row in mine.values() if row.answer.said
        ][:1]
        gone += [
            f"{name}: {said(row.answer, row.metric.unit, sheet.unit)} at {row.clock}"
            for row in mine.values()
            if row.differs and not row.answer.said and row.answer.value / some.tuned.value <= 0.0
        ][:1]
        drawn = tuple(_rounded(one) for one in shares)
        lines.setdefault(drawn, []).append(max(mine.values(), key=lambda row: row.differs))
    ax.set_yscale("log", base=2)
    ax.axhspan(1.0 - sheet.perceptible.share, 1.0 + sheet.perceptible.share, color=theme.REFERENCE)
    ends: list[tuple[float, float, str]] = []
    quiet_first = sorted(lines.items(), key=lambda item: any(row.differs for row in item[1]))
    for line, alike in quiet_first:
        differs = any(row.differs for row in alike)
        colour = WORST if differs else QUIET
        ax.plot(rates, line, color=colour, marker="o", markersize=4, linewidth=1.5)
        finite = [n for n, one in enumerate(line) if math.isfinite(one)]
        if differs and finite:
            name = _named([row.metric.name for row in alike if row.differs])
            ends.append((rates[finite[-1]], line[finite[-1]], name))
    values = [one for line in lines for one in line if math.isfinite(one)]
    low, high = min([0.8, *values]) / 1.25, max([1.25, *values]) * 1.25
    if gone:  # beneath all lines
        low /= (high / low) ** (0.075 * len(gone[:MOST_GONE]) + 0.02)
    ax.set_ylim(low, high)
    ax.set_xscale("log")
    room = (rates[-1] / rates[0]) ** (LABEL_ROOM / (1.0 - LABEL_ROOM)) if len(rates) > 1 else 4.0
    ax.set_xlim(rates[0] / 1.12, rates[-1] * room)
    _ticks(ax, rates, low, high)
    _write_names(ax, ends, rates[-1], low, high)
    theme.dress(ax, rows[0].manoeuvre, "frames/s", "", columns)
    if gone:
        ax.text(
            0.02,
            0.02,
            "\n".join(one[: 2 * LETTERS] for one in gone[:MOST_GONE]),
            transform=ax.transAxes,
            fontsize=8,
            color=WORST,
            va="bottom",
            linespacing=1.25,
            wrap=True,
        )


def _percent(share: float) -> str:
    return f"{100 * share:.0f}%" if share > 0.1 else f"{100 * share:.2g}%"


def _rounded(share: float) -> float:
    """Return a share so that lines that cannot be told apart are one; none that cannot be drawn."""
    return float(f"{share:.2g}") if share > LEAST else math.nan


def _ticks(ax: Axes, rates: Sequence[float], low: float, high: float) -> None:
    powers = range(math.floor(math.log2(low)), math.ceil(math.log2(high)) + 1)
    step = max(len(powers) // 6, 1)
    ax.yaxis.set_major_locator(FixedLocator([2.0**n for n in powers if n % step == 0]))
    ax.yaxis.set_major_formatter(FuncFormatter(lambda share, _at: _percent(share)))
    ax.yaxis.set_minor_locator(NullLocator())
    kept: list[float] = []
    for rate in sorted(rates):  # as many as can be read
        if not kept or rate / kept[-1] > 1.45:
            kept.append(rate)
    ax.xaxis.set_major_locator(FixedLocator(kept))
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
        ax.text(beside, at, name, fontsize=8, color=WORST, va="center")


def _named(names: Sequence[str]) -> str:
    """Return the names of lines that lie on each other, as many as there is room for."""
    text, used = names[0], 1
    for name in names[1:]:
        if len(text) + len(name) + 2 > LETTERS * (1 + text.count("\n")):
            if text.count("\n"):
                break
            text += ",\n" + name
        else:
            text += f", {name}"
        used += 1
    return text if used == len(names) else f"{text} and {len(names) - used} more"


def plot_manoeuvres(
    sheet: FeelSheet, craft: str | None = None, variant: str | None = None
) -> Figure:
    """Draw what manoeuvres look like at each frame rate, and where their numbers come from.

    Parameters
    ----------
    sheet
        What to draw.
    craft
        Whose; the one with most numbers if not given.
    variant
        Which; the first if not given.

    Raises
    ------
    UnknownNameError
        If there is no such craft or variant.
    OptionError
        If none of its manoeuvres can be drawn.
    """
    expect(sheet, FeelSheet, "plot_manoeuvres()", "make one with feel(scenario)")
    name, changed = _known(craft, sheet.craft, _most_told(sheet)), _known(variant, sheet.variants)
    course = sheet.courses[changed, name]
    found = _looks(sheet, name, changed)
    if not found:
        raise OptionError(f"no manoeuvre of '{name}' has anything to draw")
    figure = theme.new_figure()
    laid = theme.panels(figure, len(found), 1.3)
    looks = theme.looks([(rate, f"{rate:g} fps") for rate in _rates(sheet)])
    for ax, one in zip(laid.axes, found, strict=True):
        _draw_curves(ax, one, course, looks, sheet.unit)
        title = _title(one, sheet, name, changed)
        theme.dress(ax, title, *_labels(one, course, sheet.unit), laid.columns)
    whose = f" of {name}" if len(sheet.craft) > 1 else ""
    of = "" if changed == AS_WRITTEN else f", {changed}"
    read = theme.mark_handle("o", "where a number is read", markerfacecolor="white", markersize=7)
    handles = [*theme.clock_handles(looks), read]
    title = f"{sheet.title or 'Feel'}: manoeuvres{whose} at each frame rate{of}"
    theme.finish(figure, title, handles, laid.spare, wspace=0.24, hspace=0.42)
    return figure


def _rates(sheet: FeelSheet) -> list[float]:
    return sorted({rate for rate, _clock in sheet.clocks} | {sheet.tuned_at})


def _looks(sheet: FeelSheet, craft: str, variant: str | None = None) -> list[Manoeuvre]:
    """Return the manoeuvres of a craft that look like something."""
    course = sheet.courses[variant or sheet.variants[0], craft]
    told = {row.manoeuvre for row in sheet.rows if row.craft == craft}
    found = [one for one in BUILT_IN if one.curve is not None and one.name in told]
    return [one for one in found if one.curve is not None and one.curve(course) is not None][:6]


def _labels(one: Manoeuvre, course: Course, unit: str) -> tuple[str, str]:
    curve = one.curve(course) if one.curve else None
    assert curve is not None
    return shown_unit(curve.xlabel, unit), shown_unit(curve.ylabel, unit)


def _title(one: Manoeuvre, sheet: FeelSheet, craft: str, variant: str) -> str:
    """Return the name of a manoeuvre and its first two numbers, as tuned."""
    rows = {
        row.metric.name: row
        for row in sheet.rows
        if (row.craft, row.variant, row.manoeuvre) == (craft, variant, one.name)
    }
    told = [
        f"{name} {said(row.tuned, row.metric.unit, sheet.unit)}"
        for name, row in list(rows.items())[:2]
    ]
    return f"{one.name}: {', '.join(told)} as tuned"


def _draw_curves(
    ax: Axes, one: Manoeuvre, course: Course, looks: dict[str, theme.Look], unit: str
) -> None:
    rates = {label: float(label.removesuffix(" fps")) for label in looks}
    tuned = f"{course.rate:g} fps"
    for label, rate in rates.items():
        curve = (
            one.curve(course if label == tuned else course.at(Clock(rate=rate)))
            if one.curve
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
                name,
                (x, y),
                xytext=(7, -11),
                textcoords="offset points",
                fontsize=8.5,
                color=theme.INK,
            )


def plot_feel_changes(sheet: FeelSheet, craft: str | None = None) -> Figure:
    """Draw what each variant does to the numbers of feel, at the rate it was tuned at.

    Numbers that a variant changes by more than is perceptible, as a percentage of those of the
    scenario as written.

    Raises
    ------
    UnknownNameError
        If there is no such craft.
    OptionError
        If nothing is varied.
    """
    expect(sheet, FeelSheet, "plot_feel_changes()", "make one with feel(scenario, vary={...})")
    if not sheet.written:
        raise OptionError("nothing is varied; feel(scenario, vary={...}) shows what a change does")
    name = _known(craft, sheet.craft, _most_changed(sheet))
    changes = changed_numbers(sheet, name)
    looks = theme.looks(
        [(_rank(n, len(sheet.variants)), one) for n, one in enumerate(sheet.variants)]
    )
    figure = theme.new_figure()
    ax = figure.subplots()
    shown = list(changes)[:MOST_CHANGED]
    longest = max((len(one) for one in shown), default=10)
    values = [1.0]
    for row, number in enumerate(shown):
        for variant, (share, text) in changes[number].items():
            if share is None:
                ax.text(1.005, row, f"{text}", transform=ax.get_yaxis_transform(), fontsize=8)
                continue
            values.append(share)
            look = looks[variant]
            ax.plot([1.0, share], [row, row], color=theme.FAINT, linewidth=1, zorder=1)
            ax.plot([share], [row], color=look.colour, marker=look.marker, markersize=7)
    ax.axvline(1.0, color=theme.INK, linewidth=1)
    ax.set_xscale("log", base=2)
    low, high = min([0.8, *values]) / 1.1, max([1.25, *values]) * 1.1
    ax.set_xlim(low, high)
    ticks = np.array([0.125, 0.25, 0.5, 0.7, 0.85, 1.0, 1.2, 1.5, 2.0, 4.0, 8.0])
    ax.xaxis.set_major_locator(FixedLocator(ticks[(ticks >= low) & (ticks <= high)].tolist()))
    ax.xaxis.set_minor_locator(NullLocator())
    ax.xaxis.set_major_formatter(FuncFormatter(lambda share, _at: f"{100 * share:.0f}%"))
    ax.set_yticks(range(len(shown)), shown)
    ax.set_ylim(len(shown) - 0.5, -0.5)
    theme.dress(ax, "", f"of the scenario as written, at {sheet.tuned_at:g} fps", "")
    if not shown:
        ax.text(0.5, 0.5, "no number changes perceptibly", transform=ax.transAxes, ha="center")
    more = len(changes) - len(shown)
    title = f"{sheet.title or 'Feel'}: what the changes do to the feel of {name}"
    title += f" ({more} more numbers change)" if more > 0 else ""
    theme.finish(
        figure, title, theme.clock_handles(looks), left=0.02 + 0.0058 * longest, right=0.93
    )
    return figure


def changed_numbers(sheet: FeelSheet, craft: str) -> dict[str, dict[str, tuple[float | None, str]]]:
    """Return for each number that a variant changes perceptibly its share of the written one.

    None where one of the two is no number; the text then says which.  The largest change first.
    """
    found: dict[str, dict[str, tuple[float | None, str]]] = {}
    for row in sheet.rows:
        before = sheet.written.get((row.craft, row.manoeuvre, row.metric))
        if row.craft != craft or before is None:
            continue
        name = f"{row.metric.name} ({said(before, row.metric.unit, sheet.unit)})"
        now = row.tuned
        if not sheet.perceptible.differ(row.metric, now, before, sheet.tuned_at):
            continue
        share = None if now.said or before.said or before.value == 0.0 else now.value / before.value
        text = said(now, row.metric.unit, sheet.unit) if share is None or share <= 0 else ""
        found.setdefault(name, {})[row.variant] = (
            share if share is not None and share > 0 else None,
            text or figures(now.value),
        )

    def most(one: dict[str, tuple[float | None, str]]) -> float:
        changes: list[float] = [
            math.inf if share is None else abs(math.log(share)) for share, _text in one.values()
        ]
        return max(changes)

    return dict(sorted(found.items(), key=lambda item: -most(item[1])))


def _rank(number: int, count: int) -> float:
    share = number / max(count - 1, 1)
    return float(theme.SLOWEST * (theme.FASTEST / theme.SLOWEST) ** share)


def _known(asked: str | None, known: Sequence[str], usual: str | None = None) -> str:
    if asked is not None and asked not in known:
        raise UnknownNameError(f"the sheet has no '{asked}'{nearest(asked, known)}")
    return asked if asked is not None else usual or known[0]


def _most_told(sheet: FeelSheet) -> str:
    """Return the craft with most numbers that differ; of alike ones that with most numbers."""

    def told(craft: str) -> int:
        return sum(1 + row.differs for row in sheet.rows if row.craft == craft)

    return max(sheet.craft, key=told)


def _most_changed(sheet: FeelSheet) -> str:
    def changed(craft: str) -> int:
        return len(changed_numbers(sheet, craft))

    return max(sheet.craft, key=changed)
