"""Pictures: what is drawn where, in which colour, and that a reader can tell what it is."""

from itertools import pairwise

import numpy as np
import pytest
from matplotlib.colors import to_rgb
from matplotlib.figure import Figure
from PIL import Image

import tinrocket as tr
from tinrocket.show.paths import broken_at_seams
from tinrocket.show.theme import rate_colour

from .conftest import MOVE, scenario


@pytest.fixture(scope="module")
def compared():
    vary = {"rocket.timing": ["frame", "exact"]}
    return tr.compare(tr.read_demo("rocket"), rates=[30, 144], vary=vary)


def texts(figure):
    legends = [*figure.legends, *(ax.get_legend() for ax in figure.axes if ax.get_legend())]
    words = [text.get_text() for legend in legends for text in legend.get_texts()]
    for ax in figure.axes:
        words += [ax.get_title(loc="left"), ax.get_xlabel(), ax.get_ylabel()]
    return {*words, figure.get_suptitle()}


def test_colours_are_ordered_by_lightness():
    """Higher rates are darker, by enough to tell, whatever the hues look like."""
    light = [
        np.dot([0.2126, 0.7152, 0.0722], np.power(to_rgb(rate_colour(rate)), 2.2))
        for rate in (24, 30, 60, 120, 144, 240)
    ]
    assert all(a - b > 0.008 for a, b in pairwise(light))
    assert light[0] < 0.45  # readable on white


def test_clocks_of_one_rate_are_told_apart_by_markers(compared):
    even, uneven = tr.Clock(rate=60), tr.Clock(rate=60, jitter=0.003)
    ax = Figure().subplots()
    tr.plot_drift(tr.compare(tr.read_demo("rocket"), clocks=[even, uneven]), ax=ax)
    plain, marked = ax.get_lines()[:2]
    assert plain.get_color() == marked.get_color()
    assert (plain.get_marker(), marked.get_marker()) == ("", "s")


@pytest.mark.parametrize(
    ("draw", "wanted"),
    [
        (tr.plot_paths, {"x [px]", "y [px]", "30 fps", "144 fps", "every 0.5 s", "edge: wrap"}),
        (tr.plot_series, {"speed [px/s]", "heading [deg]", "time [s]", "rocket.timing=exact"}),
        (tr.plot_drift, {"time [s]", "distance from the reference [px]", "within 2 px: agrees"}),
        (lambda c: tr.plot_path(c.runs[0].flight), {"x [px]", "30 fps", "start and heading"}),
        (lambda c: tr.plot_series(c.runs[0].flight), {"x [px]", "time [s]", "30 fps"}),
    ],
)
def test_figures_say_what_they_show(compared, draw, wanted):
    figure = draw(compared)
    assert wanted <= texts(figure)
    assert any("Tin rocket over the workbench" in text for text in texts(figure))


def test_lines_are_the_data(compared):
    ax = Figure().subplots()
    tr.plot_drift(compared, ax=ax)
    lines = ax.get_lines()
    for run, line in zip(compared.runs, lines, strict=False):
        np.testing.assert_array_equal(line.get_ydata(), run.drifts["rocket"].distance)
        assert line.get_color() == rate_colour(run.rate)
    assert lines[0].get_linestyle() == lines[1].get_linestyle() != lines[2].get_linestyle()
    axes = list(Figure().subplots(5, 1))
    flight = compared.runs[0].flight
    tr.plot_series(flight, axes=axes)
    np.testing.assert_array_equal(axes[2].get_lines()[0].get_ydata(), flight.frames["speed"])
    assert [label.get_text() for label in axes[4].get_yticklabels()] == ["thrust", "right", "left"]
    panel = Figure().subplots()
    tr.plot_paths(compared, ax=panel, variant="rocket.timing=exact")
    assert panel.get_title(loc="left") == "rocket.timing=exact"
    assert panel.yaxis_inverted()


def test_paths_break_at_seams_and_meet_them():
    """Each piece of the path is straight on, and shifted by whole arena widths to the next."""
    bench = {"width": 100, "height": 80, "edges": "wrap"}
    one = scenario(MOVE, start={"x": 5, "y": 5, "vx": 137, "vy": -91}, arena=bench)
    flight = tr.simulate(one, rate=12)
    x, y = broken_at_seams(flight.frames, flight)
    gaps = np.flatnonzero(np.isnan(x))
    laps = flight.frames[["wraps_x", "wraps_y"]].diff().iloc[1:].any(axis=1)
    assert len(gaps) == laps.sum()
    for piece in np.split(np.arange(len(x)), gaps):
        inside = piece[~np.isnan(x[piece])]
        slope = np.diff(y[inside]) / np.diff(x[inside])
        np.testing.assert_allclose(slope, -91 / 137, rtol=1e-9)
    for gap in gaps:
        shift = np.array([x[gap - 1] - x[gap + 2], y[gap - 1] - y[gap + 2]]) / [100, 80]
        np.testing.assert_allclose(shift, shift.round(), atol=1e-9)
        assert np.abs(shift).max() == pytest.approx(1)


@pytest.mark.parametrize("ending", ["png", "svg", "pdf"])
def test_pictures_are_written_whole(compared, ending, tmp_path):
    path = tr.save_figure(tr.plot_drift(compared), tmp_path / f"drift.{ending}")
    assert path.read_bytes()[:4] in (b"\x89PNG", b"<?xm", b"%PDF")
    if ending == "png":
        with Image.open(path) as picture:
            assert picture.size == (1280, 800)
    assert list(tmp_path.iterdir()) == [path]
    with pytest.raises(tr.FileError, match=r"must end in .png, .svg, .pdf"):
        tr.save_figure(Figure(), tmp_path / "drift.bmp")
