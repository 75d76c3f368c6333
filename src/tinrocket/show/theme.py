"""How pictures look: one colour per frame rate everywhere, one line style per variant."""

import math
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any, cast

from matplotlib import colormaps
from matplotlib.artist import Artist
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.lines import Line2D

from tinrocket.errors import FileError
from tinrocket.files import replacing

SIZE = (12.8, 8.0)
"""Inches; at DPI this is 1280 x 800."""
DPI = 100

LEGEND_HANDLE, LEGEND_LETTER = 66.0, 6.4
"""About how wide an entry of a legend is, without its text and for each letter [pixels]."""

INK = "#2b2b33"
FAINT = "#b9b9c4"
REFERENCE = "#c9d3df"
STYLES: tuple[Any, ...] = (
    "-",
    (0, (5, 2)),
    (0, (1.2, 1.6)),
    (0, (6, 2, 1, 2)),
    (0, (3, 1, 1, 1, 1, 1)),
)
MARKERS = ("", "s", "D", "v", "P")
MARK_EVERY = 0.06
"""Distance between two markers on a line, as a share of the picture's diagonal."""
FORMATS = (".png", ".svg", ".pdf")

SLOWEST, FASTEST = 20.0, 360.0


def rate_colour(rate: float) -> tuple[float, float, float, float]:
    """Return the colour of a frame rate: the higher the rate, the darker.

    From a scale whose lightness falls steadily, so that it can be ordered without seeing
    hues; its pale end is left out, to stay readable on white.
    """
    place = math.log(max(rate, 1.0) / SLOWEST) / math.log(FASTEST / SLOWEST)
    red, green, blue, alpha = colormaps["inferno_r"](0.27 + 0.63 * min(max(place, 0.0), 1.0))
    return red, green, blue, alpha


def new_figure() -> Figure:
    """Return an empty figure of the size all pictures have, with room for title and legend.

    The margins are fixed, because having Matplotlib find them takes as long as drawing.
    """
    figure = Figure(figsize=SIZE, dpi=DPI)
    figure.subplots_adjust(left=0.07, right=0.98, top=0.92, bottom=0.14, wspace=0.16, hspace=0.24)
    return figure


def canvas(ax: Axes | None) -> tuple[Figure, Axes]:
    """Return where to draw: into a given Axes, or into the one of a new figure."""
    if ax is None:
        figure = new_figure()
        return figure, figure.subplots()
    return cast("Figure", ax.get_figure(root=True)), ax


def add_title(figure: Figure, title: str) -> None:
    """Write the title of a whole figure."""
    figure.suptitle(title, x=0.012, y=0.985, ha="left", va="top", color=INK, fontsize=13)


def add_legend(figure: Figure, handles: Sequence[Artist], columns: int = 4) -> None:
    """Write a figure's legend along its lower edge, in as many columns as fit."""
    longest = max((len(str(handle.get_label())) for handle in handles), default=0)
    fit = int(SIZE[0] * DPI / (LEGEND_HANDLE + LEGEND_LETTER * longest))
    figure.legend(
        handles=list(handles),
        loc="lower center",
        ncols=max(min(columns, fit), 1),
        frameon=False,
        fontsize=10,
        labelcolor=INK,
    )


def dress(ax: Axes, title: str = "", xlabel: str = "", ylabel: str = "") -> None:
    """Give an Axes its labels and the quiet frame all pictures have."""
    if title:
        ax.set_title(title, loc="left", color=INK, fontsize=11)
    ax.set_xlabel(xlabel, color=INK)
    ax.set_ylabel(ylabel, color=INK)
    ax.tick_params(colors=INK, labelsize=9)
    for name, spine in ax.spines.items():
        spine.set_color(FAINT)
        spine.set_visible(name in ("left", "bottom"))
    ax.grid(visible=True, color="#e9e9ee", linewidth=0.8)
    ax.set_axisbelow(True)


def reference_handle(label: str) -> Line2D:
    """Return the legend entry of the broad band that a reference is drawn as."""
    return Line2D([], [], color=REFERENCE, linewidth=7, solid_capstyle="butt", label=label)


def clock_markers(clocks: Iterable[tuple[float, str]]) -> dict[str, str]:
    """Return the marker of each clock, given as (rate, label).

    A rate has one colour, so clocks of the same rate are told apart by markers; the first
    of them has none.
    """
    seen: dict[float, int] = {}
    markers = {}
    for rate, label in dict.fromkeys(clocks):
        markers[label] = MARKERS[seen.get(rate, 0) % len(MARKERS)]
        seen[rate] = seen.get(rate, 0) + 1
    return markers


def rate_handles(clocks: Iterable[tuple[float, str]]) -> list[Line2D]:
    """Return a legend entry for each clock, given as (rate, label)."""
    listed = list(dict.fromkeys(clocks))
    markers = clock_markers(listed)
    return [
        Line2D(
            [],
            [],
            color=rate_colour(rate),
            linewidth=2,
            label=label,
            marker=markers[label],
            markersize=4,
        )
        for rate, label in listed
    ]


def variant_styles(variants: Sequence[str]) -> dict[str, Any]:
    """Return the line style of each variant."""
    return {name: STYLES[i % len(STYLES)] for i, name in enumerate(variants)}


def style_handles(variants: Sequence[str]) -> list[Line2D]:
    """Return a legend entry for each variant's line style, if there are several."""
    if len(variants) < 2:
        return []
    return [
        Line2D([], [], color=INK, linewidth=1.6, linestyle=style, label=name)
        for name, style in variant_styles(variants).items()
    ]


def save_figure(figure: Figure, path: Path | str) -> Path:
    """Write a figure as PNG, SVG or PDF, by the ending of `path`.

    Raises
    ------
    FileError
        If the ending is another one or the file cannot be written.
    """
    path = Path(path)
    if path.suffix.lower() not in FORMATS:
        raise FileError(f"{path}: a picture's file must end in {', '.join(FORMATS)}")
    form = path.suffix[1:].lower()
    options: dict[str, Any] = {"format": form, "facecolor": "white"}
    if form == "png":  # a sixth more bytes for a third less time
        options["pil_kwargs"] = {"compress_level": 1}
    with replacing(path) as temporary:
        figure.savefig(temporary, **options)
    return path
