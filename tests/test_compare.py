"""Comparing flights, against drifts that can be written down."""

import math

import numpy as np
import pandas as pd
import pytest

import tinrocket as tr
from tinrocket.comparison.largest_drift import farthest_drift

from .conftest import HELD, MOVE, THRUST, scenario


def cruise(vx=100.0, **rest):
    return scenario(MOVE, start={"vx": vx}, **rest)


def test_frame_timing_runs_time_fast_or_slow():
    """x += v / 60 at every frame: at r fps the craft is v t (r / 60 - 1) px off."""
    compared = tr.compare(cruise(timing="frame"), rates=[30, 60, 144])
    for rate, run in zip((30, 60, 144), compared.runs, strict=True):
        drift = run.drifts["top"]
        off = abs(rate / 60 - 1) * 100
        np.testing.assert_allclose(drift.distance, off * drift.t, atol=1e-9)
        assert drift.final == pytest.approx(off * 2)
        assert drift.largest == pytest.approx(off * 2)
        assert drift.rms == pytest.approx(off * 2 / math.sqrt(3), rel=1e-3)
        departs = drift.passes(2.0)
        assert departs == (pytest.approx(2 / off) if off else None)
    assert compared.table["verdict"].tolist() == ["drifts", "agrees", "drifts"]
    assert not compared.agrees


def test_drift_takes_the_shorter_way_across_a_seam():
    bench = {"width": 100, "height": 100, "edges": {"kind": "wrap", "margin": 10}}
    drift = tr.compare(cruise(arena=bench, timing="frame"), rates=[120]).runs[0].drifts["top"]
    apart = 100 * drift.t
    np.testing.assert_allclose(drift.unwrapped, apart, atol=1e-9)
    np.testing.assert_allclose(drift.distance, np.abs((apart + 60) % 120 - 60), atol=1e-9)


def test_drift_ends_when_the_craft_disappears():
    """Over the left side after a second at 60 fps: gone, with nothing to drift from then."""
    bench = {"width": 100, "height": 100, "edges": "remove"}
    game = cruise(vx=-100.0, arena=bench, timing="frame")
    game = tr.with_value(game, "top.start.x", 100.0)
    drift = tr.compare(game, rates=[90]).runs[0].drifts["top"]
    assert drift.gone
    assert 0.6 < drift.t[-1] <= 2 / 3
    np.testing.assert_allclose(drift.distance, 50 * drift.t, atol=1e-9)


@pytest.mark.parametrize("edges", ["wrap", "bounce", "remove"])
@pytest.mark.parametrize("until", [None, 0.7])
def test_the_largest_drift_of_many_is_that_of_single_measurements(edges, until):
    """Paths with and without corners and ends, some of them across a seam."""
    tins = {"columns": 7, "rows": 5, "step": [110, 150]}
    game = scenario(
        {"rule": "chase", "target": "hand", "accel": 1500},
        MOVE,
        start={"x": 60, "y": 100, "vx": 300},
        arena={"edges": edges},
        timing="frame",
        duration=1.3,
        tape={"pointers": {"hand": [[0, 700, 400]]}},
    )
    many = game.craft[0].replaced(name="tin", grid=tr.Grid.from_data(tins))
    game = game.replaced(craft=(game.craft[0], many))
    flight, reference = tr.simulate(game, rate=23), tr.simulate(game, rate=60)
    each = [tr.measure_drift(flight, reference, name, until) for name in flight.craft]
    largest = max(drift.largest for drift in each)
    first = next(d.craft for d in each if d.largest >= largest - 1e-9 * (1 + largest))
    found = farthest_drift(flight, reference, flight.craft, until)
    assert (found.craft, found.largest) == (first, pytest.approx(largest, rel=1e-8))
    assert np.ptp([drift.largest for drift in each]) > 1.0


def test_a_run_that_blows_up_keeps_the_others():
    """v *= 1 - r dt at 2 fps: -2e3 times as fast after every frame."""
    game = cruise(vx=1e5, duration=60.0)
    game = tr.Scenario.from_data(
        game.model_dump()
        | {
            "craft": [
                game.craft[0].model_dump()
                | {"rules": [{"rule": "drag", "rate": 4e3}, MOVE], "timing": "dt"}
            ]
        }
    )
    compared = tr.compare(game, rates=[2, 8000], against="fine")
    assert compared.table["verdict"].tolist() == ["drifts", "blew up"]
    assert compared.verdicts == ("drifts", "blew up")
    assert not compared.agrees
    assert "2 fps blew up: craft 'top' left the range" in compared.warnings[-1]
    with pytest.raises(tr.FlightError):
        tr.compare(game, rates=[2], against="fine")


