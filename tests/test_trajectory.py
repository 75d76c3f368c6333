"""Trajectories: between frames, across seams, and out to files and in again."""

import tomllib

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import tinrocket as tr

from .conftest import MOVE, THRUST, scenario, tool


def wrapping(**rest):
    return scenario(
        {"rule": "turn", "rate": 90},
        MOVE,
        start={"x": 80, "y": 30, "vx": 130, "vy": -75, "heading": 350},
        arena={"width": 100, "height": 60, "edges": {"kind": "wrap", "margin": 5}},
        tape={"holds": {"left": [[0.5, 1]]}, "taps": {"right": [1.01]}},
        title="Käfer 🐞",
        **rest,
    )


@given(t=st.lists(st.floats(0, 2), min_size=1, max_size=20))
def test_between_frames_and_across_seams(t):
    """At constant velocity, linear interpolation is the truth."""
    moments = np.array(t)
    got = tr.simulate(wrapping(), rate=9).at(moments)
    for axis, start, speed, size in (("x", 80, 130, 100), ("y", 30, -75, 60)):
        path = start + speed * moments
        np.testing.assert_allclose(got[f"{axis}_unwrapped"], path, atol=1e-9)
        # on the seam itself rounding decides the side, so compare points on a circle
        turn = 2j * np.pi / (size + 10)
        np.testing.assert_allclose(np.exp(turn * got[axis]), np.exp(turn * path), atol=1e-9)
        assert got[axis].between(-5, size + 5).all()
        laps = np.floor((got[f"{axis}_unwrapped"] + 5) / (size + 10))
        assert got[f"wraps_{axis}"].tolist() == laps.tolist()
    np.testing.assert_allclose(got["speed"], np.hypot(130, 75))


def test_one_moment_and_moments_outside():
    flight = tr.simulate(wrapping(), rate=10)
    assert flight.at(0.75)["heading"] == pytest.approx(350 + 90 * 0.25)
    assert flight.at(0.55)["in.left"] == 1
    with pytest.raises(tr.TrajectoryError, match=r"2.5 s is outside the flight, .* 0 to 2 s"):
        flight.at([1.0, 2.5])


@pytest.mark.parametrize("ending", ["csv", "parquet"])
def test_files_hold_everything(ending, tmp_path):
    game = wrapping()
    second = game.craft[0].replaced(name="bug, the 2nd")
    flight = tr.simulate(game.replaced(craft=(*game.craft, second)), rate=30)
    written = tr.write_trajectory(flight, tmp_path / f"flight.{ending}")
    assert sorted(path.name for path in tmp_path.iterdir()) == sorted(p.name for p in written)
    read = tr.read_trajectory(tmp_path / f"flight.{ending}")
    pd.testing.assert_frame_equal(read.frames, flight.frames, check_exact=True)
    pd.testing.assert_frame_equal(read.events, flight.events, check_exact=True)
    for name in ("arena", "title", "clock", "rate", "craft", "lost_taps", "duration"):
        assert getattr(read, name) == getattr(flight, name)
    assert flight.lost_taps == 1
    assert read.at(1.77, "bug, the 2nd").equals(flight.at(1.77, "top"))
    with pytest.raises(tr.UnknownNameError, match="name the craft; there are top, bug"):
        read.at(1.0)
    with pytest.raises(tr.UnknownNameError, match="no craft 'topp'; did you mean 'top'"):
        read.of("topp")


def test_a_note_describes_a_grid_once(tmp_path):
    game = tr.Scenario.from_data(tool("fuzz").DATA[-1] | {"duration": 0.1})
    flight = tr.simulate(game)
    *_, note = tr.write_trajectory(flight, tmp_path / "rich.csv")
    assert list(tomllib.loads(note.read_text())["craft"]) == ["cart", "peas 1", "cups 1"]
    read = tr.read_trajectory(tmp_path / "rich.csv")
    assert read.bodies == flight.bodies
    assert list(read.craft) == list(flight.craft)
    assert (read.view, read.obstacles) == (flight.view, flight.obstacles)
    note.write_text(note.read_text().replace('kind = "polygon"', 'knid = "polygon"'))
    with pytest.raises(tr.ScenarioError, match=r"craft.cups 1.shape: write kind = \"polygon\""):
        tr.read_trajectory(tmp_path / "rich.csv")


def test_invalid_trajectory_files_are_refused(tmp_path):
    bad = tmp_path / "bad.csv"
    bad.write_text("t,x\n0,1\n")
    with pytest.raises(tr.TrajectoryError, match="bad.csv: has no column frame, craft, y"):
        tr.read_trajectory(bad)
    flight = tr.simulate(wrapping(), rate=5)
    tr.write_trajectory(flight, bad)
    bad.write_text(bad.read_text().replace("130.0", "fast"))
    with pytest.raises(tr.TrajectoryError, match="'vx' holds something else than numbers"):
        tr.read_trajectory(bad)
    (tmp_path / "no.parquet").write_text("not one")
    with pytest.raises(tr.FileError, match="no.parquet: is not a PARQUET table"):
        tr.read_trajectory(tmp_path / "no.parquet")
    with pytest.raises(tr.FileError, match="none.csv: cannot be read: no such file"):
        tr.read_trajectory(tmp_path / "none.csv")
    with pytest.raises(tr.FileError, match=r"must end in .csv or .parquet"):
        tr.write_trajectory(flight, tmp_path / "flight.xlsx")


def test_rows_and_columns():
    flight = tr.simulate(scenario(THRUST, MOVE, tape={"holds": {"thrust": [[0, 1]]}}), rate=60)
    assert flight.frames.index.tolist() == list(range(121))
    assert flight.frames["in.thrust"].sum() == 60
    assert flight.duration == 2.0
    np.testing.assert_allclose(
        flight.frames["speed"], np.hypot(flight.frames["vx"], flight.frames["vy"]), rtol=1e-15
    )


def test_a_tap_before_the_run_is_a_warning():
    taps = {"flap": [-8.0, 0.001]}  # the second falls between two frames
    game = scenario({"rule": "flap", "speed": 10}, MOVE, tape={"taps": taps, "tap_length": 0.002})
    flown = tr.simulate(game)
    assert flown.events[flown.events["kind"] == "lost_tap"]["t"].tolist() == [0.001]
    assert any("begins at -8 s, before the run does" in told for told in flown.warnings)


def test_a_long_flight_reports_progress():
    seen = []
    game = scenario(MOVE, start={"vx": 3}, duration=900.0)
    flown = tr.simulate(game, progress=lambda *done: seen.append(done))
    assert [total for _done, total in seen] == [54_000] * len(seen)
    assert seen[-1] == (54_000, 54_000)
    assert [*seen] == sorted(set(seen))
    assert flown.frames.equals(tr.simulate(game).frames)
