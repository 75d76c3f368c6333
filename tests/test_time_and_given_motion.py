"""Time that slows, motion that is given, springs, and the stage, against loops and formulas."""

import math

import numpy as np
import pytest
from scipy.integrate import solve_ivp

import tinrocket as tr

from .toys import Keys, toy

SLOWED = {
    "stop": ({"factor": 0.0, "lasts": "4 frames"}, lambda n, first: 0 <= n - first < 4),
    "slow": ({"factor": 0.25, "lasts": 0.2}, lambda n, first: 0 <= n - first < 12),
    "while": ({"factor": 0.5, "unless": "not go"}, lambda n, _first: 8 <= n < 79 or n >= 98),
}


@pytest.mark.parametrize("kind", SLOWED)
def test_slow_motion_scales_everything_except_input(kind):
    """A ball that falls on a floor: each bounce slows the time; a timer waits with the rest."""
    tempo, slow = SLOWED[kind]
    game = toy(
        [
            {"rule": "timer", "name": "late", "duration": 0.5, "action": "mode"},
            {"rule": "force", "x": 30, "on": "late"},
            {"rule": "force", "y": 500},
        ],
        ["go", "mode"],
        craft={"start": {"x": 100, "y": 560}},
        arena={"edges": {"left": "open", "right": "open", "top": "open", "bottom": "clamp"}},
        condition=[
            {"name": "down", "measure": "y", "above": 599, "of": "toy"},
            {"name": "going", "any_of": ["go"]},
        ],
        tempo=[{"name": "thud", "on": "going" if kind == "while" else "down"} | tempo],
    )
    track = tr.simulate(game, rate=60).track("toy")
    x, y, vx, vy, now, first, until, rows = 100.0, 560.0, 0.0, 0.0, 0.0, 10**9, -1.0, []
    held = Keys(0.0, {})
    for n in range(len(track["t"]) - 1):
        rows.append((x, y, vx, vy))
        keys = Keys(n / 60, held.down if n else {})
        held = keys
        factor = tempo["factor"] if slow(n, first) else 1.0
        dt = factor / 60
        if dt == 0.0:
            continue
        if keys.pressed("mode"):
            until = now + 0.5
        if until - 1e-9 > now:
            vx += 30 * dt
        vy += 500 * dt
        x, y = x + vx * dt, y + vy * dt
        if y >= 600:
            y, vy, first = 600.0, 0.0, min(first, n + 1)
        now += dt
    found = np.column_stack([track[c][:-1] for c in ("x", "y", "vx", "vy")])
    np.testing.assert_allclose(found, rows, rtol=0, atol=1e-8)
    assert first < 60


@pytest.mark.parametrize("timing", ["dt", "exact"])
@pytest.mark.parametrize("factor", [0.0, 0.4])
def test_a_group_has_a_time_of_its_own(factor, timing):
    """Of two alike craft one slows down or stops; the other flies as if nothing had happened."""
    rules = [
        {"rule": "thrust", "accel": 200, "action": "go"},
        {"rule": "drag", "rate": 0.5},
        {"rule": "turn", "rate": 90, "right": ""},
        {"rule": "move"},
    ]
    twin = {"name": "twin", "start": {"x": 100, "y": 400, "vx": 40}, "rules": rules}
    pebble = {"name": "pebble", "start": {"x": 109, "y": 200, "vy": 100}, "radius": 3}
    game = toy(
        rules[:3],
        ["go", "left", "mode"],
        timing=timing,
        craft={"groups": ["slow"], "radius": 3},
        others=[twin, pebble | {"rules": [{"rule": "move"}]}],
        contact=[{"between": ["toy", "pebble"], "on": "mode"}],
        tempo=[{"name": "lull", "of": "slow", "factor": factor, "on": "mode", "lasts": 0.25}],
    )
    flown = tr.simulate(game, rate=60)
    toys, twins = flown.track("toy"), flown.track("twin")
    rows, usual = [], []
    for which in (0, 1):
        x, y, vx, vy, heading, before, until = 100.0, 300.0, 40.0, 0.0, 0.0, {}, -1.0
        for n in range(len(toys["t"]) - 1):
            t, keys = n / 60, Keys(n / 60, before)
            before = keys.down
            if keys.pressed("mode"):
                until = t + 0.25
            dt = (factor if which == 0 and t < until - 1e-9 else 1.0) / 60
            if keys.go:
                vx += 200 * dt * math.cos(math.radians(heading))
                vy += 200 * dt * math.sin(math.radians(heading))
            kept = math.exp(-0.5 * dt) if timing == "exact" else 1 - 0.5 * dt
            vx, vy = vx * kept, vy * kept
            heading -= 90 * dt * keys.left
            x, y = x + vx * dt, y + vy * dt
            (rows if which == 0 else usual).append((x, y, vx, vy, heading))
    columns = ("x", "y", "vx", "vy", "heading")
    alone = tr.simulate(game.replaced(contact=(), craft=game.craft[:2]), rate=60).track("toy")
    np.testing.assert_allclose(np.column_stack([alone[c][1:] for c in columns]), rows, atol=1e-8)
    usual = np.add(usual, [0, 100, 0, 0, 0])
    np.testing.assert_allclose(np.column_stack([twins[c][1:] for c in columns]), usual, atol=1e-8)
    if factor == 0.0:
        still = np.diff(toys["x"][13:28])
        np.testing.assert_array_equal(still, 0.0)
    plain = tr.Flight(game, plain=True).run().state("toy")
    assert (plain.x, plain.vy) == (toys["x"][-1], toys["vy"][-1])


