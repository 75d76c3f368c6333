"""Resources, latches, numbers that follow values, and sight of targets, against plain loops.

Each toy is an update of one frame as a game writes it, with dt; the scenario says the same. Both
are flown at five rates and over uneven frames, compiled and in plain Python.
"""

import math
from collections import deque
from types import SimpleNamespace

import numpy as np
import pytest

import tinrocket as tr

from .toys import Keys, toy


def thirsty(s, keys, dt):
    """A tank that thrust empties, with a refill at rest, and an empty one that coughs."""
    if keys.go and s.fuel > 0:
        s.vx += 300 * dt
        s.fuel = max(s.fuel - 7.13 * dt, 0.0)
    if not keys.go:
        s.fuel = min(s.fuel + 2 * dt, 5.0)
    if s.fuel < 0.47:
        s.vy += 20 * dt


THIRSTY = toy(
    [
        {"rule": "thrust", "accel": 300, "action": "go"}
        | {"costs": [{"resource": "fuel", "rate": 7.13}]},
        {"rule": "gain", "resource": "fuel", "rate": 2, "on": "not go"},
        {"rule": "force", "y": 20, "on": "nearly empty"},
    ],
    ["go"],
    craft={"resources": [{"name": "fuel", "most": 5, "start": 3.03}]},
    condition=[
        {"name": "nearly empty", "measure": "resource", "resource": "fuel", "below": 0.47},
    ],
)


def puffer(s, keys, dt):
    """Flaps that cost breath, as long as there is enough of it; held to charge, let go to leap."""
    if keys.pressed("mode") and s.breath - 0 >= 3.5 and s.t >= s.ready - 1e-9:
        s.vy, s.ready, s.breath = -90.0, s.t + 0.2, max(s.breath - 3.5, 0)
    s.breath = min(s.breath + 1.5 * dt, 9.0)
    if keys.go:
        s.charge = min(s.charge + 60 * dt, 50.0)
    if keys.released("go"):
        s.vx += s.charge * 2
        s.charge = max(s.charge - 1000.0, 0.0)


PUFFER = toy(
    [
        {"rule": "flap", "speed": 90, "action": "mode", "cooldown": 0.2}
        | {"costs": [{"resource": "breath", "amount": 3.5}]},
        {"rule": "gain", "resource": "breath", "rate": 1.5},
        {"rule": "gain", "resource": "charge", "rate": 60, "action": "go"},
        {"rule": "force", "x": 1, "on": "go", "when": "released", "timing": "frame"}
        | {
            "follows": [
                {"key": "x", "by": "resource", "resource": "charge"}
                | {"points": [[0, 0], [50, 100 * 60]]}
            ]
        },
        {"rule": "gain", "resource": "charge", "amount": -1000, "on": "go", "when": "released"},
    ],
    ["go", "mode"],
    craft={
        "resources": [
            {"name": "breath", "most": 9, "start": 8},
            {"name": "charge", "most": 50, "start": 0},
        ]
    },
)


def switcher(s, keys, dt):
    """A mode that a key switches and another ends, but not within 0.3 s; turning by speed."""
    if keys.pressed("mode"):
        s.wanted = not s.wanted
    if keys.pressed("drop"):
        s.wanted = False
    if s.wanted and not s.on:
        s.on, s.settled = True, s.t + 0.3
    elif not s.wanted and s.on and s.t >= s.settled - 1e-9:
        s.on = False
    if s.on:
        s.vy += 50 * dt
    speed = math.hypot(s.vx, s.vy)
    turn = 200 + (80 - 200) * min(max((speed - 20) / 60, 0.0), 1.0)
    if keys.left:
        s.heading -= turn * dt
    if not s.on:
        push = 120 * dt
        s.vx += push * math.cos(math.radians(s.heading + 90))
        s.vy += push * math.sin(math.radians(s.heading + 90))
    drag = 0.8 * (math.hypot(s.vx, s.vy) / 50)
    s.vx, s.vy = s.vx * (1 - drag * dt), s.vy * (1 - drag * dt)


