"""Shots, debris, pieces and what a look along the heading hits, against plain arithmetic."""

import math

import numpy as np
import pytest

import tinrocket as tr

from .conftest import MOVE, world

RATES = [24, 60, 144]
CORK = {"name": "cork", "pool": 9, "rules": [MOVE], "edges": "open"}
FIRE = {"rule": "fire", "shots": "cork", "speed": 300}
HELD = {"holds": {"fire": [[0, 1000]]}}


def shoot(fire=None, *, cork=None, start=None, tape=None, rate=60, mouse=None, **rest):
    """Fly a mouse that fires corks, on an open bench with y up and angles counterclockwise."""
    shooter = {"name": "mouse", "start": start or {"x": 0, "y": 0}} | (mouse or {})
    shooter |= {"rules": [FIRE | (fire or {}), MOVE]}
    return tr.simulate(world(shooter, CORK | (cork or {}), tape=tape or HELD, **rest), rate=rate)


def shots(flown):
    """When shots left, each as often as there were several in one step."""
    fired = flown.events[flown.events["kind"] == "fire"]
    return np.repeat(fired["t"].to_numpy(), fired["count"])


def as_games_do(cooldown, rate, seconds):
    """Fire when the time has come, and wait again from then on."""
    count, ready = 0, 0.0
    for n in range(seconds * rate):
        if n / rate >= ready - 1e-9:
            count, ready = count + 1, n / rate + cooldown
    return count


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize("timing", ["frame", "dt", "exact"])
def test_rate_of_fire_held_for_a_minute(rate, timing):
    """With the remainder carried 600 shots at any rate; without, or in frames, as games have it."""
    brief = {"pool": 40, "lifetime": 0.2}

    def count(**change):
        flown = shoot(change, cork=brief, rate=rate, duration=60.0, timing=timing)
        return len(shots(flown)), flown

    carried, flown = count(cooldown=0.1)
    assert carried == 600
    late = shots(flown) - np.arange(600) / 10  # no drift: never later than one step
    assert late.min() >= -1e-9
    assert late.max() < 1 / rate
    assert count(cooldown=0.1, carry=False)[0] == as_games_do(0.1, rate, 60)
    assert count(cooldown="6 frames")[0] == math.ceil(60 * rate / 6)
    assert count(cooldown=0.01)[0] == pytest.approx(6000, abs=100 / rate)  # several in one step


@pytest.mark.parametrize("rate", RATES)
def test_rate_of_fire_pressed(rate):
    """A shot for each press that the cooldown lets pass, however long it is held."""
    presses = {"holds": {"fire": [[0.5 * n, 0.5 * n + 0.2] for n in range(20)]}}
    how = {"cork": {"lifetime": 0.4}, "tape": presses, "rate": rate, "duration": 10.0}
    taken = shots(shoot({"when": "pressed"}, **how))
    assert taken == pytest.approx(0.5 * np.arange(20), abs=1 / rate)
    waits = {"when": "pressed", "cooldown": 0.7}
    assert len(shots(shoot(waits, **how))) == 10


@pytest.mark.parametrize("rate", RATES)
def test_exact_shots_are_evenly_spaced_whatever_the_frames(rate):
    flown = shoot({"cooldown": 0.07}, rate=rate, duration=0.6)
    last = flown.frames[flown.frames.index == flown.frames.index.max()]
    x = np.sort(last["x"][(last["craft"] != "mouse") & (last["alive"] == 1)])[::-1]
    end = last["t"].iloc[0]
    due = 0.07 * np.arange(len(x))
    np.testing.assert_allclose(x, 300 * (end - due), atol=1e-9)


def test_place_and_velocity_of_shots():
    """Muzzle by the picture, velocity by the heading, plus what the craft itself has."""
    change = {"muzzle": [20, 5], "inherit": 0.5, "cooldown": 99}
    start = {"x": 100, "y": 50, "vx": 40, "vy": -60, "heading": 30}
    flown = shoot(change, start=start, mouse={"art_offset": 60}, duration=0.5)
    first = flown.of("cork 1").iloc[1]
    c, s = math.cos(math.radians(30)), math.sin(math.radians(30))
    assert (first["vx"], first["vy"]) == pytest.approx((300 * c + 20, 300 * s - 30))
    muzzle = first["x"] - first["vx"] / 60, first["y"] - first["vy"] / 60
    assert muzzle == pytest.approx((100 - 5, 50 + 20))  # the picture points up the screen
    assert first["heading"] == pytest.approx(30)


