"""Wants beside the values reached, as a table in a terminal."""

from rich.table import Table
from rich.text import Text

from tinrocket.feel_metrics.answers import Answer
from tinrocket.show.feel_table import figures
from tinrocket.tuning.solution import Solution


def solution_table(solution: Solution) -> Table:
    """Return a row for each want and rate: before, reached, with rounded numbers, and the miss."""
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0))
    rates = {row.rate for row in solution.reached}
    table.add_column("want", overflow="fold")
    if len(rates) > 1:
        table.add_column("fps", justify="right")
    for name in ("before", "reached", "rounded", "miss"):
        table.add_column(name, justify="right")
    for reached in solution.reached:
        cells = [Text(reached.want.text)]
        if len(rates) > 1:
            cells.append(Text(f"{reached.rate:g}"))
        miss = "met" if abs(reached.miss) <= 1e-3 else f"{100.0 * reached.miss:+.2g} %"
        cells += [
            Text(_shown(answer)) for answer in (reached.before, reached.exact, reached.rounded)
        ]
        table.add_row(*cells, Text(miss if not reached.exact.note else reached.exact.note))
    return table


def _shown(answer: Answer) -> str:
    return answer.note or figures(answer.value)
