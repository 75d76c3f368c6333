"""Which pictures of a comparison say anything; known without the plotting library."""

from tinrocket.analysis.comparison import Comparison

NAMES = ("series", "paths", "timeline", "drift", "variants")
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
    return [name for name in NAMES if name not in silent]
