"""Feel over whole ranges, against formulas, and a run that is killed and goes on."""

import json
import subprocess
import sys

import numpy as np
import pytest

import tinrocket as tr

from .test_solve import glider

ACCEL, HALF = "top.thrust.accel", "top.drag.half_life"


def top_speed(accel, half_life, rate=60.0):
    """With k kept in a frame it settles at a dt k / (1 - k)."""
    kept = 0.5 ** (1.0 / (half_life * rate))
    return accel / rate * kept / (1.0 - kept)


def test_curves_and_maps_are_those_of_the_formula():
    exploration = tr.explore(glider(), {ACCEL: (50.0, 900.0)}, "top speed", points=7)
    assert exploration.values[:, 0] == pytest.approx(
        top_speed(exploration.numbers[:, 0], 0.5), rel=1e-6
    )
    assert exploration.now == (pytest.approx(top_speed(400.0, 0.5)),)
    wants = ["top speed between 100 and 200 px/s"]
    two = tr.explore(
        glider(), {ACCEL: (50.0, 900.0), HALF: (0.1, 0.9)}, ["top speed"], points=6, wants=wants
    )
    expected = top_speed(*two.numbers.T)
    assert two.values[:, 0] == pytest.approx(expected, rel=1e-4)
    assert two.holds.tolist() == ((expected >= 99.9) & (expected <= 200.1)).tolist()
    at = tr.explore(glider(), {ACCEL: (50.0, 900.0)}, "top speed", points=3, rate=30.0)
    assert at.values[:, 0] == pytest.approx(top_speed(at.numbers[:, 0], 0.5, 30.0), rel=1e-4)


def test_shares_are_those_of_a_terminal_speed():
    """The share of a number alone is the variance of means, here of 200,000 draws of a formula."""
    free = {ACCEL: (100.0, 300.0), HALF: (0.2, 0.9), "top.start.x": (-9.0, 9.0)}
    found = tr.explore(glider(), free, "top speed", points=128)
    shares = {share.path: share for share in found.sensitivity}
    draws = np.random.default_rng(1).random((200_000, 3))
    accel, half = 100.0 + 200.0 * draws[:, 0], 0.2 + 0.7 * draws[:, 1]
    every = top_speed(accel, half)
    for path, values, other in ((ACCEL, accel, half), (HALF, half, accel)):
        bins = np.digitize(values, np.quantile(values, np.linspace(0, 1, 101)[1:-1]))
        means = np.array([every[bins == n].mean() for n in range(100)])
        alone = means.var() / every.var()
        assert shares[path].alone == pytest.approx(alone, abs=0.12)
        assert shares[path].alone_low - 0.05 <= alone <= shares[path].alone_high + 0.05
        assert shares[path].whole >= shares[path].alone - 0.1
        assert other.size == values.size
    assert shares["top.start.x"].whole == pytest.approx(0.0, abs=1e-9)
    assert "not with top.start.x" in str(found)


def test_a_killed_exploration_goes_on(cli, tmp_path):
    cli("new", "rocket", "--from", "rocket")
    command = ("explore", "rocket.toml", "--over", "rocket.thrust.accel=100:900")
    command += ("--over", "rocket.drag.keep=0.95:0.99", "--show", "top speed", "--points", "9")
    whole = cli(*command, "--json").stdout
    killed = subprocess.Popen(
        [sys.executable, "-m", "tinrocket", *command, "--out", "kept"], cwd=tmp_path
    )
    file = tmp_path / "kept" / "explored.csv"
    while not file.exists() or len(file.read_bytes().splitlines()) < 12:
        assert killed.poll() is None
    killed.kill()
    killed.wait()
    with file.open("a") as half:
        half.write("812.5,0.9")  # half a line, as a kill may leave it
    before = file.read_bytes().rpartition(b"\n")[0]
    again = cli(*command, "--out", "kept", "--json").stdout
    assert json.loads(again) == json.loads(whole)
    assert file.read_bytes().startswith(before)
    assert len(file.read_bytes().splitlines()) == 82
    assert (tmp_path / "kept" / "explored.png").read_bytes().startswith(b"\x89PNG")
    other = cli(*command[:-4], "--show", "rise time", "--points", "9", "--out", "kept", ok=False)
    assert other.returncode == 2
    assert "is of another exploration" in other.stderr


@pytest.mark.parametrize(
    ("over", "show", "rest", "told"),
    [
        ({ACCEL: None}, "top spee", {}, "did you mean 'top speed'"),
        ({ACCEL: None}, [], {}, "say what to show"),
        ({ACCEL: None}, "apex", {}, "top has no apex"),
        ({}, "top speed", {}, "no number is free"),
        ({ACCEL: None}, "top speed", {"points": 1}, "2 or more points"),
        ({ACCEL: None, HALF: None}, "top speed", {"points": 900}, "places at most"),
        (
            {ACCEL: None, HALF: None, "top.start.x": (0, 1)},
            "top speed",
            {"points": 100},
            "a power of two",
        ),
        ({ACCEL: None}, "top speed", {"rate": 0.0}, "1 to 2,000 fps"),
    ],
)
def test_invalid_explorations_are_refused(over, show, rest, told):
    with pytest.raises(tr.TinRocketError, match=told):
        tr.explore(glider(), over, show, **rest)
