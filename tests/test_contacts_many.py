"""Many bodies at once, rising frame rates, and files in another order."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import tinrocket as tr

from .conftest import HALF, MOVE

FORCE = {"rule": "force", "y": 400}


def crowd(count, rate, restitution, rules=(FORCE, MOVE), seconds=4.0):
    side = int(np.ceil(count**0.5))
    balls = {"name": "balls", "start": {"x": 20, "y": 20, "vx": 130, "vy": 70}, "radius": 6}
    balls |= {"grid": {"columns": side, "rows": side, "step": [24, 24]}, "rules": [*rules]}
    size = side * 24 + 40
    edges = {"kind": "bounce", "restitution": 0.9}
    one = {
        "duration": seconds,
        "timing": "exact",
        "craft": [balls],
        "arena": {"width": size, "height": size, "edges": edges},
        "contact": [{"between": ["balls", "balls"], "restitution": restitution}],
    }
    return tr.simulate(tr.Scenario.from_data(one), rate=rate), size


@pytest.mark.parametrize("restitution", [0.3, 0.95])
def test_many_marbles_pile_up_and_nobody_is_inside_another(restitution):
    flown, size = crowd(64, 30, restitution, seconds=2.5)
    places = flown.frames[["x", "y"]].to_numpy().reshape(64, -1, 2)
    assert places.min() >= 6 - 1e-9
    assert places.max() <= size - 6 + 1e-9
    squeezed = flown.events[flown.events["kind"] == "squeeze"]
    names = list(flown.craft)
    for frame in range(0, places.shape[1], 10):
        apart = places[:, None, frame] - places[None, :, frame]
        gaps = np.hypot(*np.moveaxis(apart, -1, 0)) - 12
        np.fill_diagonal(gaps, 1.0)
        lately = squeezed[squeezed["frame"].between(frame - 8, frame)]
        told = {names.index(name) for name in (*lately["craft"], *lately["other"]) if name}
        deep = np.argwhere(gaps < -1e-6).tolist()
        assert all(told & set(pair) for pair in deep), (frame, deep, told)
    middle = places[:, :, 1].mean(axis=0)
    assert middle[-1] > size / 2  # it lies at the bottom


def thrown(rate, moves, restitution=0.8):
    """A marble thrown off a floor and a wall, under gravity and drag; where it is after 2 s."""
    drag = [{"rule": "drag", "rate": 0.6}] if moves == "euler" else []
    move = MOVE if moves == "euler" else HALF
    ball = {"name": "ball", "start": {"x": 40, "y": 150, "vx": 210, "vy": -90}, "radius": 5}
    ball |= {"rules": [{"rule": "fall", "accel": 500}, *drag, move]}
    wall = {"name": "wall", "at": [330, 150], "shape": {"kind": "box", "width": 20, "height": 400}}
    floor = {
        "name": "floor",
        "at": [180, 310],
        "shape": {"kind": "box", "width": 400, "height": 20},
    }
    contact = [
        {"between": ["ball", name], "restitution": restitution} for name in ("wall", "floor")
    ]
    arena = {"width": 400, "height": 400, "edges": "open"}
    one = {"duration": 2.0, "arena": arena, "craft": [ball], "obstacle": [wall, floor]}
    flown = tr.simulate(tr.Scenario.from_data(one | {"contact": contact}), rate=rate)
    assert len(flown.events) >= 2
    return flown.frames[["x", "y"]].iloc[-1].to_numpy()


def test_at_rising_rates_it_converges_by_the_order_of_its_arithmetic():
    """By halves it is the parabola itself, through every bounce; by Euler's rule of first order."""
    exact = thrown(1000, "half")
    for rate in (10, 30, 60, 144):
        np.testing.assert_allclose(thrown(rate, "half"), exact, atol=1e-6)
    rates = np.array([60, 120, 240, 480, 960])
    limit = thrown(15360, "euler")
    far = np.array([np.hypot(*(thrown(rate, "euler") - limit)) for rate in rates])
    order = -np.polyfit(np.log(rates), np.log(far), 1)[0]
    assert 0.8 < order < 1.25
    assert far[-1] < 1.0


@settings(max_examples=12)
@given(seed=st.integers(0, 10**6), turn=st.integers(1, 5), rate=st.sampled_from([24, 60, 144]))
def test_another_order_in_the_file_changes_nothing(seed, turn, rate):
    """Six bodies of three shapes that meet each other and obstacles; who stands first is luck."""
    draw = np.random.default_rng(seed)
    shapes = [
        {"kind": "circle", "radius": 9.0},
        {"kind": "box", "width": 22.0, "height": 14.0},
        {"kind": "diamond", "width": 24.0, "height": 18.0},
    ]
    crafts = [
        {
            "name": f"toy {n}",
            "start": {
                "x": 60.0 + 70 * (n % 3) + draw.uniform(-9, 9),
                "y": 70.0 + 90 * (n // 3) + draw.uniform(-9, 9),
                "vx": draw.uniform(-200, 200),
                "vy": draw.uniform(-200, 200),
            },
            "mass": draw.uniform(0.5, 3.0),
            "shape": shapes[n % 3],
            "groups": ["toys"],
            "rules": [MOVE],
        }
        for n in range(6)
    ]
    pegs = {"name": "pegs", "at": [40, 30], "columns": 4, "step": [70, 0]}
    pegs |= {"shape": {"kind": "circle", "radius": 7.0}}
    contacts = [
        {"between": ["toys", "toys"], "restitution": 0.9},
        {"between": ["toys", "pegs"], "restitution": 1.0},
    ]
    one = {"duration": 1.0, "arena": {"width": 280, "height": 240, "edges": "bounce"}}
    ends = []
    for times in (0, turn):
        data = one | {"craft": crafts[times:] + crafts[:times], "obstacle": [pegs]}
        data |= {"contact": contacts if times == 0 else contacts[::-1]}
        last = tr.simulate(tr.Scenario.from_data(data), rate=rate).frames.groupby(
            "craft", observed=True
        )
        ends.append(last.tail(1).set_index("craft").sort_index()[["x", "y", "vx", "vy"]])
    np.testing.assert_allclose(
        *(end.loc[[f"toy {n}" for n in range(6)]].to_numpy() for end in ends), atol=1e-4
    )