def test_a_pause_is_switched_by_a_key_and_nothing_moves():
    game = toy(
        [{"rule": "force", "x": 60}],
        ["mode"],
        condition=[{"name": "paused", "starts": "", "switches": "mode"} | {"starts": []}],
        tempo=[{"name": "pause", "on": "paused"}],
    )
    x = tr.simulate(game, rate=100).track("toy")["x"]
    still = np.flatnonzero(np.diff(x) == 0.0)
    # the key goes down in the steps from 0.21, 0.71 and 1.11 s on, and time stops behind each
    assert still.tolist() == [*range(22, 72), *range(112, 240)]


@pytest.mark.parametrize("timing", ["dt", "exact"])
def test_a_spawner_with_a_speed_ramp_sends_faster_craft(timing):
    game = toy(
        [],
        others=[{"name": "corks", "pool": 60, "rules": [{"rule": "move"}]}],
        spawner=[
            {"name": "rain", "spawns": ["corks"], "x": 5, "y": 5, "vx": 10, "vy": 20}
            | {"every": 0.17, "timing": timing}
            | {"speed_ramp": {"to": 4, "over": 2.0}}
        ],
    )
    sent = tr.simulate(game, rate=60).events.query("kind == 'enter'")
    due = 0.17 * np.arange(1, len(sent) + 1)
    if timing == "dt":
        due = np.ceil(due * 60 - 1e-9) / 60  # as the step ends
    wanted = np.hypot(10, 20) * (1 + 3 * np.minimum(due / 2.0, 1.0))
    np.testing.assert_allclose(sent["speed"], wanted, rtol=1e-9)


MEASURED = {
    "a swing": ([{"rule": "swing", "axis": "x", "amplitude": 50, "period": 0.8, "phase": 45}]),
    "a triangle": ([{"rule": "swing", "amplitude": 40, "period": 0.5, "shape": "triangle"}]),
    "a heading": ([{"rule": "swing", "axis": "heading", "amplitude": 30, "period": "45 frames"}]),
    "a loop": (
        [{"rule": "path", "points": [[0, 0], [30, 40], [30, 100], [0, 0]], "duration": 1.5}]
    ),
    "a rise": (
        [
            {"rule": "path", "points": [[0, 0], [0, -60], [0, 0]], "duration": "20 frames"}
            | {"action": "mode", "relative": True, "repeats": "once", "easing": "eased"}
        ]
    ),
}


