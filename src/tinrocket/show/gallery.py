"""The pictures of a comparison: which there are, and what they answer."""

from collections.abc import Callable, Sequence
from pathlib import Path

from matplotlib.figure import Figure

from tinrocket.analysis.comparison import Comparison
from tinrocket.show.drifts import plot_drift
from tinrocket.show.paths import plot_paths
from tinrocket.show.series import plot_series
from tinrocket.show.theme import save_figure
from tinrocket.show.timeline import plot_timeline
from tinrocket.show.variants import plot_variants

PICTURES: dict[str, Callable[[Comparison], Figure]] = {
    "series": plot_series,
    "paths": plot_paths,
    "timeline": plot_timeline,
    "drift": plot_drift,
    "variants": plot_variants,
}
"""From the one that takes longest to draw to the quickest."""


def pictures_of(comparison: Comparison) -> list[str]:
    """Return the names of the pictures that say anything of a comparison."""
    silent = set()
    if not comparison.changes_tuned:
        silent.add("variants")
    if not any(drift for run in comparison.runs for drift in run.drifts.values()):
        silent.add("drift")
    if not any(run.matched["t"].size for run in comparison.runs):
        silent.add("timeline")
    return [name for name in PICTURES if name not in silent]


def draw(comparison: Comparison, names: Sequence[str], folder: Path) -> None:
    """Draw some pictures of a comparison into a folder, as PNG."""
    for name in names:
        save_figure(PICTURES[name](comparison), folder / f"{name}.png")
