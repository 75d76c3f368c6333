"""Results in notebooks: as sentences, and as HTML with table and picture."""

import base64
import html
import io

from matplotlib.figure import Figure

from tinrocket.comparison.comparison import Comparison
from tinrocket.comparison.verdicts import verdict_lines
from tinrocket.feel_metrics.sheet import FeelSheet
from tinrocket.rendering import as_html, as_text
from tinrocket.show.feel_numbers import plot_feel
from tinrocket.show.feel_table import feel_lines
from tinrocket.show.paths import plot_path
from tinrocket.show.pictures import PICTURES, first_picture
from tinrocket.show.why import plot_causes, plot_cures
from tinrocket.show.why_table import alternative_lines, cure_lines, why_lines
from tinrocket.trajectory.trajectory import Trajectory
from tinrocket.why.cures import Cures
from tinrocket.why.explain import Causes


@as_html.register
def comparison_html(comparison: Comparison) -> str:
    """Return a comparison: its sentences, its table and its paths, or their drift."""
    table = comparison.table.to_html(index=False, float_format="{:.2f}".format, na_rep="", border=0)
    picture = PICTURES[first_picture(comparison)].draw(comparison)
    return _paragraphs(verdict_lines(comparison)) + table + _picture(picture)


@as_html.register
def trajectory_html(flight: Trajectory) -> str:
    """Return a flight: its last state, and its path."""
    return _paragraphs(str(flight).splitlines()) + _picture(plot_path(flight))


@as_html.register
def feel_html(sheet: FeelSheet) -> str:
    """Return a feel sheet: its sentences, its table, and its numbers by frame rate."""
    shown = ["craft", "manoeuvre", "metric", "clock", "value", "note", "unit", "change_percent"]
    rows = sheet.table[shown].sort_values("change_percent", key=abs, ascending=False)
    table = rows.to_html(index=False, float_format="{:.3g}".format, na_rep="", border=0)
    return _paragraphs(feel_lines(sheet)) + table + _picture(plot_feel(sheet))


@as_html.register
def causes_html(causes: Causes) -> str:
    """Return causes: their sentences, and the shares."""
    return _paragraphs(why_lines(causes)) + _picture(plot_causes(causes))


@as_html.register
def cures_html(cures: Cures) -> str:
    """Return cures as HTML: the recommendation and the table of effects and costs."""
    table = cures.table.to_html(index=False, float_format="{:.2f}".format, na_rep="", border=0)
    return (
        _paragraphs([*cure_lines(cures), *alternative_lines(cures)])
        + table
        + _picture(plot_cures(cures))
    )


@as_text.register
def causes_text(causes: Causes) -> str:
    """Return causes in sentences."""
    return "\n".join(why_lines(causes))


@as_text.register
def cures_text(cures: Cures) -> str:
    """Return cures in sentences."""
    return "\n".join([*cure_lines(cures), *alternative_lines(cures)])


def _paragraphs(lines: list[str]) -> str:
    return "".join(f"<p>{html.escape(line)}</p>" for line in lines)


def _picture(figure: Figure) -> str:
    written = io.BytesIO()
    figure.savefig(written, format="png", facecolor="white")
    data = base64.b64encode(written.getvalue()).decode("ascii")
    return f'<img width="800" alt="picture" src="data:image/png;base64,{data}">'
