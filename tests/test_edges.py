"""What the sides of the arena do, against modular arithmetic and a brute-force walk."""

import math

import numpy as np
import pytest
from hypothesis import assume, example, given
from hypothesis import strategies as st

import tinrocket as tr

from .conftest import MOVE, scenario


def fly(edges, start, rate=10, duration=1.0, radius=0.0, size=100):
    bench = {"width": size, "height": size, "edges": edges}
    return tr.simulate(
        scenario(MOVE, start=start, arena=bench, radius=radius, duration=duration), rate=rate
    )


@given(x=st.floats(0, 99.9), vx=st.floats(-1e6, 1e6), margin=st.floats(0, 40))
def test_wrap_is_modular_and_the_unwrapped_path_is_straight(x, vx, margin):
    flown = fly({"kind": "wrap", "margin": margin}, {"x": x, "vx": vx}).frames
    period = 100 + 2 * margin
    np.testing.assert_allclose(flown["x_unwrapped"], x + vx * flown["t"], rtol=1e-12, atol=1e-9)
    assert flown["x"].between(-margin, 100 + margin).all()
    np.testing.assert_allclose(
        flown["x"] + flown["wraps_x"] * period, flown["x_unwrapped"], rtol=1e-12, atol=1e-9
    )
    assert (flown["wraps_x"] == flown["wraps_x"].round()).all()


def walk(position, velocity, time, walls, restitution):
    """Follow a ball between two bouncing walls from hit to hit."""
    hits = [0, 0]
    while velocity:
        side = int(velocity > 0)
        reach = (walls[side] - position) / velocity
        if reach > time:
            break
        time -= reach
        position, velocity = walls[side], -restitution[side] * velocity
        hits[side] += 1
    return position + velocity * time, velocity, hits


@example(x=5.0, vx=2701.0, restitution=(1.0, math.nextafter(1.0, 0.0)))
@given(
    x=st.floats(5, 95),
    vx=st.floats(-2e5, 2e5),
    restitution=st.tuples(*[st.one_of(st.sampled_from([0.0, 0.5, 1.0]), st.floats(0.05, 1.0))] * 2),
)
def test_bounces_in_one_frame_match_a_walk_from_hit_to_hit(x, vx, restitution):
    edges = {
        "left": {"kind": "bounce", "restitution": restitution[0]},
        "right": {"kind": "bounce", "restitution": restitution[1]},
        "top": "open",
        "bottom": "open",
    }
    flown = fly(edges, {"x": x, "vx": vx}, radius=5, duration=0.1)
    place, velocity, hits = walk(x, vx, 0.1, (5, 95), restitution)
    assume(min(place - 5, 95 - place) > 1e-4)  # on the wall, rounding decides what comes first
    last = flown.frames.iloc[-1]
    assert last["x"] == pytest.approx(place, abs=1e-5)
    assert last["vx"] == pytest.approx(velocity, rel=1e-6, abs=1e-9)
    counted = flown.events.set_index("edge")["count"].to_dict()
    assert [counted.get("left", 0), counted.get("right", 0)] == hits


@pytest.mark.parametrize("y_axis", ["up", "down"])
def test_corner_resolves_both_axes_and_names_the_edges(y_axis):
    edges = {
        "left": "clamp",
        "right": {"kind": "bounce", "restitution": 0.5},
        "top": {"kind": "bounce", "restitution": 0.25, "margin": 10},
        "bottom": "clamp",
    }
    up = 1 if y_axis == "up" else -1
    start = {"x": 95, "y": 95 if up == 1 else 5, "vx": 100, "vy": up * 400}
    bench = {"width": 100, "height": 100, "edges": edges, "y_axis": y_axis}
    flown = tr.simulate(scenario(MOVE, start=start, arena=bench, duration=0.1), rate=10)
    last = flown.frames.iloc[-1]
    top = 110 if up == 1 else -10
    assert (last["x"], last["vx"]) == pytest.approx((100 - 0.5 * 5, -50))
    assert (last["y"], last["vy"]) == pytest.approx((top - up * 0.25 * 25, -up * 100))
    events = flown.events
    assert events["edge"].tolist() == ["top", "right"]
    assert events["t"].tolist() == pytest.approx([15 / 400, 5 / 100])
    assert events["speed"].tolist() == pytest.approx([math.hypot(100, 400)] * 2)
    assert events["kind"].tolist() == ["bounce", "bounce"]