def test_debris_is_random_by_its_seed():
    def burst(**change):
        debris = {"count": 8, "spread": 180, "cooldown": 99} | change
        flown = shoot(debris, cork={"lifetime": 0.3}, duration=0.5)
        gone = flown.events[flown.events["kind"] == "expire"]
        assert gone["t"].to_numpy() == pytest.approx(np.full(8, 0.3))
        second = flown.frames[(flown.frames.index == 1) & (flown.frames["alive"] == 1)]
        return second["heading"][second["craft"] != "mouse"].tolist()

    game = burst()
    assert game == burst() != burst(seed=1)
    assert max(game) - min(game) > 90
    assert all(abs(angle) <= 180 for angle in game)


@pytest.mark.parametrize("rate", RATES)
def test_more_shots_than_the_limit_are_counted(rate):
    """A pool of three, shots that live for 0.5 s, one each 0.1 s: every fifth ones find room."""
    flown = shoot({"cooldown": 0.1}, cork={"pool": 3, "lifetime": 0.5}, rate=rate, duration=2.0)
    refused = flown.events[flown.events["kind"] == "pool_empty"]
    assert len(shots(flown)) + refused["count"].sum() == 20
    living = flown.frames[(flown.frames["craft"] != "mouse") & (flown.frames["alive"] == 1)]
    assert living.groupby(level=0).size().max() == 3
    assert flown.events[flown.events["kind"] == "expire"]["t"].iloc[0] == pytest.approx(0.5)


@pytest.mark.parametrize("rate", RATES)
def test_lifetimes_in_frames_are_frames_at_any_rate(rate):
    flown = shoot({"cooldown": 99}, cork={"lifetime": "30 frames"}, rate=rate, duration=3.0)
    assert (flown.of("cork 1")["alive"] == 1).sum() == 29  # the first frame shows its way already
    gone = flown.events[flown.events["kind"] == "expire"]["t"].iloc[0]
    assert gone == pytest.approx(30 / rate)


def test_a_pool_before_its_shooter_moves_a_step_later():
    """The order of the file is the order of the step."""
    game = shoot({"cooldown": 99}, duration=0.5)
    mouse = {"name": "mouse", "start": {"x": 0, "y": 0}}
    other = tr.simulate(world(CORK, mouse | {"rules": [FIRE | {"cooldown": 99}]}, tape=HELD))
    assert game.of("cork 1")["x"].iloc[1] == pytest.approx(5)
    assert other.of("cork 1")["x"].iloc[1:3].tolist() == pytest.approx([0, 5])


TIN = {"kind": "box", "width": 10, "height": 20}


def test_a_ray_along_the_heading_hits_the_nearest_body():
    tins = [
        {"name": name, "at": at, "shape": TIN, "groups": ["tins"]}
        for name, at in (("far", [90, 3]), ("near", [50, -4]), ("aside", [30, 15]))
    ]
    contact = {"between": ["mouse", "tins"], "detection": "sight", "response": "remove"}
    looks = {"shots": None, "range": 100, "cooldown": 0.5}
    flown = shoot(
        looks, obstacle=tins, contact=[contact | {"scores": "mouse"}], duration=1.9, cork={}
    )
    met = flown.events[flown.events["kind"] == "hit"]
    assert met["other"].tolist() == ["near", "far"]
    assert met["x"].tolist() == pytest.approx([45, 85])
    assert len(shots(flown)) == 4
    assert flown.frames["score.mouse"].iloc[-1] == 2
    close = shoot(looks | {"range": 44}, obstacle=tins, contact=[contact], duration=1.0)
    assert "hit" not in set(close.events["kind"])


