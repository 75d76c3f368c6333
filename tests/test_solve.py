"""Solving for the feel that is wanted, against formulas and against numbers that were hidden."""

import json
import math

import numpy as np
import pytest

import tinrocket as tr

from .conftest import scenario

MOVE = {"rule": "move"}


def glider(timing="exact", **rest):
    """Return a craft that is driven against a drag: v' = a - r v."""
    thrust = {"rule": "thrust", "accel": 400.0}
    drag = {"rule": "drag", "half_life": 0.5}
    return scenario(thrust, drag, MOVE, timing=timing, **rest)


def test_thrust_and_drag_for_a_speed_and_a_rise_time():
    """With k kept in a frame it settles at a dt k / (1 - k), and 10 to 90 % take ln 9 / r."""
    wants = ["top speed = 300 px/s", "rise time = 0.8 s"]
    free = {"top.thrust.accel": (50.0, 3000.0), "top.drag.half_life": (0.05, 5.0)}
    found = tr.solve(glider(), wants, free)
    rate = math.log(9.0) / 0.8
    assert found.met
    kept = math.exp(-rate / 60.0)
    accel = 300.0 * 60.0 * (1.0 - kept) / kept
    assert found.numbers["top.thrust.accel"] == pytest.approx(accel, rel=2e-3)
    assert found.numbers["top.drag.half_life"] == pytest.approx(math.log(2.0) / rate, rel=2e-3)
    assert found.rounded == {path: float(f"{v:.3g}") for path, v in found.numbers.items()}
    again = tr.feel(found.scenario, rates=[60.0]).table.set_index("metric")["value"]
    assert again["top speed"] == pytest.approx(300.0, rel=4e-3)
    assert (found.undetermined, found.conflicts) == ((), ())


def test_flap_and_fall_for_an_apex_and_its_time():
    """Of the numbers found a plain loop rises as high, in as long."""
    hopper = scenario(
        {"rule": "flap", "speed": 200.0}, {"rule": "fall", "accel": 700.0}, MOVE, timing="exact"
    )
    free = ["top.flap.speed=50:900", "top.fall.accel=100:4000"]
    found = tr.solve(hopper, ["apex = 45 px", "time to apex = 0.3 s"], free)
    assert found.met
    speed, gravity = found.numbers["top.flap.speed"], found.numbers["top.fall.accel"]
    places = [0.0]
    for _ in range(40):
        speed -= gravity / 60.0
        places.append(places[-1] + speed / 60.0)
    k = int(np.argmax(places))
    bend, slope, top = np.polyfit(np.arange(-1, 2) / 60.0, places[k - 1 : k + 2], 2)
    assert top - slope**2 / (4 * bend) == pytest.approx(45.0, rel=2e-3)
    assert k / 60.0 - slope / (2 * bend) == pytest.approx(0.3, rel=2e-3)


@pytest.mark.slow
def test_wants_that_conflict_are_named():
    wants = ["top speed = 300 px/s", "rise time = 0.8 s", "half-speed time = 2 s"]
    free = {"top.thrust.accel": (50.0, 3000.0), "top.drag.half_life": (0.05, 5.0)}
    found = tr.solve(glider(), wants, free)
    assert not found.met
    assert set(found.conflicts) == {wants[1], wants[2]}  # one rate decides both times
    alone = tr.solve(glider(), ["top speed = 900 px/s"], {"top.thrust.accel": (50.0, 500.0)})
    assert not alone.met
    assert "top.thrust.accel is at the high end of its range" in str(alone)


def test_numbers_that_do_not_matter_or_only_together_are_named():
    game = glider()
    free = {"top.thrust.accel": (50.0, 3000.0), "top.drag.half_life": (0.05, 5.0)}
    (direction,) = tr.solve(game, ["top speed = 300 px/s"], free).undetermined
    assert set(direction) == set(free)
    assert "Only together do these matter" in str(tr.solve(game, ["top speed = 300 px/s"], free))
    free = {"top.drag.half_life": (0.05, 5.0), "top.thrust.accel": (50.0, 3000.0)}
    found = tr.solve(game, ["half-speed time = 0.3 s"], free)
    assert found.undetermined == ({"top.thrust.accel": pytest.approx(1.0, abs=1e-3)},)
    assert found.rounded["top.thrust.accel"] == 400.0  # what does not matter stays
    # a speed is seen in the middle between two pictures
    assert found.numbers["top.drag.half_life"] == pytest.approx(0.3 + 0.5 / 60.0, rel=2e-3)


def test_a_met_bound_changes_nothing():
    wants = ["top speed >= 100 px/s", "rise time between 0.5 and 9 s"]
    found = tr.solve(glider(), wants, {"top.thrust.accel": (50.0, 3000.0)})
    assert found.met
    assert found.numbers == {"top.thrust.accel": 400.0}


