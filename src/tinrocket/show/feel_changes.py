"""Changes of the feel metrics by variants of a scenario."""

import math

import numpy as np
from matplotlib.figure import Figure
from matplotlib.ticker import FixedLocator, FuncFormatter, NullLocator

from tinrocket.errors import OptionError, expect
from tinrocket.feel_metrics.sheet import FeelSheet
from tinrocket.show import theme
from tinrocket.show.feel_table import figures, formatted

MOST_CHANGED = 22
"""Most metrics in a picture of changes."""


def plot_feel_changes(sheet: FeelSheet, craft: str | None = None) -> Figure:
    """Draw the changes of feel metrics by each variant, at the tuned rate.

    Metrics that a variant changes perceptibly, as a percentage of those of the scenario as written.

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
    name = sheet.whose(craft or _most_changed(sheet))
    changes = changed_numbers(sheet, name)
    looks = theme.variant_looks(sheet.variants)
    figure = theme.new_figure()
    ax = figure.subplots()
    shown = list(changes)[:MOST_CHANGED]
    longest = max((len(metric) for metric in shown), default=10)
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
    theme.name_rows(ax, range(len(shown)), shown)
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

    None if one of the two is missing; the text then names it.  The largest change first.
    """
    shares: dict[str, dict[str, tuple[float | None, str]]] = {}
    for row in sheet.rows:
        before = sheet.written.get((row.craft, row.manoeuvre, row.metric))
        if row.craft != craft or before is None:
            continue
        name = f"{row.metric.name} ({formatted(before, row.metric.unit, sheet.unit)})"
        now = row.tuned
        if not sheet.perceptible.differ(row.metric, now, before, sheet.tuned_at):
            continue
        share = None if now.note or before.note or before.value == 0.0 else now.value / before.value
        text = formatted(now, row.metric.unit, sheet.unit) if share is None or share <= 0 else ""
        shares.setdefault(name, {})[row.variant] = (
            share if share is not None and share > 0 else None,
            text or figures(now.value),
        )

    def most(answers: dict[str, tuple[float | None, str]]) -> float:
        changes: list[float] = [
            math.inf if share is None else abs(math.log(share)) for share, _text in answers.values()
        ]
        return max(changes)

    return dict(sorted(shares.items(), key=lambda item: -most(item[1])))


def _most_changed(sheet: FeelSheet) -> str:
    def changed(craft: str) -> int:
        return len(changed_numbers(sheet, craft))

    return max(sheet.craft, key=changed)
