"""Pictures: what is drawn where, in which colour, and that a reader can tell what it is."""

import base64
from functools import partial
from itertools import combinations, pairwise

import numpy as np
import pandas as pd
import pytest
from matplotlib.backends.backend_agg import FigureCanvasAgg
from matplotlib.colors import to_rgb
from matplotlib.figure import Figure
from PIL import Image

import tinrocket as tr
from tinrocket.show.lines import path_of
from tinrocket.show.pictures import PICTURES, first_picture, pictures_of
from tinrocket.show.scene import Scene
from tinrocket.show.theme import looks

from .conftest import MOVE, scenario, world


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
        np.dot([0.2126, 0.7152, 0.0722], np.power(to_rgb(look.colour), 2.2))
        for look in looks([(rate, f"{rate}") for rate in (24, 30, 60, 120, 144, 240)]).values()
    ]
    assert all(a - b > 0.008 for a, b in pairwise(light))
    assert light[0] < 0.45  # readable on white
    shown = looks([(rate, f"{rate}") for rate in (24, 30, 60, 90, 120, 144)])
    light = [np.dot([0.2126, 0.7152, 0.0722], to_rgb(look.colour)) for look in shown.values()]
    assert all(a - b > 0.05 for a, b in pairwise(light))
    assert len({look.marker for look in shown.values()}) == 6


@pytest.mark.parametrize("width", [60.0, 400.0, 1500.0, 4000.0])
def test_numbers_below_a_narrow_arena_do_not_collide(width):
    arena = {"width": width, "height": 4000, "edges": "bounce"}
    game = scenario(MOVE, start={"x": width / 2, "y": 90, "vx": 9, "vy": 800}, arena=arena)
    figure = tr.plot_paths(tr.compare(game, rates=[30]))
    figure.draw_without_rendering()
    labels = [tick.label1 for tick in figure.axes[0].xaxis.get_major_ticks()]
    low, high = sorted(figure.axes[0].get_xlim())
    shown = [text for text in labels if low <= text.get_position()[0] <= high]
    boxes = [text.get_window_extent() for text in shown]
    assert boxes
    assert all(left.x1 < right.x0 for left, right in pairwise(boxes))


def test_clocks_of_one_rate_have_different_markers(compared):
    even, uneven = tr.Clock(rate=60), tr.Clock(rate=60, jitter=0.003)
    ax = Figure().subplots()
    tr.plot_drift(tr.compare(tr.read_demo("rocket"), clocks=[even, uneven]), ax=ax)
    plain, marked = (line for line in ax.get_lines() if len(line.get_xdata()) > 2)
    assert plain.get_color() == marked.get_color()
    assert (plain.get_marker(), marked.get_marker()) == ("o", "s")


@pytest.mark.parametrize(
    ("draw", "wanted"),
    [
        (
            tr.plot_paths,
            {"x [px]", "y [px]", "30 fps", "144 fps", "ghost: every 1 s", "edge: wrap"},
        ),
        (tr.plot_series, {"speed [px/s]", "heading [deg]", "time [s]", "rocket.timing=exact"}),
        (tr.plot_drift, {"time [s]", "distance [px]", "within 2 px: agrees"}),
        (tr.plot_timeline, {"time [s]", "wrap", "hollow: missing", "crossed: extra"}),
        (tr.plot_variants, {"as written", "rocket.timing=exact", "speed [px/s]", "time [s]"}),
        (lambda c: tr.plot_path(c.runs[0].flight), {"x [px]", "30 fps", "start and heading"}),
        (lambda c: tr.plot_series(c.runs[0].flight), {"x [px]", "time [s]", "30 fps"}),
    ],
)
def test_figures_have_titles_axes_and_units(compared, draw, wanted):
    figure = draw(compared)
    assert wanted <= texts(figure)
    assert any("Tin rocket over the workbench" in text for text in texts(figure))