SWITCHER = toy(
    [
        {"rule": "latch", "name": "low", "switches": "mode", "stops": "drop", "lasts": 0.3},
        {"rule": "force", "y": 50, "on": "low"},
        {"rule": "turn", "rate": 200, "right": ""}
        | {"follows": [{"key": "rate", "by": "speed", "points": [[20, 200], [80, 80]]}]},
        {"rule": "thrust", "accel": 120, "direction": 90, "action": "not low"},
        {"rule": "drag", "rate": 0.8}
        | {"follows": [{"key": "rate", "by": "speed", "power": 1, "at": 50}]},
    ],
    ["mode", "drop", "left"],
)


def sledge(s, keys, dt):
    """Grip across the heading, friction along it, and twice the push while it turns back."""
    s.vx += 60 * (keys.go - keys.left) * dt
    if keys.go and s.vx < 0:
        s.vx += 60 * dt
    if keys.left and not s.vx < 0:
        s.vx -= 60 * dt
    s.vy += 30 * dt
    cos_h, sin_h = math.cos(math.radians(s.heading)), math.sin(math.radians(s.heading))
    across = s.vy * cos_h - s.vx * sin_h
    lost = across * 3.0 * dt
    s.vx, s.vy = s.vx + lost * sin_h, s.vy - lost * cos_h
    ahead = s.vx * cos_h + s.vy * sin_h
    lost = ahead - (max(ahead - 15 * dt, 0) if ahead > 0 else min(ahead + 15 * dt, 0))
    s.vx, s.vy = s.vx - lost * cos_h, s.vy - lost * sin_h


SLEDGE = toy(
    [
        {"rule": "drive", "accel": 60, "axis": "x", "right": "go", "left": "left"},
        {"rule": "drive", "accel": 60, "axis": "x", "right": "go", "left": "", "on": "backward"},
        {"rule": "drive", "accel": 60, "axis": "x", "right": "", "left": "left"}
        | {"on": "not backward"},
        {"rule": "force", "y": 30},
        {"rule": "drag", "rate": 3, "axis": "across"},
        {"rule": "friction", "decel": 15, "axis": "ahead"},
    ],
    ["go", "left"],
    craft={"start": {"x": 100, "y": 300, "vx": -40, "heading": 25}},
    condition=[{"name": "backward", "measure": "vx", "below": 0}],
)


def mate(s, dt):
    """What the others look at: to and fro along x, around along y."""
    s.mate_vx, s.mate_vy = s.mate_x, s.mate_y
    s.mate_x = s.middle + 80 * math.sin(2 * math.pi * (s.t + dt) / 1.3)
    s.mate_y = 300 + 40 * math.sin(2 * math.pi * ((s.t + dt) / 0.9 + 0.25))
    s.mate_vx, s.mate_vy = (s.mate_x - s.mate_vx) / dt, (s.mate_y - s.mate_vy) / dt


MATE = {
    "name": "mate",
    "start": {"x": 400, "y": 300},
    "rules": [
        {"rule": "swing", "axis": "x", "amplitude": 80, "period": 1.3},
        {"rule": "swing", "axis": "y", "amplitude": 40, "period": 0.9, "phase": 90},
    ],
}


def tail(s, keys, dt):
    """Where the other was 12 frames ago, 30 px beside it."""
    s.past.append((s.mate_x, s.mate_y))
    x, y = s.past[max(len(s.past) - 13, 0)]
    x, y = x + 30, y - 5
    way_x, way_y = (x - s.x) * 6 * dt, (y - s.y) * 6 * dt
    s.x, s.y = s.x + way_x, s.y + way_y
    s.vx, s.vy = way_x / dt, way_y / dt
    mate(s, dt)


TAIL = toy(
    [{"rule": "ease", "target": "mate", "rate": 6, "delay": "12 frames", "offset": [30, -5]}],
    moves=[],
    others=[MATE],
)


def gunner(s, keys, dt):
    """It chases where the other will be when a shot of 250 px/s gets there; near it, it slows."""
    far = math.hypot(s.mate_x - s.x, s.mate_y - s.y)
    ahead = far / 250
    x, y = s.mate_x + s.mate_vx * ahead, s.mate_y + s.mate_vy * ahead
    dx, dy = x - s.x, y - s.y
    length = math.hypot(dx, dy)
    s.vx, s.vy = s.vx + dx / length * 90 * dt, s.vy + dy / length * 90 * dt
    if math.hypot(s.mate_x - s.x, s.mate_y - s.y) < 150:
        speed = math.hypot(s.vx, s.vy)
        left = max(speed - 70 * dt, 0) / speed
        s.vx, s.vy = s.vx * left, s.vy * left