def given_at(kind, n, t):
    """Return (x, y, heading) of given motion from 100, 300 after n frames, at a time."""
    if kind == "a swing":
        return 100 + 50 * math.sin(2 * math.pi * (t / 0.8 + 0.125)), 300, 0
    if kind == "a triangle":
        return 100, 300 + 40 * 2 / math.pi * math.asin(math.sin(2 * math.pi * t / 0.5)), 0
    if kind == "a heading":
        return 100, 300, 30 * math.sin(2 * math.pi * n / 45)
    if kind == "a loop":
        far = (t / 1.5) % 1.0 * (50 + 60 + math.hypot(30, 100))
        if far < 50:
            return 0.6 * far, 0.8 * far, 0
        if far < 110:
            return 30, 40 + far - 50, 0
        part = (far - 110) / math.hypot(30, 100)
        return 30 - 30 * part, 100 - 100 * part, 0
    starts = [13, 43, 67]  # frames in which the key goes down
    begun = [start for start in starts if start < n]
    part = min((n - begun[-1]) / 20, 1.0) if begun else 0.0
    leg = part * 2 if part < 0.5 else 2 - part * 2
    return 100, 300 - 60 * leg * leg * (3 - 2 * leg), 0


@pytest.mark.parametrize("kind", MEASURED)
def test_given_motion_is_a_function_of_time(kind):
    keys = ["mode"] if kind == "a rise" else []
    game = toy(MEASURED[kind], keys, moves=[], craft={"start": {"x": 100, "y": 300}})
    track = tr.simulate(game, rate=60).track("toy")
    wanted = [given_at(kind, n, n / 60) for n in range(1, len(track["t"]))]
    found = np.column_stack([track[c][1:] for c in ("x", "y", "heading")])
    np.testing.assert_allclose(found, wanted, rtol=0, atol=1e-9)


@pytest.mark.parametrize("rate", [24.0, 60.0, 240.0])
@pytest.mark.parametrize(("ratio", "frequency"), [(0.1, 2.0), (1.0, 1.5), (1.8, 3.0), (0.0, 1.0)])
def test_an_exact_spring_is_a_damped_oscillator_at_every_rate(ratio, frequency, rate):
    rule = {"rule": "spring", "target": [300, 300], "frequency": frequency}
    game = toy([rule | {"damping_ratio": ratio}], moves=[], timing="exact")
    track = tr.simulate(game, rate=rate).track("toy")
    swing = 2 * math.pi * frequency
    solved = solve_ivp(
        lambda _t, s: [s[1], -swing * swing * (s[0] - 300) - 2 * ratio * swing * s[1]],
        (0, 2.5),
        [100.0, 40.0],
        t_eval=track["t"],
        rtol=1e-11,
        atol=1e-11,
    )
    np.testing.assert_allclose(track["x"], solved.y[0], atol=1e-6)
    np.testing.assert_allclose(track["vx"], solved.y[1], atol=2e-5)


def test_latches_distances_bearings_and_negations_gate_the_stage():
    """What is of the game is looked at as each step ends, and known in the next."""
    cork = {"name": "corks", "pool": 30, "rules": [{"rule": "move"}]}
    send = {"spawns": ["corks"], "x": 5, "y": 5, "every": 0.05}
    game = toy(
        [{"rule": "force", "x": 100}],
        ["mode", "drop", "go"],
        others=[cork],
        condition=[
            {"name": "far", "measure": "distance", "to": [100, 300], "of": "toy", "above": 70},
            {"name": "behind", "measure": "bearing", "to": [160, 290], "of": "toy", "below": -90},
            {"name": "on", "starts": "mode", "stops": ["drop", "behind"], "lasts": 0.1},
        ],
        spawner=[{"name": "a", "on": ["on", "not far"]} | send],
        tempo=[{"name": "brisk", "factor": 1.0, "on": ["not go", "on"]}],
    )
    flown = tr.simulate(game, rate=60)
    toys = flown.track("toy")
    far = np.hypot(toys["x"] - 100, toys["y"] - 300) > 70
    behind = toys["x"] > 160  # the place is left of it and above, and it looks to the right
    sent, on, until, before = [], False, 0.0, {}
    for n in range(len(toys["t"]) - 1):
        keys = Keys(n / 60, before)
        before = keys.down
        due = round(n / 3) == n / 3 and n > 0  # each 0.05 s, as the step before ends
        if due and on and not far[n]:
            sent.append(n)
        if keys.pressed("mode") and not on:
            on, until = True, (n + 1) / 60 + 0.1
        stops = keys.pressed("drop") or (behind[n + 1] and not behind[n])
        if on and stops and (n + 1) / 60 >= until - 1e-9:
            on = False
    entered = flown.events.query("kind == 'enter'")["t"]
    assert len(sent) > 6
    np.testing.assert_allclose(entered, np.array(sent) / 60, atol=1e-9)
