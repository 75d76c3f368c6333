"""The style of all pictures.

* A frame rate has one colour and one marker in all pictures of a comparison: the higher the rate,
  the darker, on a scale that can be ordered without seeing hues; markers distinguish rates
  where colours cannot.  The reference of a run is a broad pale band in every variant.
* A panel for each variant where paths would coincide; else one line style for each.
* Titles are above, legends beneath, in reserved room; neither overlaps a panel.
* Axes of the caller get only the drawing: no title of the figure, and a legend only on request.
* Lengths are in the arena's unit, times in s, and every axis has its unit.
"""

import math
import textwrap
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any, cast

from matplotlib import colormaps
from matplotlib.artist import Artist
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.ticker import AutoLocator, MaxNLocator
from matplotlib.transforms import ScaledTranslation

from tinrocket.errors import FileError, expect
from tinrocket.files import as_path, replacing
from tinrocket.texts import printable

SIZE = (12.8, 8.0)
"""Inches; at DPI this is 1280 x 800."""
DPI = 100
WIDTH, HEIGHT = SIZE[0] * DPI, SIZE[1] * DPI

LEGEND_HANDLE, LEGEND_LETTER, LEGEND_LINE = 60.0, 6.6, 21.0
"""Approximate width of a legend's entry, without text and per letter, and height of its line
[pixels]."""
TITLE_LETTERS, TITLE_LINE = 118, 25.0
"""Letters that fit into a line of a title, and the height of that [pixels]."""
MOST_TICKS = 6
"""Most parts into which ticks divide an axis."""
XLABEL, YLABEL = -0.27, -0.52
"""Distance of the axes' labels, beneath and beside them [inches]."""
PANEL_LETTERS = 138
"""Letters of panels' titles that fit side by side."""
MOST_IN_SPARE = 13
"""Entries of a legend that fit into a panel that is left over."""
LABEL_LETTERS = 60
"""Letters of a legend's entry before it takes another line."""

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
MARKERS = ("o", "s", "^", "D", "v", "P", "X", "<", ">", "p")
MARK_EVERY = 0.09
"""Distance between two markers on a line, as a share of the picture's diagonal."""
FORMATS = (".png", ".svg", ".pdf")

SLOWEST, FASTEST = 20.0, 360.0
APART = 0.18
"""Smallest distance of the colours of neighbouring rates on the scale, if there is room."""

Colour = tuple[float, float, float, float]


@dataclass(frozen=True, slots=True)
class Look:
    """Style of a clock in all pictures of a comparison."""

    colour: Colour
    marker: str


def looks(clocks: Iterable[tuple[float, str]]) -> dict[str, Look]:
    """Return the style of each clock, given as (rate, label).

    Colours follow the rate, and are spread where they would look alike.
    """
    listed = list(dict.fromkeys(clocks))
    rates = sorted({rate for rate, _label in listed})
    places = [_place(rate) for rate in rates]
    gap = min(APART, 1.0 / max(len(rates) - 1, 1))
    for n in range(1, len(places)):
        places[n] = max(places[n], places[n - 1] + gap)
    for n in reversed(range(len(places))):
        places[n] = min(places[n], 1.0 - (len(places) - 1 - n) * gap)
    colour = {rate: on_scale(place) for rate, place in zip(rates, places, strict=True)}
    return {
        label: Look(colour[rate], MARKERS[n % len(MARKERS)])
        for n, (rate, label) in enumerate(listed)
    }


def variant_looks(variants: Sequence[str]) -> dict[str, Look]:
    """Return the style of each variant, where colours distinguish variants, not rates."""
    span, last = math.log(FASTEST / SLOWEST), max(len(variants) - 1, 1)
    return looks(
        (SLOWEST * math.exp(n / last * span), variant) for n, variant in enumerate(variants)
    )


def _place(rate: float) -> float:
    place = math.log(max(rate, 1.0) / SLOWEST) / math.log(FASTEST / SLOWEST)
    return min(max(place, 0.0), 1.0)


def on_scale(place: float) -> Colour:
    """Return a colour of the scale without its pale end, which is unreadable on white."""
    red, green, blue, alpha = colormaps["inferno_r"](0.27 + 0.63 * place)
    return red, green, blue, alpha


def new_figure() -> Figure:
    """Return an empty figure of the common size; `finish` makes room around it."""
    return Figure(figsize=SIZE, dpi=DPI)