def crowd():
    """Three craft, four variants with long names and six rates."""
    data = tr.read_demo("rocket").model_dump(mode="json", exclude_none=True)
    (rocket,) = data["craft"]
    data["craft"] = [rocket | {"name": f"{metal} rocket"} for metal in ("tin", "brass", "copper")]
    vary = {"tin rocket.timing": ["frame", "exact"], "copper rocket.drag.half_life": [0.6, 1.5]}
    rates = [24, 30, 60, 90, 120, 144]
    return tr.compare(tr.Scenario.from_data(data | {"duration": 3.0}), rates, vary=vary)


@pytest.mark.slow
def test_no_labels_overlap_in_a_crowded_picture():
    """Boxes of the legend, the title, the panels with their labels and of panels' titles."""
    compared = crowd()
    for draw in (
        tr.plot_paths,
        tr.plot_timeline,
        tr.plot_series,
        tr.plot_drift,
        tr.plot_variants,
    ):
        figure = draw(compared)
        canvas = FigureCanvasAgg(figure)
        canvas.draw()
        paper = canvas.get_renderer()
        boxes = [part.get_window_extent(paper) for part in (*figure.legends, figure._suptitle)]
        titles = [ax.title if ax.get_title() else ax._left_title for ax in figure.axes]
        shown = [text.get_window_extent(paper) for text in titles if text.get_text()]
        panels = [ax.get_tightbbox(paper) for ax in figure.axes if ax.axison]
        for one, other in combinations(boxes, 2):
            assert not one.overlaps(other)
        for box in boxes:
            assert not any(box.overlaps(panel) for panel in panels)
            assert box.x0 >= 0
            assert box.x1 <= 1280
            assert box.y0 >= 0
            assert box.y1 <= 800
        for one, other in combinations(shown, 2):
            assert not one.overlaps(other)


@pytest.mark.parametrize("size", [4, 15])
def test_of_a_grid_the_most_divergent_members_are_drawn(size, cli, tmp_path):
    """Each bounces off another place at another time, so that each drifts otherwise."""
    top = {"name": "top", "start": {"x": 9, "y": 9, "vx": 130, "vy": 50}, "radius": 3}
    top |= {"grid": {"columns": size, "rows": size, "step": [30, 20]}, "rules": [MOVE]}
    game = world(top, arena={"width": 500, "height": 400, "edges": "bounce"}, timing="frame")
    compared = tr.compare(game, rates=[30, 144])
    far = [
        {
            name: tr.measure_drift(run.flight, run.reference, name).largest
            for name in run.flight.craft
        }
        for run in compared.runs
    ]
    most = [max(of_run.values()) for of_run in far]
    found = [run.drifts["top"].largest for run in compared.runs]
    assert found == pytest.approx(most, rel=1e-9)  # equal apart from rounding
    assert max(of_run[compared.most_parted] for of_run in far) == pytest.approx(max(most), rel=1e-9)
    line = tr.plot_drift(compared).axes[0].get_lines()[0]
    assert line.get_ydata() == pytest.approx(compared.runs[0].drifts["top"].distance)
    lines = tr.plot_paths(compared).axes[0].get_lines()
    paths = [
        drawn for drawn in lines if drawn.get_linestyle() == "-" and len(drawn.get_xdata()) > 9
    ]
    assert len(paths) <= min(4 * size**2, 4 * (120 / 2 + 2))
    tr.write_scenario(game, tmp_path / "tops.toml")
    cli("compare", str(tmp_path / "tops.toml"), "--rates", "30", "--out", str(tmp_path / "o"))
    assert (tmp_path / "o" / "drift.png").is_file()


def test_a_craft_that_never_appears_has_pictures(tmp_path):
    cork = {"name": "cork", "pool": 3, "radius": 3, "rules": [MOVE]}
    compared = tr.compare(world(cork), rates=[30, 144])
    for name in pictures_of(compared):
        tr.save_figure(PICTURES[name].draw(compared), tmp_path / f"{name}.png")
    assert {"series.png", "paths.png"} <= {path.name for path in tmp_path.iterdir()}


