"""Printed tables and lines as HTML: the same contents as on a terminal, every text escaped."""

from collections.abc import Iterable, Sequence
from html import escape
from typing import Any

from rich.console import Group
from rich.table import Table
from rich.text import Text

from tinrocket.texts import printable


def text_html(text: object) -> str:
    """Return a text as HTML: escaped, with unprintable characters shown as codes."""
    return escape(printable(str(text).replace("\n", " ")), quote=True)


def paragraphs(lines: Iterable[str]) -> str:
    """Return lines as paragraphs."""
    return "".join(f"<p>{text_html(line.strip())}</p>" for line in lines if line.strip())


def code_html(lines: Sequence[str]) -> str:
    """Return lines of code as preformatted text."""
    return f"<pre>{escape(chr(10).join(map(printable, lines)))}</pre>"


def rendered(value: object) -> str:
    """Return the output of a command as HTML: tables as tables, everything else as paragraphs."""
    if isinstance(value, Group):
        return "".join(rendered(part) for part in value.renderables)
    if isinstance(value, Table):
        return table_html(value)
    plain = value.plain if isinstance(value, Text) else str(value)
    return paragraphs(plain.split("\n"))


def table_html(table: Table) -> str:
    """Return a printed table as HTML; its first column names the rows."""
    heads = [_plain(column.header) for column in table.columns]
    rows = list(zip(*(list(column.cells) for column in table.columns), strict=True))
    title = _plain(table.title) if table.title else ""
    return _table(heads, [[_plain(cell) for cell in row] for row in rows], title)


def frame_html(table: Any) -> str:
    """Return a data frame as HTML."""
    shown = table.map(lambda value: f"{value:.6g}" if isinstance(value, float) else str(value))
    return _table([str(name) for name in table.columns], shown.to_numpy().tolist(), "")


def _table(heads: Sequence[str], rows: Sequence[Sequence[str]], title: str) -> str:
    head = "".join(f'<th scope="col">{text_html(cell)}</th>' for cell in heads)
    body = "".join(
        f'<tr><th scope="row">{text_html(row[0])}</th>'
        + "".join(f"<td>{text_html(cell)}</td>" for cell in row[1:])
        + "</tr>"
        for row in rows
    )
    caption = f"<caption>{text_html(title)}</caption>" if title else ""
    scroll = '<div class="scroll" tabindex="0" role="region" aria-label="table">'
    head = f"<thead><tr>{head}</tr></thead>" if any(heads) else ""
    return f"{scroll}<table>{caption}{head}<tbody>{body}</tbody></table></div>"


def _plain(cell: object) -> str:
    if isinstance(cell, Text):
        return cell.plain
    return str(cell) if not isinstance(cell, str) else Text.from_markup(cell).plain
