"""The pictures of a comparison: how each is drawn."""

from collections.abc import Callable

from matplotlib.figure import Figure

from tinrocket.analysis.comparison import Comparison
from tinrocket.show.drifts import plot_drift
from tinrocket.show.paths import plot_paths
from tinrocket.show.series import plot_series
from tinrocket.show.timeline import plot_timeline
from tinrocket.show.variants import plot_variants

PICTURES: dict[str, Callable[[Comparison], Figure]] = {
    "series": plot_series,
    "paths": plot_paths,
    "timeline": plot_timeline,
    "drift": plot_drift,
    "variants": plot_variants,
}
"""As `choice` names them."""