def gunner_moves(s, keys, dt):
    gunner(s, keys, dt)
    s.x, s.y = s.x + s.vx * dt, s.y + s.vy * dt
    mate(s, dt)


GUNNER = toy(
    [
        {"rule": "chase", "target": "mate", "accel": 90, "shot_speed": 250},
        {"rule": "friction", "decel": 70, "on": "near"},
    ],
    others=[MATE],
    condition=[{"name": "near", "measure": "distance", "to": "mate", "below": 150}],
)


def hook(s, keys, dt):
    """A rope of 60 px to the other, damped."""
    dx, dy = s.mate_x - s.x, s.mate_y - s.y
    far = math.hypot(dx, dy)
    longer = far - 60
    pull_x, pull_y = (dx * longer / far, dy * longer / far) if longer > 0 else (0.0, 0.0)
    s.vx += pull_x * 20 * dt - s.vx * 1.5 * dt
    s.vy += pull_y * 20 * dt - s.vy * 1.5 * dt
    s.x, s.y = s.x + s.vx * dt, s.y + s.vy * dt
    mate(s, dt)


HOOK = toy(
    [
        {"rule": "spring", "target": "mate", "stiffness": 20, "damping": 1.5, "length": 60}
        | {"pulls_only": True}
    ],
    moves=[],
    others=[MATE],
)


def bobbing(s, keys, dt):
    """Velocity Verlet: the place by the last acceleration, the velocity by the mean of two."""
    s.x += s.vx * dt + 0.5 * s.ax * dt * dt
    s.y += s.vy * dt + 0.5 * s.ay * dt * dt
    ax, ay = (250 - s.x) * 30 + (90 if keys.go else 0), (280 - s.y) * 30 + 200
    s.vx += 0.5 * (s.ax + ax) * dt
    s.vy += 0.5 * (s.ay + ay) * dt
    s.ax, s.ay = ax, ay


BOBBING = toy(
    [
        {"rule": "move", "method": "verlet"},
        {"rule": "spring", "target": [250, 280], "stiffness": 30, "moves": False},
        {"rule": "thrust", "accel": 90, "action": "go"},
        {"rule": "force", "y": 200},
        {"rule": "accumulate", "keeps": "mean"},
    ],
    ["go"],
    moves=[],
)


def wrapped(s, keys, dt):
    """The shorter way to the other leads over the edge."""
    dx, dy = s.mate_x - s.x, s.mate_y - s.y
    dx -= 800 * math.floor(dx / 800 + 0.5)
    length = math.hypot(dx, dy)
    s.vx, s.vy = dx / length * 130, dy / length * 130
    s.x, s.y = (s.x + s.vx * dt) % 800, s.y + s.vy * dt
    mate(s, dt)


WRAPPED = toy(
    [{"rule": "chase", "target": "mate", "speed": 130, "across_edges": True}],
    craft={"start": {"x": 790, "y": 300}, "edges": {"left": "wrap", "right": "wrap"}},
    others=[MATE | {"start": {"x": 100, "y": 300}}],
    arena={"edges": "open"},
)

TOYS = {
    "thirsty": (thirsty, THIRSTY),
    "puffer": (puffer, PUFFER),
    "switcher": (switcher, SWITCHER),
    "sledge": (sledge, SLEDGE),
    "tail": (tail, TAIL),
    "gunner": (gunner_moves, GUNNER),
    "hook": (hook, HOOK),
    "wrapped": (wrapped, WRAPPED),
    "bobbing": (bobbing, BOBBING),
}


