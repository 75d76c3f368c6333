"""The pictures of a feel sheet."""

from collections.abc import Callable

from matplotlib.figure import Figure

from tinrocket.feel_metrics.sheet import FeelSheet
from tinrocket.show.feel_changes import plot_feel_changes
from tinrocket.show.feel_numbers import plot_feel
from tinrocket.show.manoeuvres import drawable, plot_manoeuvres


def feel_pictures(sheet: FeelSheet) -> dict[str, Callable[[], Figure]]:
    """Return the pictures of a sheet by their names."""
    pictures: dict[str, Callable[[], Figure]] = {"feel": lambda: plot_feel(sheet)}
    if drawable(sheet, sheet.whose()):
        pictures["manoeuvres"] = lambda: plot_manoeuvres(sheet)
    if sheet.written:
        pictures["feel-changes"] = lambda: plot_feel_changes(sheet)
    return pictures