def test_references():
    """Tuned and fine belong to each variant, base is the scenario as written."""
    vary = {"top.thrust.accel": [300, 400]}
    game = scenario(THRUST, MOVE, tape=HELD)

    def final(against):
        return tr.compare(game, [60], vary=vary, against=against).table["drift_final"]

    assert final("tuned").tolist() == [0, 0]
    # x after n steps of h is a h^2 n (n + 1) / 2: a t h / 2 beyond the limit
    fine = [a * 2 / 2 * (1 / 60 - 1 / 7680) for a in (300, 400)]
    assert final("fine").tolist() == pytest.approx(fine)
    assert final("base").tolist() == pytest.approx([0, 100 * 2 * (2 + 1 / 60) / 2])
    with pytest.raises(tr.OptionError, match="'fin' is not a reference; did you mean 'fine'"):
        tr.compare(game, against="fin")
    with pytest.raises(tr.OptionError, match="tolerance must be at least 0 px"):
        tr.compare(game, tolerance=float("nan"))


def test_clocks_and_every_combination():
    captured = tr.Clock(name="my laptop", frame_times=(0.016, 0.018))
    game = scenario(THRUST, {"rule": "drag", "half_life": 1}, MOVE, tape=HELD)
    vary = {"top.drag.half_life": [0.4, 0.8], "top.timing": ["exact", "frame"]}
    table = tr.compare(game, [30], [captured], vary).table
    assert table["clock"].tolist() == ["30 fps", "my laptop"] * 4
    assert table["fps"].iloc[1] == pytest.approx(1 / 0.017, rel=1e-2)
    assert table["variant"].iloc[2] == "top.drag.half_life=0.4, top.timing=frame"


def test_the_demo_drifts_by_timing_as_documented():
    """Per-frame numbers part by hundreds of px, scaled ones by less, exact ones stay together."""
    vary = {"rocket.timing": ["frame", "dt", "exact"]}
    compared = tr.compare(tr.read_demo("rocket"), vary=vary)
    worst = compared.table.groupby("variant", sort=False)["drift_max"].max()
    frame, scaled, exact = worst
    assert frame > 100 > scaled > compared.tolerance > exact
    reference = compared.runs[0].reference
    assert (reference.events["kind"] == "wrap").sum() >= 3
    assert 8 <= reference.duration <= 12
    inputs = reference.frames[["in.thrust", "in.left", "in.right"]]
    assert inputs.any().all()
    assert (inputs.sum(axis=1) == 0).sum() > 60


def test_the_demo_in_exact_timing_converges_with_the_first_order():
    """The rules take turns once a frame, so the drift is in proportion to the frame's length."""
    game = tr.read_demo("rocket").with_timing("exact")
    rates = np.array([60, 120, 240, 480])
    drifts = tr.compare(game, rates, against="fine").table["drift_max"]
    lengths = 1 / rates - 1 / 7680
    np.testing.assert_allclose(drifts / drifts[0], lengths / lengths[0], rtol=0.03)


def test_sweep_ends_where_single_flights_end():
    game = tr.read_demo("rocket")
    vary = {"rocket.thrust.accel": np.array([200, 300, 500]), "rocket.start.heading": [0, 45.5]}
    seen = []
    swept = tr.sweep(game, vary, rate=50, threads=2, progress=lambda *done: seen.append(done))
    assert seen[-1] == (6, 6)
    for _index, row in swept.iterrows():
        variant = game
        for path in vary:
            variant = tr.with_value(variant, path, row[path])
        last = tr.simulate(variant, rate=50).frames.iloc[-1]
        columns = ["x", "y", "x_unwrapped", "y_unwrapped", "vx", "vy", "speed", "heading"]
        assert row[columns].tolist() == last[columns].tolist()
    pd.testing.assert_frame_equal(swept, tr.sweep(game, vary, rate=50, threads=1))
    with pytest.raises(tr.OptionError, match=r"rocket.timing: a sweep varies numbers"):
        tr.sweep(game, {"rocket.timing": ["exact"]})
    wild = scenario({"rule": "drag", "rate": 2}, MOVE, start={"vx": 1}, duration=60.0)
    assert tr.sweep(wild, {"top.drag.rate": [2, 1e8]})["finite"].tolist() == [True, False]


@pytest.mark.parametrize(
    ("path", "wrong", "says"),
    [
        ("rocket.drag.keep", math.nan, "must be a finite number, not nan"),
        ("rocket.drag.keep", -math.inf, "must be a finite number, not -inf"),
        ("rocket.drag.keep", 1.5, "set allow_gain = true"),
        ("rocket.drag.half_life", 0.0, "must be greater than 0, not 0.0"),
        ("popgun.fire.cooldown", "6 parsecs", "not '6 parsecs'"),
    ],
)
def test_one_wrong_value_among_many_is_refused_in_the_words_of_a_scenario(path, wrong, says):
    fits = "3 frames" if isinstance(wrong, str) else 0.5
    with pytest.raises(tr.ScenarioError, match=rf"{path}={wrong}: .*{says}"):
        tr.sweep(tr.read_demo(path.partition(".")[0]), {path: [fits, wrong, fits, fits]})