def canvas(ax: Axes | None) -> tuple[Figure, Axes]:
    """Return the Axes to draw into: the given one, or that of a new figure."""
    if ax is None:
        figure = new_figure()
        return figure, figure.subplots()
    return cast("Figure", ax.get_figure(root=True)), ax


@dataclass(frozen=True, slots=True)
class Panels:
    """Axes side by side and beneath each other, and one that is left over, if any."""

    axes: list[Axes]
    columns: int
    spare: Axes | None

    def label_outer(self) -> None:
        """Leave labels to the first panel of each row and the last of each column."""
        for number, ax in enumerate(self.axes):
            if number % self.columns:
                ax.set_ylabel("")
                ax.tick_params(labelleft=False)
            if number + self.columns < len(self.axes):
                ax.set_xlabel("")
            ax.tick_params(labelbottom=number + self.columns >= len(self.axes))


def panels(figure: Figure, count: int, aspect: float, **options: Any) -> Panels:
    """Return Axes for a number of panels, in as many columns as make them largest.

    Parameters
    ----------
    aspect
        Width over height of a panel's content.
    """

    def size(columns: int) -> float:
        rows = -(-count // columns)
        return min(1100.0 / columns, aspect * 620.0 / rows)

    columns = max(range(1, min(count, 4) + 1), key=lambda n: (size(n), -n))
    rows = -(-count // columns)
    axes = figure.subplots(rows, columns, squeeze=False, **options).ravel().tolist()
    for spare in axes[count:]:
        spare.set_axis_off()
    return Panels(axes[:count], columns, axes[count] if len(axes) > count else None)


def finish(
    figure: Figure,
    title: str,
    handles: Sequence[Artist],
    spare: Axes | None = None,
    **spaces: float,
) -> None:
    """Write title and legend of a figure, and leave as much room for them as they take.

    The legend goes into an unused panel, if there is one, else beneath all.
    Having Matplotlib search for a layout takes as long as drawing, so widths are estimated.
    """
    lines = textwrap.wrap(title, TITLE_LETTERS)
    titles = [ax.get_title(loc="left") for ax in figure.axes]
    above = max((text.count("\n") + 1 for text in titles if text), default=0)
    shown = literal("\n".join(lines))
    figure.suptitle(shown, x=0.012, y=0.987, ha="left", va="top", color=INK, fontsize=13)
    rows = 0.0
    if spare is not None and len(handles) <= MOST_IN_SPARE:
        spare.legend(
            handles=list(handles),
            loc="center",
            frameon=False,
            fontsize=10.5,
            labelcolor=INK,
            labelspacing=0.75,
        )
    elif handles:
        for handle in handles:
            handle.set_label("\n".join(textwrap.wrap(str(handle.get_label()), LABEL_LETTERS)))
        texts = [str(handle.get_label()).split("\n") for handle in handles]
        longest = max(len(line) for text in texts for line in text)
        fit = int((WIDTH - 20.0) / (LEGEND_HANDLE + LEGEND_LETTER * longest))
        columns = min(max(fit, 1), len(handles), 7)
        rows = -(-len(handles) // columns) * max(len(text) for text in texts)
        columns = -(-len(handles) // -(-len(handles) // columns))  # as even as they can be
        figure.legend(
            handles=list(handles),
            loc="lower center",
            ncols=columns,
            frameon=False,
            fontsize=10,
            labelcolor=INK,
            borderaxespad=0.3,
        )
    room: dict[str, float] = {
        "left": 0.07,
        "right": 0.985,
        "top": 1.0 - (len(lines) * TITLE_LINE + 14.0 + 18.0 * max(above, 1)) / HEIGHT,
        "bottom": (rows * LEGEND_LINE + 62.0) / HEIGHT,
        "wspace": 0.16,
        "hspace": 0.3 + 0.06 * max(above - 1, 0),
    }
    figure.subplots_adjust(**room | spaces)


def literal(text: str) -> str:
    """Return a text without formulas and unprintable characters; idempotent."""
    lines = text.replace(r"\$", "$").split("\n")
    return "\n".join(map(printable, lines)).replace("$", r"\$")


def name_rows(ax: Axes, places: Sequence[float], names: Iterable[str]) -> None:
    """Write the names of rows beside them."""
    ax.set_yticks(places, list(map(literal, names)))


def title_lines(title: str, columns: int) -> str:
    """Return the title of a panel in lines that fit the width of a column."""
    return "\n".join(textwrap.wrap(title, max(PANEL_LETTERS // columns, 12)))


def dress(ax: Axes, title: str = "", xlabel: str = "", ylabel: str = "", columns: int = 2) -> None:
    """Set labels and the common frame of an Axes. Its title is wrapped to the width of a column."""
    if title:
        lines = title_lines(title, columns)
        ax.set_title(literal(lines), loc="left", color=INK, fontsize=11, pad=5)
    ax.set_xlabel(literal(xlabel), color=INK)
    ax.set_ylabel(literal(ylabel), color=INK)
    # at a fixed distance: measuring the tick labels takes a fifth of the drawing time
    scale = cast("Figure", ax.get_figure(root=True)).dpi_scale_trans
    beneath, beside = ScaledTranslation(0, XLABEL, scale), ScaledTranslation(YLABEL, 0, scale)
    ax.xaxis.set_label_coords(0.5, 0.0, transform=ax.transAxes + beneath)
    ax.yaxis.set_label_coords(0.0, 0.5, transform=ax.transAxes + beside)
    for axis in (ax.xaxis, ax.yaxis):  # each tick takes as long to draw as a line
        if isinstance(axis.get_major_locator(), AutoLocator):
            axis.set_major_locator(MaxNLocator(MOST_TICKS, steps=[1, 2, 5, 10]))
    ax.tick_params(colors=INK, labelsize=9)
    for name, spine in ax.spines.items():
        spine.set_color(FAINT)
        spine.set_visible(name in ("left", "bottom"))
    ax.grid(visible=True, color="#e9e9ee", linewidth=0.8)
    ax.set_axisbelow(True)


def own_legend(ax: Axes, handles: Sequence[Artist], *, requested: bool) -> None:
    """Write a legend into Axes that the caller has given, if requested."""
    if requested:
        ax.legend(handles=list(handles), frameon=False, fontsize=8, labelcolor=INK)


def reference_handle(label: str) -> Line2D:
    """Return the legend entry of the broad band that a reference is drawn as."""
    return Line2D([], [], color=REFERENCE, linewidth=7, solid_capstyle="butt", label=literal(label))


def mark_handle(marker: str, label: str, **style: Any) -> Line2D:
    """Return the legend entry of a mark."""
    return Line2D(
        [], [], **{"color": INK, "linestyle": "", "marker": marker, "label": literal(label)} | style
    )


def clock_handles(shown: dict[str, Look]) -> list[Line2D]:
    """Return a legend entry for each clock."""
    return [
        Line2D(
            [],
            [],
            color=look.colour,
            linewidth=2,
            label=literal(label),
            marker=look.marker,
            markersize=5,
        )
        for label, look in shown.items()
    ]


def variant_styles(variants: Sequence[str]) -> dict[str, Any]:
    """Return the line style of each variant."""
    return {name: STYLES[i % len(STYLES)] for i, name in enumerate(variants)}


def style_handles(variants: Sequence[str]) -> list[Line2D]:
    """Return a legend entry for each variant's line style, if there are several."""
    if len(variants) < 2:
        return []
    return [
        Line2D([], [], color=INK, linewidth=1.6, linestyle=style, label=literal(name))
        for name, style in variant_styles(variants).items()
    ]


def nice_step(span: float, most: int) -> float:
    """Return the shortest of 1, 2, 5, 10, ... that divides a span into at most so many parts."""
    if not span > 0.0:
        return 1.0
    power = 10.0 ** math.floor(math.log10(span / most))
    return next(power * factor for factor in (1, 2, 5, 10) if span / (power * factor) <= most)


def save_figure(figure: Figure, path: Path | str) -> Path:
    """Write a figure as PNG, SVG or PDF, by the ending of `path`.

    Raises
    ------
    FileError
        If the ending is another one or the file cannot be written.
    """
    expect(figure, Figure, "save_figure()", "draw one with plot_path(flight)")
    path = as_path(path)
    if path.suffix.lower() not in FORMATS:
        raise FileError(f"{path}: a picture's file must end in {', '.join(FORMATS)}")
    form = path.suffix[1:].lower()
    options: dict[str, Any] = {"format": form, "facecolor": "white"}
    if form == "png":  # a sixth more bytes in two thirds of the time
        options["pil_kwargs"] = {"compress_level": 1}
    with replacing(path) as temporary:
        figure.savefig(temporary, **options)
    return path