def test_clamp_stops_only_the_axis_and_counts_one_touch():
    flown = fly("clamp", {"x": 50, "y": 20, "vx": 300, "vy": 5}, rate=20, radius=8)
    last = flown.frames.iloc[-1]
    assert (last["x"], last["vx"], last["vy"]) == (92, 0, 5)
    assert last["y"] == pytest.approx(25)
    assert flown.events["kind"].tolist() == ["clamp"]
    pushed = scenario(
        {"rule": "thrust", "accel": 50},
        MOVE,
        start={"x": 90, "y": 50},
        arena={"width": 100, "height": 100, "edges": "clamp"},
        tape={"holds": {"thrust": [[0, 1], [1.5, 2]]}},
    )
    again = tr.simulate(pushed, rate=60).events
    assert again["edge"].tolist() == ["right", "right"]
    assert again["t"].tolist() == pytest.approx([math.sqrt(20 / 50), 1.5], abs=0.05)


def test_open_edges_do_not_act():
    flown = fly("open", {"x": 50, "y": 50, "vx": -900})
    assert flown.frames["x"].iloc[-1] == pytest.approx(-850)
    assert flown.events.empty


KINDS = st.sampled_from(["clamp", "bounce"])


@pytest.mark.slow
@given(
    kinds=st.tuples(KINDS, KINDS, KINDS, KINDS),
    restitution=st.floats(0, 1),
    start=st.fixed_dictionaries(
        {axis: st.floats(10, 90) for axis in "xy"}
        | {f"v{axis}": st.floats(-1e9, 1e9) for axis in "xy"}
        | {"heading": st.floats(-1e4, 1e4)}
    ),
    accel=st.floats(-1e9, 1e9),
    drag=st.floats(0, 3),
    rate=st.floats(5, 500),
    timing=st.sampled_from(["frame", "dt", "exact"]),
)
def test_nothing_leaves_a_closed_arena(kinds, restitution, start, accel, drag, rate, timing):
    edges = {
        side: {"kind": kind} | ({"restitution": restitution} if kind == "bounce" else {})
        for side, kind in zip(("left", "right", "top", "bottom"), kinds, strict=True)
    }
    game = scenario(
        {"rule": "turn", "rate": 500},
        {"rule": "thrust", "accel": accel},
        {"rule": "drag", "rate": drag},
        MOVE,
        start=start,
        arena={"width": 100, "height": 100, "edges": edges},
        tape={"holds": {"thrust": [[0, 1]], "left": [[0.2, 0.3]]}},
        radius=10,
        timing=timing,
        duration=0.5,
    )
    first, second = (tr.simulate(game, rate=rate) for _ in range(2))
    assert first.frames[["x", "y"]].ge(10).all(axis=None)
    assert first.frames[["x", "y"]].le(90).all(axis=None)
    assert np.isfinite(first.frames.drop(columns="craft").to_numpy(dtype=float)).all()
    assert first.frames.equals(second.frames)
    assert first.events.equals(second.events)


def test_own_edges_override_the_arenas_and_remove_counts():
    """Two toys on one bench: one wraps as the bench does, one is gone once it is 20 px outside."""
    gone = {"left": "open", "right": {"kind": "remove", "margin": 20}}
    toys = [
        {"name": "a", "start": {"x": 50, "y": 50, "vx": 100}, "rules": [MOVE]},
        {"name": "b", "start": {"x": 50, "y": 50, "vx": 100}, "rules": [MOVE]}
        | {"edges": gone | {"top": "open", "bottom": "open"}},
    ]
    bench = {"width": 100, "height": 100, "edges": "wrap"}
    flown = tr.simulate(scenario(MOVE, craft=toys, arena=bench, duration=1.5), rate=16)
    events = flown.events.set_index("craft")
    assert events.loc["b", ["kind", "edge"]].tolist() == ["remove", "right"]
    assert events.loc["b", "t"] == pytest.approx(0.7)
    assert events.loc["a", "kind"].tolist() == ["wrap", "wrap"]
    last = flown.of("b")[flown.of("b")["t"] >= 0.75]
    assert (last["alive"] == 0).all()
    assert last["x"].nunique() == 1
    assert (flown.of("a")["alive"] == 1).all()
    assert (flown.seam("x", "a"), flown.seam("x", "b")) == ((0, 100), None)