@pytest.mark.slow
def test_hidden_numbers_are_found_again(seeds):
    """Numbers are drawn and hidden, and what they reach is wanted: it must be reached."""
    random, count, reached = np.random.default_rng(5), seeds(100, part=16), 0
    for _ in range(count):
        timing = str(random.choice(["frame", "dt", "exact"]))
        game = glider(timing)
        hidden = {
            "top.thrust.accel": float(np.exp(random.uniform(np.log(100), np.log(2500)))),
            "top.drag.half_life": float(np.exp(random.uniform(np.log(0.08), np.log(1.2)))),
        }
        there = game
        for path, value in hidden.items():
            there = tr.with_value(there, path, value)
        rate = float(random.choice([30.0, 60.0, 144.0]))
        table = tr.feel(there, rates=[rate]).table
        at = table[table["clock"] == f"{rate:g} fps"].set_index("metric")["value"]
        names = ["top speed", str(random.choice(["rise time", "half-speed time", "time to rest"]))]
        wants = [f"{name} = {at[name]:.9g} at {rate:g} fps" for name in names]
        free = {"top.thrust.accel": (50.0, 5000.0), "top.drag.half_life": (0.04, 6.0)}
        found = tr.solve(game, wants, free)
        reached += bool(found.table["miss_percent"].abs().max() <= 0.1)
    assert reached >= 0.99 * count


WRONG = {
    "top speed = 3 s": "top speed counts px/s, not s",
    "top spee = 3 px/s": "did you mean 'top speed'",
    "apex = 3 px": "top has no apex",
    "top speed": "write it as 'top speed = 420 px/s'",
    "top speed between 5 and 3 px/s": "5 is more than 3",
    "top speed = 3 px/s, weight 0": "a weight must be above 0",
    "top speed = 3 px/s at 0 fps": "feel is measured from 1 to 2,000 fps",
    "top speed same": "name others, 'at 30 fps'",
}


@pytest.mark.parametrize("text", WRONG)
def test_invalid_wants_are_refused(text):
    with pytest.raises(tr.TinRocketError, match=WRONG[text]):
        tr.solve(glider(), [text], ["top.thrust.accel"])


def test_invalid_free_numbers_are_refused():
    for free, told in (
        (["top.timing"], "no number to search"),
        (["top.thrust.accel=9:3"], "from less to more"),
        (["top.thrust.accel=one"], "written FROM:TO"),
        (["top.thrust.acel"], "acel"),
        ([], "no number is free"),
    ):
        with pytest.raises(tr.TinRocketError, match=told):
            tr.solve(glider(), ["top speed = 3 px/s"], free)


def test_the_command_solves_and_writes(cli, tmp_path):
    cli("new", "rocket", "--from", "rocket")
    wanted = ("--want", "rocket top speed = 300 px/s", "--want", "rise time = 0.8 s")
    free = ("--free", "rocket.thrust.accel=100:2000", "--free", "rocket.drag.keep=0.9:0.999")
    done = cli("solve", "rocket.toml", *wanted, *free, "--apply", "fast.toml", "--plot", "fast.png")
    assert "2 of 2 wants met" in done.stdout
    solved = tr.read_scenario(tmp_path / "fast.toml")
    top = tr.feel(solved, rates=[60.0]).table.set_index("metric")["value"]["top speed"]
    assert top == pytest.approx(300.0, rel=5e-3)
    assert "# of the speed, each frame" in (tmp_path / "fast.toml").read_text(encoding="utf-8")
    assert (tmp_path / "fast.png").read_bytes().startswith(b"\x89PNG")
    few = ("--free", "rocket.thrust.accel=100:500", "--starts", "1", "--json")
    unmet = cli("solve", "rocket.toml", "--want", "top speed = 900 px/s", *few, ok=False)
    assert unmet.returncode == 1
    assert json.loads(unmet.stdout)["met"] is False


def test_an_update_functions_constants_are_solved_for(tmp_path):
    (tmp_path / "boat.py").write_text(
        "PUSH, WATER = 150.0, 1.2\n"
        "def update(boat, keys, dt):\n"
        "    if keys.ahead:\n"
        "        boat['vx'] += PUSH * dt\n"
        "    boat['vx'] -= boat['vx'] * WATER * dt\n"
        "    boat['x'] += boat['vx'] * dt\n"
        "FLIGHT = {'start': {'x': 0.0, 'y': 0.0, 'vx': 0.0}, 'tape': {'ahead': [(0.1, 2.0)]},\n"
        "          'tuned_at': 60, 'duration': 3.0}\n",
        encoding="utf-8",
    )
    own = tr.read_update(f"{tmp_path / 'boat.py'}:update")
    found = tr.solve(own, ["top speed = 90 px/s"], {"PUSH": (10.0, 900.0)}, starts=1)
    assert found.met
    # v = (v + p dt) (1 - w dt): it settles at p (1 - w dt) / w
    assert found.numbers["PUSH"] == pytest.approx(90.0 * 1.2 / (1.0 - 1.2 / 60.0), rel=2e-3)
