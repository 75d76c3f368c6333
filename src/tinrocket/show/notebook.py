"""What a notebook shows of a flight or a comparison: the words, the table and the paths."""

import base64
import html
import io

from matplotlib.figure import Figure

from tinrocket.analysis.comparison import Comparison
from tinrocket.analysis.trajectory import Trajectory
from tinrocket.analysis.verdicts import verdict_lines
from tinrocket.show.paths import plot_path, plot_paths


def comparison_html(comparison: Comparison) -> str:
    """Return a comparison: its sentences, its table and its paths."""
    table = comparison.table.to_html(index=False, float_format="{:.2f}".format, na_rep="", border=0)
    return _paragraphs(verdict_lines(comparison)) + table + _picture(plot_paths(comparison))


def trajectory_html(flight: Trajectory) -> str:
    """Return a flight: how it ended, and its path."""
    return _paragraphs(str(flight).splitlines()) + _picture(plot_path(flight))


def _paragraphs(lines: list[str]) -> str:
    return "".join(f"<p>{html.escape(line)}</p>" for line in lines)


def _picture(figure: Figure) -> str:
    written = io.BytesIO()
    figure.savefig(written, format="png", facecolor="white")
    data = base64.b64encode(written.getvalue()).decode("ascii")
    return f'<img width="800" alt="paths" src="data:image/png;base64,{data}">'