def test_too_many_runs_are_refused_with_an_alternative():
    vary = {"rocket.thrust.accel": list(range(200, 4200))}
    with pytest.raises(tr.OptionError, match="12,000 runs .* use sweep, which keeps only how"):
        tr.compare(tr.read_demo("rocket"), vary=vary)
    with pytest.raises(tr.OptionError, match="combinations are too many to keep"):
        tr.sweep(tr.read_demo("rocket"), vary | {"rocket.drag.half_life": list(range(1, 9999))})
    seen = []
    few = {"rocket.thrust.accel": [200, 300]}
    tr.compare(tr.read_demo("rocket"), rates=[30], vary=few, progress=lambda *n: seen.append(n))
    assert seen == [(1, 2), (2, 2)]


@pytest.mark.parametrize(
    ("demo", "vary"),
    [
        ("popgun", {"popgun.fire.seed": [1, 2]}),
        ("popgun", {"popgun.fire.count": [1, 2]}),
        ("popgun", {"popgun.fire.spread": [0.0, 5.0]}),
        ("popgun", {"popgun.fire.cooldown": ["3 frames", "6 frames"]}),
        ("rocket", {"rocket.move.method": ["half", "euler"]}),
        ("rocket", {"rocket.limit.x": [100.0, 200.0]}),
        ("sparrow", {"sparrow.flap.adds": [True, False]}),
        ("rocket", {"timing": ["frame", "exact"]}),
    ],
)
def test_a_sweep_refuses_choices_and_names_compare(demo, vary):
    with pytest.raises(tr.OptionError, match="use compare"):
        tr.sweep(tr.read_demo(demo), vary)


@pytest.mark.slow
@pytest.mark.parametrize(
    ("demo", "vary"),
    [
        ("ladybird", {"ladybird.drive.accel": [100, 700], "ladybird.start.y": [50.0, 90.0]}),
        ("mouse", {"mouse.dash.speed": [200.0, 400.0], "mouse.dash.duration": [0.1, 0.25]}),
        ("sparrow", {"sparrow.fall.accel": [500.0, 900.0], "sparrow.flap.speed": [150, 300]}),
        ("rocket", {"rocket.drag.half_life": [0.3, 2.0], "rocket.start.heading": [0.0, 90.0]}),
        ("popgun", {"popgun.fire.cooldown": [0.2, 0.5], "popgun.drive.speed": [60.0, 90.0]}),
        ("marble", {"marble.start.vy": [40.0, 90.0], "marble.start.vx": [-200.0, 260.0]}),
        (
            "marble",
            {"contact.marble/bats.speed_factor": [1.0, 1.4], "marble.start.vy": [40.0, 90.0]}
            | {"obstacle.upper rim.at.2": [-4.0, 12.0], "marble.radius": [3.0, 9.0]},
        ),
        ("popgun", {"march.shelf.step": [4.0, 9.0], "popgun.drive.speed": [60.0, 90.0]}),
    ],
)
def test_swept_numbers_of_every_demo_end_where_single_flights_end(demo, vary):
    game = tr.read_demo(demo)
    swept = tr.sweep(game, vary, rate=50)
    for _index, row in swept.iterrows():
        variant = game
        for path in vary:
            variant = tr.with_value(variant, path, row[path])
        last = tr.simulate(variant, rate=50).of(row["craft"]).iloc[-1]
        assert row[["x", "y", "vx", "vy"]].tolist() == last[["x", "y", "vx", "vy"]].tolist()


@pytest.mark.parametrize("lost", [0.0, 0.5], ids=["reflects", "loses half of the overshoot"])
def test_a_bounce_that_both_have_leaves_no_spike(lost):
    """A billiard in plain Python at two rates: only what a bounce costs is left as drift."""

    def logged(rate: int, until: float = 6.0) -> pd.DataFrame:
        places, speeds, rows = [100.0, 100.0], [310.0, 170.0], []
        for n in range(int(until * rate)):
            rows.append({"t": n / rate, "x": places[0], "y": places[1]})
            for axis, (low, high) in enumerate([(5.0, 395.0), (5.0, 295.0)]):
                places[axis] += speeds[axis] / rate
                edge = max(low, min(high, places[axis]))
                if edge != places[axis]:
                    places[axis] = edge + (edge - places[axis]) * (1.0 - lost)
                    speeds[axis] = -speeds[axis]
        return pd.DataFrame(rows)

    logs = [logged(rate) for rate in (60, 47)]
    one, other = (tr.read_log(log[["t", "x", "y"]]) for log in logs)
    drift = tr.measure_drift(other, one, one.craft[0])
    fine = np.arange(0.0, 5.9, 1e-3)
    calm = np.ones(fine.size, dtype=bool)  # no bounce of either within some frames
    for log in logs:
        for axis in ("x", "y"):
            turns = np.flatnonzero(np.diff(np.sign(np.diff(log[axis]))))
            for t in log["t"].to_numpy()[turns + 1]:
                calm &= np.abs(fine - t) > 0.05
    apart = [np.subtract(*(np.interp(fine, log["t"], log[a]) for log in logs)) for a in ("x", "y")]
    truth = np.hypot(*apart)[calm].max()
    assert drift.largest == pytest.approx(truth, abs=1e-9)
    assert (truth > 1.0) == (lost > 0.0)
