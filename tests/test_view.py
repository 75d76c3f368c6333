"""A view that follows, the coordinates of the screen, and strips that come back ahead."""

import math

import numpy as np
import pytest

import tinrocket as tr

from .conftest import MOVE, scenario, world

WORLD = {"width": 2000, "height": 300, "edges": "open"}


def fly(view, vx=300.0, rate=60, duration=4.0, clock=None, craft=()):
    runner = {"name": "runner", "start": {"x": 100, "y": 150, "vx": vx}, "rules": [MOVE]}
    shown = {"follow": "runner", "width": 400, "height": 300}
    game = scenario(MOVE, craft=[runner, *craft], arena=WORLD, view=shown | view, duration=duration)
    return tr.simulate(game, rate=None if clock else rate, clock=clock)


def test_a_locked_view_keeps_the_craft_in_its_middle_until_the_world_ends():
    flown = fly({}, duration=7.0)
    frames, screen = flown.frames, flown.on_screen()
    np.testing.assert_allclose(frames["view_x"], np.clip(frames["x"] - 200, 0, 1600), atol=1e-9)
    assert (frames["view_y"] == 0).all()
    np.testing.assert_allclose(screen.frames["x"], frames["x"] - frames["view_x"], atol=1e-12)
    assert (screen.arena.width, screen.arena.height) == (400, 300)
    assert screen.at(2.0)["x"] == pytest.approx(200)
    free = fly({"within": "nothing"}, duration=7.0).frames
    np.testing.assert_allclose(free["view_x"], free["x"] - 200, atol=1e-9)


@pytest.mark.parametrize("rate", [30, 144])
def test_an_eased_view_lags_by_what_easing_leaves(rate):
    """Frame timing: the gap settles at v dt (1 - s) / s; exact: at v dt e / (1 - e), at any rate
    near v / r."""
    share, v = 0.1, 60.0
    shown = {"fraction": share, "within": "nothing"}
    typed = fly(shown | {"timing": "frame"}, vx=v, rate=rate, duration=8.0).frames.iloc[-1]
    left = (1 - share) / share
    assert typed["x"] - typed["view_x"] - 200 == pytest.approx(v / rate * left, rel=1e-6)
    r = -60 * math.log(1 - share)
    exact = fly(shown | {"timing": "exact"}, vx=v, rate=rate, duration=8.0).frames.iloc[-1]
    kept = math.exp(-r / rate)
    gap = exact["x"] - exact["view_x"] - 200
    assert gap == pytest.approx(v / rate * kept / (1 - kept), rel=1e-6)
    assert gap == pytest.approx(v / r, abs=v / rate)


@pytest.mark.parametrize(
    "clock", [tr.Clock(rate=60), tr.Clock(rate=100, fixed_rate=60, interpolate=True)]
)
def test_a_strip_comes_back_ahead_when_the_view_has_passed_it(clock):
    """Two slats of the ground, 250 px apart, that wrap within the view's sides and a margin."""
    slats = [
        {"name": name, "start": {"x": x, "y": 290}, "rules": [MOVE], "within": "view"}
        | {
            "edges": {
                "left": {"kind": "wrap", "margin": 50},
                "right": {"kind": "wrap", "margin": 50},
            }
        }
        for name, x in (("slat", 50), ("other", 300))
    ]
    flown = fly({}, clock=clock, duration=5.0, craft=slats)
    for name in ("slat", "other"):
        track = flown.of(name)
        seen = track["x"] - track["view_x"]
        slack = 300 / 60  # the view moves on after the strip did
        assert seen.between(-50 - slack, 450 + slack).all()
        laps = (track["x"] - track["x"].iloc[0]) / 500
        np.testing.assert_allclose(laps, laps.round(), atol=1e-9)  # it only ever jumps
        assert laps.iloc[-1] == math.ceil((1400 - 50 - track["x"].iloc[0]) / 500)
        np.testing.assert_allclose(
            track["x_unwrapped"], track["x"].iloc[0], atol=1e-9
        )  # in the world it lies still
    assert set(flown.events["kind"]) == {"wrap"}
    assert set(flown.events["craft"]) == {"slat", "other"}


@pytest.mark.parametrize("order", ["after", "before"])
@pytest.mark.parametrize("held", ["camera", "display"])
def test_a_view_with_a_dead_zone_and_a_top_speed_is_a_plain_loop(order, held):
    """Frame by frame: nothing within 30 px of its middle, half of what is beyond, at most 4 px."""
    cat = {"name": "cat", "start": {"x": 60, "y": 90, "vx": 260, "vy": 30}}
    cat |= {"edges": "bounce", "rules": [MOVE]}
    view = {"follow": "cat", "width": 200, "height": 100, "start": [150, 60], "speed": 240}
    view |= {"dead_zone": [30, 10], "fraction": 0.5, "order": order, "clamps": held}
    game = world(cat, arena={"width": 600, "height": 200}, view=view, timing="frame", duration=4)
    flown = tr.simulate(game, rate=60).frames
    target, free, shown = (60.0, 90.0), [150.0, 60.0], []
    for x, y in flown[["x", "y"]].to_numpy()[1:].tolist():
        target = target if order == "before" else (x, y)
        for axis, (zone, low, high) in enumerate(((30, 100, 500), (10, 50, 150))):
            off = target[axis] - free[axis]
            beyond = off - zone if off > zone else off + zone if off < -zone else 0.0
            free[axis] += max(-4.0, min(4.0, 0.5 * beyond))
            if held == "camera":
                free[axis] = max(low, min(high, free[axis]))
        shown.append((max(100, min(500, free[0])) - 100, max(50, min(150, free[1])) - 50))
        target = (x, y)
    np.testing.assert_allclose(flown[["view_x", "view_y"]].to_numpy()[1:], shown, atol=1e-9)