def test_names_that_look_like_formulas_are_shown_as_they_are(tmp_path):
    odd = r"a$^{$"
    rules = [{"rule": "drive", "right": "$_{ $", "left": "no", "speed": 90, "name": odd}, MOVE]
    top = {"name": odd, "start": {"x": 20, "y": 50}, "radius": 3, "rules": rules}
    other = top | {"name": "b$\\$", "start": {"x": 150, "y": 50, "vx": -50}, "rules": [MOVE]}
    bench = {"width": 300, "height": 99, "edges": "bounce", "unit": "$x"}
    tape = {"holds": {"$_{ $": [[0.1, 0.9]]}}
    contact = [{"between": [odd, "b$\\$"], "response": "bounce", "name": odd}]
    title = "costs $5^{ and $6_{ \0"
    game = world(top, other, arena=bench, tape=tape, contact=contact, title=title, timing="frame")
    compared = tr.compare(game, [30], vary={"timing": ["frame", "exact"]})
    sheet, causes = tr.feel(game, [30, 60]), tr.explain(game, [30])
    draw = {**{name: partial(PICTURES[name].draw, compared) for name in PICTURES}}
    draw |= {"path": partial(tr.plot_path, tr.simulate(game)), "feel": partial(tr.plot_feel, sheet)}
    draw |= {"manoeuvres": partial(tr.plot_manoeuvres, sheet)}
    draw |= {"causes": partial(tr.plot_causes, causes)}
    for name, drawn in draw.items():
        figure = drawn()
        tr.save_figure(figure, tmp_path / f"{name}.png")
        assert figure.get_suptitle().startswith(r"costs \$5^{ and \$6_{ \x00")


def test_lines_are_the_data(compared):
    ax = Figure().subplots()
    tr.plot_drift(compared, ax=ax)
    lines = [line for line in ax.get_lines() if len(line.get_xdata()) > 2]
    colours = {label: look.colour for label, look in looks(compared.clocks).items()}
    for run, line in zip(compared.runs, lines, strict=True):
        np.testing.assert_array_equal(line.get_ydata(), run.drifts["rocket"].distance)
        assert line.get_color() == colours[run.clock]
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


def test_axes_of_the_caller_are_left_alone(compared):
    """No title of the figure, no legend unless asked for, and other Axes stay as they were."""
    figure = Figure()
    for draw in (tr.plot_paths, tr.plot_drift, tr.plot_timeline):
        mine, other = figure.subplots(1, 2)
        before = mine.get_position().bounds, other.get_xlim()
        draw(compared, ax=mine)
        assert figure.get_suptitle() == ""
        assert not figure.legends
        assert mine.get_legend() is None
        assert (
            figure.axes[0].get_subplotspec().get_position(figure).bounds,
            other.get_xlim(),
        ) == before
        draw(compared, ax=mine, legend=True)
        assert mine.get_legend() is not None
        figure.clear()
    with pytest.raises(tr.OptionError, match="x, y, speed, heading .* give 5 axes, not 2"):
        tr.plot_series(compared, axes=figure.subplots(2))
    with pytest.raises(tr.UnknownNameError, match="no craft 'rockt'; did you mean 'rocket'"):
        tr.plot_series(compared, craft="rockt")


def test_constant_quantities_have_no_panel():
    """A thing that only slides along x has x and, if it is slowed, vx."""
    game = scenario({"rule": "drag", "half_life": 1}, MOVE, start={"vx": 90})
    labels = [ax.get_ylabel() for ax in tr.plot_series(tr.simulate(game)).axes]
    assert labels == ["x [px]", "vx [px/s]", ""]


def test_ghosts_stand_where_each_run_is_at_the_same_moments(compared):
    ax = Figure().subplots()
    tr.plot_paths(compared, ax=ax, variant="rocket.timing=frame")
    drawn = {
        (line.get_marker(), tuple(np.round(line.get_xydata(), 6).ravel()))
        for line in ax.get_lines()
        if line.get_linestyle() == "None"
    }
    for run in compared.runs[:2]:
        places = run.flight.at(np.arange(1.0, 12.0))[["x", "y"]].to_numpy()
        marker = looks(compared.clocks)[run.clock].marker
        assert (marker, tuple(np.round(places, 6).ravel())) in drawn


