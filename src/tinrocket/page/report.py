"""The report of a page: verdict, figures, causes and cures, the feel sheet, and their numbers."""

import io
import warnings
from collections.abc import Sequence
from pathlib import Path

from tinrocket.comparison.comparison import Comparison
from tinrocket.comparison.verdicts import AGREES, verdict_lines
from tinrocket.errors import expect
from tinrocket.feel_metrics.sheet import FeelSheet
from tinrocket.files import write_text
from tinrocket.page.blobs import packed
from tinrocket.page.document import document
from tinrocket.page.page_data import page_data
from tinrocket.page.tables import (
    code_html,
    frame_html,
    paragraphs,
    rendered,
    table_html,
    text_html,
)
from tinrocket.show.feel_table import feel_table
from tinrocket.show.pictures import PICTURES, first_picture, pictures_of
from tinrocket.show.tables import drift_table
from tinrocket.show.why_table import (
    alternative_lines,
    cure_lines,
    cure_table,
    verdict_line,
    why_lines,
)
from tinrocket.why.cures import Cures
from tinrocket.why.explain import Causes

ALTERNATIVES = {
    "series": "place, heading and speed over time, a line for each run",
    "paths": "paths of all runs in the arena, marked at equal times",
    "timeline": "events of each run over time, the ones that differ marked",
    "drift": "distance of each run from its reference over time",
    "variants": "what the changed numbers do at the tuned rate",
}
"""Text alternative of each picture."""


def write_report(
    comparison: Comparison,
    path: Path | str,
    *,
    causes: Sequence[Causes] = (),
    cures: Cures | None = None,
    sheet: FeelSheet | None = None,
    file: str = "",
    plays: bool = True,
) -> Path:
    """Write a comparison as one HTML page that replays its runs, and lets one fly the scenario.

    The page needs no network and no other file.

    Parameters
    ----------
    comparison
        Comparison to report and replay.
    path
        The file to write.
    causes, cures
        Causes and cures of its drift, if known.
    sheet
        Feel metrics at each rate.
    file
        Name of the scenario's file, for the commands that the page prints.
    plays
        Whether the scenario can be flown by hand in the page.

    Returns
    -------
    Path
        The written file.

    Raises
    ------
    FileError
        If it cannot be written.

    Examples
    --------
    >>> tr.write_report(tr.compare(tr.read_demo("rocket")), "report.html").name
    'report.html'
    """
    expect(comparison, Comparison, "write_report()", "make one with compare(scenario, [30, 60])")
    flights = [run.flight for run in comparison.runs]
    data = page_data(comparison.scenario, comparison, flights, file=file, plays=plays)
    good = all(verdict == AGREES for verdict in comparison.verdicts)
    lines = verdict_lines(comparison)
    look = "good" if good else "bad"
    data["verdict"] = f'<p class="verdict {look}" dir="auto">{text_html(lines[0])}</p>'
    sections = [
        _section("What differs", paragraphs(lines[1:]) + rendered(drift_table(comparison))),
        *([_why(causes, cures)] if causes and cures is not None else []),
        _figures(comparison, data["figures"]),
        *([_section("Feel", rendered(feel_table(sheet, width=200)))] if sheet is not None else []),
        _numbers(comparison),
    ]
    target = Path(path)
    write_text(target, document(data, "".join(sections)))
    return target


def _section(title: str, body: str) -> str:
    return f"<section><h2>{text_html(title)}</h2>{body}</section>"


def _why(causes: Sequence[Causes], cures: Cures) -> str:
    """Return the advice of `why`: the line to write first, then shares, then all cures tried."""
    body = paragraphs([verdict_line(causes)]) + code_html(cure_lines(cures))
    for explained in causes:
        what = "drifts" if explained.of == "drift" else f"differs in {explained.of}"
        body += f"<h3>{text_html(f'Why {explained.craft} {what}')}</h3>"
        body += code_html(why_lines(explained, partings=explained.of == "drift"))
    if cures.recommended is not None:
        body += f"<h3>Cures that were tried</h3>{table_html(cure_table(cures))}"
        body += paragraphs(alternative_lines(cures))
    return _section("Why, and what to write instead", body)


def _figures(comparison: Comparison, drawn: list[str]) -> str:
    """Return the pictures of a comparison, the most useful first.

    The drawings go into the page's data, compressed; the script puts them into the images.
    """
    names = pictures_of(comparison)
    first = first_picture(comparison)
    order = sorted(names, key=lambda name: name != first)
    verdict = verdict_lines(comparison)[0]
    drawn += [_image(comparison, name) for name in order]
    return _section(
        "Pictures",
        "".join(
            f'<figure><img data-figure="{number}" '
            f'alt="{text_html(f"{ALTERNATIVES[name]}. {verdict}")}">'
            f"<figcaption>{text_html(name)}: {text_html(ALTERNATIVES[name])}</figcaption></figure>"
            for number, name in enumerate(order)
        ),
    )


def _image(comparison: Comparison, name: str) -> str:
    """Return a picture as a compressed SVG."""
    text = io.BytesIO()
    with warnings.catch_warnings():
        warnings.filterwarnings("ignore", "Glyph", UserWarning)  # a title may hold any character
        PICTURES[name].draw(comparison).savefig(text, format="svg", facecolor="white")
    return packed(text.getvalue())


def _numbers(comparison: Comparison) -> str:
    tables = [("Every run and craft", comparison.table)]
    for run in comparison.runs:
        which = f"{run.variant}, {run.clock}" if run.variant else run.clock
        if run.matched["t"].size:
            tables.append((f"Outcomes at {which}", run.outcomes))
    body = "".join(
        f"<details><summary>{text_html(title)}</summary>{frame_html(table)}</details>"
        for title, table in tables
    )
    return _section("The numbers behind it", body)