@pytest.mark.parametrize("detection", ["swept", "overlap"])
def test_a_split_body_flies_on_in_pieces(detection):
    """Three at half the speed, fanned out by 90 degrees about the way it had."""
    rock = {"name": "rock", "start": {"x": 100, "y": 0, "vx": -80}, "rules": [MOVE], "radius": 6}
    chip = {"name": "chip", "pool": 4, "rules": [MOVE], "radius": 2, "edges": "open"}
    wall = {"name": "wall", "at": [0, 0], "shape": {"kind": "box", "width": 20, "height": 400}}
    how = {
        "response": "split",
        "into": "chip",
        "pieces": 3,
        "spread": 90,
        "piece_speed_factor": 0.5,
    }
    contact = [{"between": ["rock", "wall"], "detection": detection} | how]
    flown = tr.simulate(world(rock, chip, obstacle=[wall], contact=contact), rate=50)
    assert flown.events["kind"].tolist() == ["split"]
    last = flown.frames[(flown.frames.index == 100) & (flown.frames["alive"] == 1)]
    assert last["craft"].tolist() == ["chip 1", "chip 2", "chip 3"]
    angles = np.radians([135, 180, 225])
    np.testing.assert_allclose(last["vx"], 40 * np.cos(angles), atol=1e-9)
    np.testing.assert_allclose(last["vy"], 40 * np.sin(angles), atol=1e-9)
    if detection == "swept":
        left = 2.0 - 84 / 80  # it met the wall after 84 px
        np.testing.assert_allclose(last["x"], 16 + 40 * np.cos(angles) * left, atol=1e-9)


def test_hits_are_ignored_for_a_while_after_appearing():
    """A cork that is safe for 0.2 s flies through what it would have hit after 0.1 s."""
    tins = [{"name": f"tin {x}", "at": [x, 0], "shape": TIN} for x in (35, 95)]
    contact = [{"between": ["cork", tin["name"]], "response": "remove"} for tin in tins]
    for safe, other, t in ((0.0, "tin 35", 0.1), (0.2, "tin 95", 0.3)):
        flown = shoot({"cooldown": 99}, cork={"invulnerable": safe}, obstacle=tins, contact=contact)
        met = flown.events[flown.events["kind"] == "hit"].iloc[0]
        assert (met["other"], met["t"]) == (other, pytest.approx(t))


def test_sweeps_fly_shots_and_rounds_as_single_flights_do():
    game = tr.read_demo("popgun")
    path = "popgun.fire.cooldown"
    swept = tr.sweep(game, {path: [0.2, 0.28, 0.5]}, threads=2)
    for cooldown, rows in swept.groupby(path):
        last = tr.simulate(tr.with_value(game, path, cooldown)).frames.groupby("craft").tail(1)
        for column in ("x", "y", "vx", "vy"):
            assert rows[column].tolist() == last[column].tolist()


@pytest.mark.parametrize("rows", [["##"], ["#.", "##", ".#"]])
def test_a_ray_passes_the_gaps_of_a_mask(rows):
    """Bodies and their parts are numbered apart; the nearest body is hit at its surface."""
    look = {"rule": "fire", "range": 500, "when": "pressed"}
    start = {"name": "mouse", "start": {"x": 0, "y": 0}, "rules": [look, MOVE]}
    mask = {"kind": "mask", "rows": rows, "scale": 10}
    obstacles = [
        {"name": "sign", "at": [100, 300], "shape": {"kind": "mask", "rows": ["#.#"], "scale": 9}},
        {"name": "comb", "at": [200, 0], "shape": mask},
        {"name": "tin", "at": [300, 0], "shape": {"kind": "circle", "radius": 7}},
    ]
    contacts = [
        {"between": ["mouse", other], "detection": "sight", "response": "count"}
        for other in ("sign", "comb", "tin")
    ]
    tape = {"taps": {"fire": [0.1]}}
    flown = tr.simulate(world(start, obstacle=obstacles, contact=contacts, tape=tape), rate=60)
    hit = flown.events[flown.events["kind"] == "pass"]
    assert hit["other"].tolist() == ["comb"]
    assert hit["x"].iloc[0] == pytest.approx(190)