def test_the_timeline_draws_each_status_of_events(compared):
    """Counted by how they are drawn: hollow ones are missing, crosses extra, joins shifted."""
    ax = Figure().subplots()
    tr.plot_timeline(compared, ax=ax, variant="rocket.timing=frame")
    runs = compared.runs[:2]
    status = [name for run in runs for name in run.outcomes["status"]]
    hollow = [line for line in ax.get_lines() if line.get_markerfacecolor() == "white"]
    crosses = [line for line in ax.get_lines() if line.get_marker() == "x"]
    joins = sum(len(lines.get_segments()) for lines in ax.collections)
    assert sum(len(line.get_xdata()) for line in hollow) == status.count("missing")
    assert sum(len(line.get_xdata()) for line in crosses) == status.count("extra")
    assert joins == status.count("late") + status.count("early")
    assert [label.get_text() for label in ax.get_yticklabels()] == [
        "reference",
        "30 fps",
        "144 fps",
    ]


def test_scrolling_bodies_are_fixed_in_the_picture():
    """Planks come at 110 px/s to a bird that stays where it is: it is drawn along them."""
    bird = {"name": "bird", "start": {"x": 120, "y": 150}, "rules": [MOVE]}
    planks = {"name": "planks", "pool": 4, "shape": {"kind": "box", "width": 20, "height": 60}}
    sends = {"name": "row", "spawns": ["planks"], "every": 0.5, "x": 500, "y": 60, "vx": -110}
    game = world(bird, planks | {"rules": [MOVE]}, spawner=[sends], duration=3.0)
    flight = tr.simulate(game, rate=60)
    scene = Scene.of([flight])
    assert scene.scroll == (-110.0, 0.0)
    x, _y = path_of(flight, "bird", scene)
    np.testing.assert_allclose(x, 120 + 110 * flight.of("bird")["t"], atol=1e-9)
    ax = tr.plot_path(flight).axes[0]
    assert ax.get_xlabel() == "x along what scrolls [px]"
    boxes = sorted({round(patch.get_xy()[:, 0].min(), 3) for patch in ax.patches})
    assert np.diff(boxes) == pytest.approx([55.0] * (len(boxes) - 1))


def test_paths_break_at_seams_and_meet_them():
    """Each piece of the path is straight on, and shifted by whole arena widths to the next."""
    bench = {"width": 100, "height": 80, "edges": "wrap"}
    game = scenario(MOVE, start={"x": 5, "y": 5, "vx": 137, "vy": -91}, arena=bench)
    flight = tr.simulate(game, rate=12)
    x, y = path_of(flight, "top")
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


def test_a_notebook_shows_sentences_a_table_and_a_picture():
    rocket = tr.read_demo("rocket")
    causes = tr.explain(rocket, rates=[30])
    shown = {
        "660 frames": tr.simulate(rocket),
        "drift_max": tr.compare(rocket, rates=[60]),
        "feel metrics differ": tr.feel(rocket, rates=[30]),
        "rocket.move": causes,
        "Recommended:": tr.find_cures(causes, felt=False),
    }
    for words, result in shown.items():
        html = result._repr_html_()
        picture = html.partition("data:image/png;base64,")[2].partition('"')[0]
        assert base64.b64decode(picture).startswith(b"\x89PNG")
        assert words in html


@pytest.mark.parametrize(("speed", "first"), [(100.0, "paths"), (100.2, "drift"), (180.0, "paths")])
def test_the_first_picture_shows_a_difference(speed, first):
    """Paths come first, unless they lie on each other and yet differ."""
    moments = np.arange(61) / 60
    logs = {
        name: pd.DataFrame({"t": moments, "x": v * moments, "y": 0.3 * v * moments})
        for name, v in {"before": 100.0, "after": speed}.items()
    }
    assert first_picture(tr.compare_logs(logs)) == first