def looped(update, game, times):
    start = game.craft[0].start
    s = SimpleNamespace(x=start.x, y=start.y, vx=start.vx, vy=0.0, heading=start.heading)
    s.fuel, s.breath, s.charge, s.ready = 3.03, 8.0, 0.0, 0.0
    s.wanted, s.on, s.settled, s.ax, s.ay = False, False, 0.0, 0.0, 0.0
    s.middle = game.craft[1].start.x if len(game.craft) > 1 else 0.0
    s.mate_x, s.mate_y, s.mate_vx, s.mate_vy, s.past = s.middle, 300.0, 0.0, 0.0, deque()
    moves = update in (thirsty, puffer, switcher, sledge)
    rows, before = [(s.x, s.y, s.vx, s.vy, s.heading)], {}
    for n in range(len(times) - 1):
        dt, s.t = times[n + 1] - times[n], times[n]
        keys = Keys(s.t, before)
        update(s, keys, dt)
        if moves:
            s.x, s.y = s.x + s.vx * dt, s.y + s.vy * dt
        before = keys.down
        rows.append((s.x, s.y, s.vx, s.vy, s.heading))
    return np.array(rows)


UNEVEN = np.append(0.0, np.cumsum(np.random.default_rng(4).uniform(0.004, 0.05, 80)))


@pytest.mark.parametrize("rate", [24.0, 30.0, 60.0, 144.0, 240.0, "uneven"])
@pytest.mark.parametrize("name", TOYS)
def test_a_toy_flies_as_its_plain_loop(name, rate):
    update, game = TOYS[name]
    if rate == "uneven":
        game = game.replaced(duration=float(UNEVEN[-1]))
        clock = tr.Clock(frame_times=tuple(np.diff(UNEVEN).tolist()))
    else:
        clock = tr.Clock(rate=rate)
    flown = tr.simulate(game, clock=clock)
    track = flown.track("toy")
    found = np.column_stack([track[c] for c in ("x", "y", "vx", "vy", "heading")])
    loop = looped(update, game, track["t"])
    np.testing.assert_allclose(found, loop, rtol=0, atol=1e-8)
    plain = tr.Flight(game.replaced(clock=clock), plain=True).run().state("toy")
    assert (plain.x, plain.vy) == (found[-1, 0], found[-1, 3])


def test_resources_are_in_frames_traces_files_and_between_frames(tmp_path):
    flown = tr.simulate(THIRSTY, rate=60)
    tr.write_trajectory(flown, tmp_path / "toy.csv")
    back = tr.read_trajectory(tmp_path / "toy.csv")
    fuel = flown.track("toy")["resource.fuel"]
    np.testing.assert_array_equal(back.track("toy")["resource.fuel"], fuel)
    between = flown.at([1.5 / 60])["resource.fuel"].iloc[0]
    assert between == pytest.approx((fuel[1] + fuel[2]) / 2)
    traced = tr.trace(THIRSTY, rate=60, each_rule=True)
    ends = traced.groupby("step")["resource.fuel"].last().to_numpy()
    np.testing.assert_array_equal(ends, fuel[1:])
    assert "fuel" in {ax.get_ylabel() for ax in tr.plot_series(flown).axes}


SWEPT = {
    "toy.ease.lead": (TAIL, [0.0, 0.2]),
    "toy.chase.shot_speed": (GUNNER, [150.0, 400.0]),
    "toy.spring.stiffness": (HOOK, [5.0, 30.0]),
    "toy.thrust.direction": (SWITCHER, [0.0, 45.0]),
    "toy.friction.decel": (SLEDGE, [5.0, 60.0]),
}


@pytest.mark.parametrize("path", SWEPT)
def test_a_swept_number_ends_where_single_flights_end(path):
    game, values = SWEPT[path]
    ends = tr.sweep(game, {path: values}, rate=60).query("craft == 'toy'")
    for value, x in zip(values, ends["x"], strict=True):
        alone = tr.simulate(tr.with_value(game, path, value), rate=60).track("toy")["x"][-1]
        assert x == alone


def test_two_costs_of_one_resource_are_independent():
    """A push that takes 2 a second and 50 each time never acts on a tank of 9."""
    cost = [{"resource": "oil", "rate": 2.0}, {"resource": "oil", "amount": 50.0}]
    game = toy(
        [{"rule": "force", "x": 100, "costs": cost}],
        craft={"resources": [{"name": "oil", "most": 9}]},
    )
    track = tr.simulate(game, rate=60).track("toy")
    assert track["vx"][-1] == 40
    assert track["resource.oil"][-1] == 9
