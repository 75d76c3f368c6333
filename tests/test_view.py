"""A view that follows, the coordinates of the screen, and strips that come back ahead."""

import math

import numpy as np
import pytest

import tinrocket as tr

from .conftest import MOVE, scenario

WORLD = {"width": 2000, "height": 300, "edges": "open"}


def fly(view, vx=300.0, rate=60, duration=4.0, clock=None, craft=()):
    runner = {"name": "runner", "start": {"x": 100, "y": 150, "vx": vx}, "rules": [MOVE]}
    shown = {"follow": "runner", "width": 400, "height": 300}
    one = scenario(MOVE, craft=[runner, *craft], arena=WORLD, view=shown | view, duration=duration)
    return tr.simulate(one, rate=None if clock else rate, clock=clock)


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
    "clock", [tr.Clock(rate=60), tr.Clock(rate=100, step_rate=60, interpolate=True)]
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