@pytest.mark.parametrize(
    ("order", "by", "late"),
    [
        ("after", "latest", 1),
        ("after", "last_frame", 1),
        ("before", "latest", 0),
        ("before", "last_frame", 1),
    ],
)
def test_pointers_on_the_screen_are_counted_from_the_views_corner(order, by, late):
    """From the corner that this frame shows, or the last one (`late`)."""
    cat = {"name": "cat", "start": {"x": 100, "y": 50, "vx": 60}, "rules": [MOVE]}
    follow = {"rule": "follow", "target": "hand"}
    bee = {"name": "bee", "start": {"x": 0, "y": 0}, "rules": [follow]}
    view = {"follow": "cat", "width": 100, "height": 100, "pointers": "screen", "within": "nothing"}
    view |= {"order": order, "pointer_view": by}
    tape = {"pointers": {"hand": [[0, 30, 20]]}}
    flown = tr.simulate(world(cat, bee, view=view, tape=tape, duration=2), rate=30)
    bee, corner = flown.of("bee"), flown.of("bee")["view_x"].to_numpy()
    seen = corner[1 - late : len(corner) - late]
    np.testing.assert_allclose(bee["x"].to_numpy()[1:], seen + 30, atol=1e-9)


def test_a_strip_is_recycled_by_the_view_of_the_last_frame_or_of_this_one():
    """A slat 100 px wide behind a train at 600 px/s: one frame later by the view before it."""
    train = {"name": "train", "start": {"x": 200, "y": 50, "vx": 600}, "rules": [MOVE]}
    slat = {"name": "slat", "start": {"x": 160, "y": 50}, "within": "view", "rules": [MOVE]}
    slat |= {"edges": "wrap"}
    frames = {}
    for order in ("after", "before"):
        view = {"follow": "train", "width": 100, "height": 100, "within": "nothing", "order": order}
        game = world(train, slat, view=view, duration=2)
        flown = tr.simulate(game, rate=60)
        wraps = flown.of("slat")["wraps_x"].to_numpy()
        frames[order] = np.flatnonzero(np.diff(wraps))
        view_x = flown.of("slat")["view_x"].to_numpy()
        seen_by = view_x[:-1] if order == "after" else view_x[1:]
        x = flown.of("slat")["x"].to_numpy()[1:]
        assert (x >= seen_by - 1e-9).all()
        assert (x < seen_by + 100 + 1e-9).all()
    assert len(frames["after"]) == pytest.approx(len(frames["before"]), abs=1)


@pytest.mark.parametrize("rate", [24, 60, 144])
@pytest.mark.parametrize("vx", [300.0, -170.0])
def test_a_view_across_edges_follows_through_a_wrap_without_flying_back(vx, rate):
    """Eased by a tenth of the gap in each frame; the loop takes the shorter way, and wraps."""
    arena = {"width": 900, "height": 300, "edges": "wrap"}
    runner = {"name": "runner", "start": {"x": 100, "y": 150, "vx": vx}, "rules": [MOVE]}
    shown = {"follow": "runner", "width": 400, "height": 300, "fraction": 0.1, "timing": "frame"}
    shown |= {"within": "nothing", "across_edges": True}
    flown = tr.simulate(
        scenario(MOVE, craft=[runner], arena=arena, view=shown, duration=9.0, timing="dt"), rate
    )
    x, middle, middles = 100.0, 100.0, [100.0]
    for _ in range(9 * rate):
        x = (x + vx / rate) % 900.0
        gap = (x - middle + 450.0) % 900.0 - 450.0
        middle = (middle + gap * 0.1) % 900.0
        middles.append(middle)
    off = (flown.frames["view_x"] + 200.0 - middles + 450.0) % 900.0 - 450.0
    assert np.abs(off).max() < 1e-6
    seen = flown.on_screen().frames["x"]
    assert (seen - 200.0).abs().max() <= abs(vx) / rate * 10.0  # the lag of easing, also at a wrap


def test_a_view_across_edges_needs_room_and_edges_that_wrap():
    for view, said in (
        ({"across_edges": True}, "needs within = 'nothing'"),
        ({"across_edges": True, "within": "nothing"}, "no edge of 'runner' wraps"),
    ):
        with pytest.raises(tr.ScenarioError, match=said):
            fly(view)