def test_a_clamp_that_keeps_the_velocity_keeps_pushing():
    kept = {"kind": "clamp", "keeps_velocity": True}
    flown = fly(kept, {"x": 50, "y": 50, "vx": 300, "vy": -3}, rate=20, radius=8)
    last = flown.frames.iloc[-1]
    assert (last["x"], last["vx"], last["vy"]) == (92, 300, -3)
    assert len(flown.events) == 1


def test_a_craft_that_begins_on_the_far_edge_of_a_wrap_stays():
    """Only a craft that crosses the seam wraps: at rest it stays, inward it has no event."""
    wait = {"rule": "drive", "speed": 50, "axis": "x"}
    tape = {"holds": {"left": [[0.25, 0.65]], "right": [[0.7, 9]]}}
    arena = {"width": 100, "edges": "wrap"}
    flown = tr.simulate(scenario(wait, MOVE, start={"x": 100}, arena=arena, tape=tape), rate=20)
    x = flown.frames["x"].to_numpy()
    assert x[:6].tolist() == [100.0] * 6
    assert x[7] == pytest.approx(95.0)
    steps = np.diff(flown.frames["x_unwrapped"])
    assert np.abs(steps).max() == pytest.approx(2.5)
    assert flown.events["kind"].tolist() == ["wrap"]  # on the way back, to the right


SHAPES = {  # how far it comes toward low and high x, and low and high y
    "box": ({"kind": "box", "width": 40, "height": 10}, (20, 20, 5, 5)),
    "turning box": ({"kind": "box", "width": 40, "height": 30, "turns": True}, (25, 25, 25, 25)),
    "hook": ({"kind": "polygon", "points": [[-4, -9], [30, -9], [-4, 2]]}, (4, 30, 9, 2)),
    "mask": ({"kind": "mask", "rows": ["##..", "#..."], "scale": 10}, (20, 0, 10, 10)),
}


@pytest.mark.parametrize("edge", ["clamp", "bounce"])
@pytest.mark.parametrize("name", SHAPES)
@pytest.mark.parametrize(("vx", "vy"), [(-400, -400), (400, 400)])
def test_walls_stop_hit_shapes(name, edge, vx, vy):
    shape, (left, right, low, high) = SHAPES[name]
    data = {"name": "tin", "start": {"x": 80, "y": 80, "vx": vx, "vy": vy}, "rules": [MOVE]}
    arena = {"width": 160, "height": 160, "y_axis": "up", "edges": edge}
    game = tr.Scenario.from_data(
        {"duration": 3, "arena": arena, "craft": [data | {"shape": shape}]}
    )
    flown = tr.simulate(game, rate=60)
    first = flown.events.groupby("edge").first()
    want = {"left": left, "bottom": low} if vx < 0 else {"right": 160 - right, "top": 160 - high}
    for edge_name, place in want.items():
        axis = "x" if edge_name in ("left", "right") else "y"
        assert first.loc[edge_name, axis] == pytest.approx(place)
    if edge == "clamp":
        last = flown.frames.iloc[-1]
        assert (last["x"], last["y"]) == pytest.approx(tuple(want.values()))


@pytest.mark.parametrize(("inset", "stands_off"), [({"inset": 4}, 6), ({"scale": 0.5}, 5)])
def test_walls_are_met_by_the_hit_shape_not_the_drawn_one(inset, stands_off):
    shape = {"kind": "circle", "radius": 10}
    data = {"name": "tin", "start": {"x": 50, "y": 50, "vx": -90}, "shape": shape, "hit": inset}
    arena = {"width": 100, "height": 100, "edges": "clamp"}
    game = tr.Scenario.from_data(
        {"duration": 2, "arena": arena, "craft": [data | {"rules": [MOVE]}]}
    )
    assert tr.simulate(game).frames["x"].iloc[-1] == stands_off
