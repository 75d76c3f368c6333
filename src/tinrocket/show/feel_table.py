"""The printed feel sheet: each metric as tuned, at each frame rate, and its change."""

import math
from collections.abc import Sequence

from rich.console import Group
from rich.table import Table
from rich.text import Text

from tinrocket.comparison.comparison import AS_WRITTEN
from tinrocket.feel_metrics.answers import Answer
from tinrocket.feel_metrics.sheet import FeelRow, FeelSheet, shown_unit

NAME, NUMBER, CHANGED, SPANNED = 26, 14, 18, 20
"""Widths of the columns."""


def feel_table(sheet: FeelSheet, width: int = 80) -> Group:
    """Return the sheet: a table for each variant and craft, the worst change first.

    As many clocks as fit are side by side; further ones follow below.
    """
    changed = SPANNED if sheet.uneven else CHANGED
    fit = max((width - NAME - NUMBER) // (changed + 1), 1)
    blocks: list[Text | Table] = []
    for variant in sheet.variants:
        if len(sheet.variants) > 1:
            blocks.append(Text(f"{variant}", "bold"))
        for craft in sheet.craft:
            rows = [row for row in sheet.rows if (row.variant, row.craft) == (variant, craft)]
            clocks = _worth_telling(sheet, rows)
            blocks += [
                _table(sheet, craft, rows, clocks[begin : begin + fit])
                for begin in range(0, len(clocks), fit)
            ]
    return Group(*blocks)


def feel_lines(sheet: FeelSheet) -> list[str]:
    """Return the summary of the sheet."""
    numbers = len({(row.variant, row.craft, row.metric.name) for row in sheet.rows})
    judged = sheet.perceptible
    apart = (
        f"{judged.share:.0%}, {judged.frames:g} frame, {judged.pixels:g} {sheet.unit}, "
        f"{judged.degrees:g} degrees or {judged.percent:g} points, whichever is more"
    )
    changed = {(row.variant, row.craft, row.metric.name) for row in sheet.differing}
    lines = [
        f"{len(changed)} of {numbers} feel metrics differ from those tuned at "
        f"{sheet.tuned_at:g} fps by more than {apart}."
        if changed
        else f"All {numbers} feel metrics are those tuned at {sheet.tuned_at:g} fps, within "
        f"{apart}."
    ]
    if sheet.uneven:
        lines.append(f"Uneven frames: {sheet.uneven.describe()}; medians, and 5 to 95 % of them.")
    for (variant, clock), share in sheet.tape_differs.items():
        of = "" if variant == AS_WRITTEN else f"{variant}: "
        lines.append(f"{of}at {clock}, the tape has another outcome in {share:.0%} of the seeds.")
    return lines


def worst_lines(sheet: FeelSheet, most: int = 3) -> list[str]:
    """Return the metrics that differ most, a line each; only the worst of each manoeuvre."""
    seen: set[tuple[str, str]] = set()
    lines: list[str] = []
    for row in sheet.differing:
        key = row.craft, row.manoeuvre
        if key in seen:
            continue
        seen.add(key)
        of = f"{row.craft}: " if len(sheet.craft) > 1 else ""
        variant = "" if len(sheet.variants) == 1 else f"{row.variant}, "
        lines.append(
            f"{of}{row.metric.name} {formatted(row.answer, row.metric.unit, sheet.unit)} at "
            f"{variant}{row.clock}, tuned {formatted(row.tuned, row.metric.unit, sheet.unit)}"
        )
        if len(lines) == most:
            break
    return lines


def formatted(answer: Answer, unit: str, length: str) -> str:
    """Return an answer as text: three digits and the unit, or why there is none."""
    if answer.note:
        return answer.note
    shown = shown_unit(unit, length)
    return f"{figures(answer.value)}{' ' if shown and shown != '%' else ''}{shown}"


def figures(value: float) -> str:
    """Return a number with three figures, without an exponent."""
    if value == 0.0 or not math.isfinite(value):
        return "0" if value == 0.0 else str(value)
    digits = 2 - math.floor(math.log10(abs(value)))
    text = f"{value:.{max(digits, 0)}f}"
    return text.rstrip("0").rstrip(".") if digits > 0 else text


def _worth_telling(sheet: FeelSheet, rows: Sequence[FeelRow]) -> list[str]:
    """Return the clocks other than the tuned one."""
    clocks = dict.fromkeys(row.clock for row in rows)
    same = {
        clock
        for clock in clocks
        if all(
            row.answer == row.tuned and row.rate == sheet.tuned_at
            for row in rows
            if row.clock == clock
        )
    }
    return [clock for clock in clocks if clock not in same] or list(clocks)


def _table(sheet: FeelSheet, craft: str, rows: Sequence[FeelRow], clocks: Sequence[str]) -> Table:
    table = Table(box=None, padding=(0, 1, 0, 0), pad_edge=False)
    table.add_column(Text(craft), width=NAME, no_wrap=True)
    table.add_column(Text(f"tuned, {sheet.tuned_at:g} fps"), width=NUMBER, justify="right")
    for clock in clocks:
        head = clock.removesuffix(f", {sheet.uneven.describe()}") if sheet.uneven else clock
        table.add_column(Text(head), width=SPANNED if sheet.uneven else CHANGED, justify="right")
    groups: dict[str, dict[str, dict[str, FeelRow]]] = {}
    for row in rows:
        groups.setdefault(row.manoeuvre, {}).setdefault(row.metric.name, {})[row.clock] = row

    def worst(numbers: dict[str, FeelRow]) -> tuple[bool, float]:
        shown = [numbers[clock] for clock in clocks if clock in numbers]
        return max((row.differs, row.weight) for row in shown)

    order = sorted(groups, key=lambda name: max(map(worst, groups[name].values())), reverse=True)
    for manoeuvre in order:
        table.add_row(Text(manoeuvre, "bold"))
        for name, numbers in sorted(
            groups[manoeuvre].items(), key=lambda item: worst(item[1]), reverse=True
        ):
            first = next(iter(numbers.values()))
            unit = first.metric.unit
            table.add_row(
                Text(f"  {name}", overflow="ellipsis"),
                Text(formatted(first.tuned, unit, sheet.unit)),
                *(_cell(numbers.get(clock)) for clock in clocks),
            )
    return table


def _cell(row: FeelRow | None) -> Text:
    if row is None:
        return Text("–")
    style, mark = ("bold magenta", "*") if row.differs else ("", " ")
    if row.answer.note:
        return Text(f"{row.answer.note}{mark}", style)
    if math.isfinite(row.low) and row.high - row.low > 1e-9:
        span = f"{figures(row.low)}..{figures(row.high)}"
        return Text(f"{figures(row.answer.value)} {span}{mark}", style)
    change = "" if math.isnan(row.percent) else f" {change_of(row.percent)}"
    return Text(f"{figures(row.answer.value)}{change:>7}{mark}", style or "dim")


def change_of(percent: float) -> str:
    """Return a change in percent; none if it rounds to nothing."""
    if abs(percent) < 0.5:
        return ""
    return f"{percent:+.0f}%" if abs(percent) < 999.5 else f"x{percent / 100 + 1:.0f}"
