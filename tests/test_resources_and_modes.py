"""Resources, latches, numbers that follow values, and sight of targets, against plain loops.

Each toy is an update of one frame as a game writes it, with dt; the scenario says the same. Both
are flown at five rates and over uneven frames, compiled and in plain Python.
"""

import math
from collections import deque
from types import SimpleNamespace

import numpy as np
import pytest
from scipy.integrate import solve_ivp

import tinrocket as tr

KEYS = {"go": [[0.1037, 1.3021], [1.6013, 2.4]], "left": [[0.5071, 0.9049]]}
KEYS |= {"mode": [[0.2033, 0.3], [0.7044, 0.8], [1.1077, 1.2]], "drop": [[1.4091, 1.5]]}
BENCH = {"width": 800, "height": 600, "edges": "open", "y_axis": "down"}
BENCH |= {"angles": {"zero": "right", "positive": "clockwise"}}


def toy(rules, keys=(), **rest):
    craft = {"name": "toy", "start": {"x": 100, "y": 300, "vx": 40}} | rest.pop("craft", {})
    others = rest.pop("others", [])
    return tr.Scenario.from_data(
        {
            "duration": 2.4,
            "timing": "dt",
            "arena": BENCH | rest.pop("arena", {}),
            "craft": [craft | {"rules": [*rules, *rest.pop("moves", [{"rule": "move"}])]}, *others],
            "tape": {"holds": {name: KEYS[name] for name in keys}},
        }
        | rest
    )


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


class Keys:
    """The keys of a frame, as a game polls them."""

    def __init__(self, t, before):
        self.down = {k: any(a <= t + 1e-9 < b for a, b in spans) for k, spans in KEYS.items()}
        self.before = before

    def __getattr__(self, name):
        return self.down[name]

    def pressed(self, name):
        return self.down[name] and not self.before.get(name, False)

    def released(self, name):
        return not self.down[name] and self.before.get(name, False)


def looped(update, one, times):
    start = one.craft[0].start
    s = SimpleNamespace(x=start.x, y=start.y, vx=start.vx, vy=0.0, heading=start.heading)
    s.fuel, s.breath, s.charge, s.ready = 3.03, 8.0, 0.0, 0.0
    s.wanted, s.on, s.settled, s.ax, s.ay = False, False, 0.0, 0.0, 0.0
    s.middle = one.craft[1].start.x if len(one.craft) > 1 else 0.0
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
    update, one = TOYS[name]
    if rate == "uneven":
        one = one.replaced(duration=float(UNEVEN[-1]))
        clock = tr.Clock(frame_times=tuple(np.diff(UNEVEN).tolist()))
    else:
        clock = tr.Clock(rate=rate)
    flown = tr.simulate(one, clock=clock)
    track = flown.track("toy")
    found = np.column_stack([track[c] for c in ("x", "y", "vx", "vy", "heading")])
    loop = looped(update, one, track["t"])
    np.testing.assert_allclose(found, loop, rtol=0, atol=1e-8)
    plain = tr.Flight(one.replaced(clock=clock), plain=True).run().state("toy")
    assert (plain.x, plain.vy) == (found[-1, 0], found[-1, 3])


SLOWED = {
    "stop": ({"factor": 0.0, "lasts": "4 frames"}, lambda n, first: 0 <= n - first < 4),
    "slow": ({"factor": 0.25, "lasts": 0.2}, lambda n, first: 0 <= n - first < 12),
    "while": ({"factor": 0.5, "unless": "not go"}, lambda n, _first: 8 <= n < 79 or n >= 98),
}


@pytest.mark.parametrize("kind", SLOWED)
def test_time_slows_for_everything_but_the_hands(kind):
    """A ball that falls on a floor: each bounce slows the time; a timer waits with the rest."""
    tempo, slow = SLOWED[kind]
    one = toy(
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
    track = tr.simulate(one, rate=60).track("toy")
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


def test_a_pause_is_switched_by_a_key_and_nothing_moves():
    one = toy(
        [{"rule": "force", "x": 60}],
        ["mode"],
        condition=[{"name": "paused", "starts": "", "switches": "mode"} | {"starts": []}],
        tempo=[{"name": "pause", "on": "paused"}],
    )
    x = tr.simulate(one, rate=100).track("toy")["x"]
    still = np.flatnonzero(np.diff(x) == 0.0)
    # the key goes down in the steps from 0.21, 0.71 and 1.11 s on, and time stops behind each
    assert still.tolist() == [*range(22, 72), *range(112, 240)]


FED = {"name": "top", "resources": [{"name": "fuel", "most": 4}]}
FAULTS = {
    "gain": [
        {"rule": "gain", "resource": "fuel", "rate": -3, "on": "go", "timing": "frame"},
        {"rule": "force", "x": 400, "on": ["go", "some"]},
        {"rule": "gain", "name": "leak", "resource": "fuel", "rate": 0.1},
    ],
    "thrust": [
        {"rule": "thrust", "accel": 300, "action": "go", "timing": "frame", "direction": 60}
        | {"costs": [{"resource": "fuel", "rate": 2}]},
    ],
    "friction": [{"rule": "friction", "decel": 30, "timing": "frame"}],
    "drag": [
        {"rule": "drag", "rate": 2.0, "timing": "frame"}
        | {"follows": [{"key": "rate", "by": "speed", "points": [[0, 0.5], [60, 4]]}]},
    ],
    "swing": [{"rule": "swing", "amplitude": 50, "period": 1.1, "timing": "frame"}],
    "path": [
        {"rule": "path", "points": [[0, 0], [90, 300]], "duration": 3, "timing": "frame"},
    ],
    "spring": [
        {"rule": "spring", "target": [500, 200], "stiffness": 9, "damping": 1, "timing": "frame"}
    ],
}


@pytest.mark.parametrize("name", FAULTS)
def test_one_fault_is_blamed_and_its_cure_agrees(name):
    """Each rule counts frames in a game that is exact otherwise; its own cure mends it."""
    places = name in ("swing", "path", "spring")
    one = toy(
        FAULTS[name],
        ["go"] if name in ("gain", "thrust") else [],
        timing="exact",
        craft=FED
        | {"start": {"x": 100, "y": 300, "vx": 60 if name in ("friction", "drag") else 0}},
        moves=[] if places else [{"rule": "move"}],
        condition=[{"name": "some", "measure": "resource", "resource": "fuel", "above": 0}],
    )
    causes = tr.explain(one, rates=[30, 144])
    worst = max(causes.runs, key=lambda run: run.whole)
    assert worst.causes[0].suspect.name == f"top.{name}"
    assert worst.causes[0].share > 0.85
    cured, _clock = worst.causes[0].suspect.off((one, tr.Clock()))
    drifts = [
        tr.measure_drift(tr.simulate(cured, rate=rate), tr.simulate(one, rate=60), "top").largest
        for rate in (30, 60, 144)
    ]
    assert max(drifts) < 0.15 * worst.whole


def test_fixed_steps_with_the_frames_dt_are_blamed():
    one = toy([], timing="exact", clock={"fixed_rate": 60, "step_dt": "frame"})
    worst = tr.explain(one, rates=[30, 144]).runs[0]
    assert worst.causes[0].suspect.name == "fixed steps with the drawn frame's dt"
    assert worst.causes[0].share > 0.95


@pytest.mark.parametrize("timing", ["dt", "exact"])
def test_what_is_sent_gets_faster(timing):
    one = toy(
        [],
        others=[{"name": "corks", "pool": 60, "rules": [{"rule": "move"}]}],
        spawner=[
            {"name": "rain", "spawns": ["corks"], "x": 5, "y": 5, "vx": 10, "vy": 20}
            | {"every": 0.17, "timing": timing}
            | {"speed_ramp": {"to": 4, "over": 2.0}}
        ],
    )
    sent = tr.simulate(one, rate=60).events.query("kind == 'enter'")
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
    begun = [one for one in starts if one < n]
    part = min((n - begun[-1]) / 20, 1.0) if begun else 0.0
    leg = part * 2 if part < 0.5 else 2 - part * 2
    return 100, 300 - 60 * leg * leg * (3 - 2 * leg), 0


@pytest.mark.parametrize("kind", MEASURED)
def test_given_motion_is_where_the_time_says(kind):
    keys = ["mode"] if kind == "a rise" else []
    one = toy(MEASURED[kind], keys, moves=[], craft={"start": {"x": 100, "y": 300}})
    track = tr.simulate(one, rate=60).track("toy")
    wanted = [given_at(kind, n, n / 60) for n in range(1, len(track["t"]))]
    found = np.column_stack([track[c][1:] for c in ("x", "y", "heading")])
    np.testing.assert_allclose(found, wanted, rtol=0, atol=1e-9)


@pytest.mark.parametrize("rate", [24.0, 60.0, 240.0])
@pytest.mark.parametrize(("ratio", "frequency"), [(0.1, 2.0), (1.0, 1.5), (1.8, 3.0), (0.0, 1.0)])
def test_an_exact_spring_is_a_damped_oscillator_at_every_rate(ratio, frequency, rate):
    rule = {"rule": "spring", "target": [300, 300], "frequency": frequency}
    one = toy([rule | {"damping_ratio": ratio}], moves=[], timing="exact")
    track = tr.simulate(one, rate=rate).track("toy")
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


def test_the_stage_waits_for_latches_distances_bearings_and_their_negations():
    """What is of the game is looked at as each step ends, and known in the next."""
    cork = {"name": "corks", "pool": 30, "rules": [{"rule": "move"}]}
    send = {"spawns": ["corks"], "x": 5, "y": 5, "every": 0.05}
    one = toy(
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
    flown = tr.simulate(one, rate=60)
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


TANK = {"resources": [{"name": "oil", "most": 9.0}]}
SAID = {
    "has no resource 'oli'; did you mean 'oil'": {
        "rules": [{"rule": "gain", "resource": "oli", "rate": 1}]
    },
    "there is no resource|has no resource 'fuel'": {
        "rules": [{"rule": "force", "x": 1, "costs": [{"resource": "fuel", "rate": 1}]}]
    },
    "give either 'rate', per second, or 'amount'": {
        "rules": [{"rule": "force", "x": 1, "costs": [{"resource": "oil"}]}]
    },
    "acts at single moments; give the 'amount'": {
        "rules": [{"rule": "flap", "speed": 9, "costs": [{"resource": "oil", "rate": 1}]}]
    },
    "'start' must lie between 0 and 9": {"resources": [{"name": "oil", "most": 9, "start": 10}]},
    "'least' must be below 'most'": {"resources": [{"name": "oil", "least": 9, "most": 9}]},
    "two are named 'oil'": {"resources": [{"name": "oil"}, {"name": "oil"}]},
    "there may be 6": {"resources": [{"name": f"oil {n}"} for n in range(7)]},
    "'y' is no number|'z' is no number of this rule": {
        "rules": [
            {"rule": "force", "x": 1}
            | {"follows": [{"key": "z", "by": "speed", "points": [[0, 1], [1, 2]]}]}
        ]
    },
    "at least two pairs": {
        "rules": [
            {"rule": "force", "x": 1}
            | {"follows": [{"key": "x", "by": "speed", "points": [[1, 1], [1, 2]]}]}
        ]
    },
    "'power' needs 'at'": {
        "rules": [{"rule": "force", "x": 1, "follows": [{"key": "x", "by": "speed", "power": 2}]}]
    },
    "'to' belongs to by = 'distance'": {
        "rules": [
            {"rule": "force", "x": 1}
            | {"follows": [{"key": "x", "by": "distance", "points": [[0, 1], [1, 2]]}]}
        ]
    },
    "give either 'stiffness' and 'damping', or 'frequency'": {
        "rules": [{"rule": "spring", "target": [1, 1]}]
    },
    "not all the same": {"rules": [{"rule": "path", "points": [[1, 1], [1, 1]], "duration": 1}]},
    "a latch needs a 'name'": {"rules": [{"rule": "latch", "switches": "go"}]},
    "would mean that 'late' is off": {
        "rules": [{"rule": "timer", "name": "not late", "action": "go", "duration": 1}]
    },
}


@pytest.mark.parametrize("message", SAID)
def test_what_does_not_fit_is_said(message):
    craft = {"name": "top", "start": {"x": 1, "y": 1}, "rules": [{"rule": "move"}]} | TANK
    with pytest.raises(tr.ScenarioError, match=message):
        tr.Scenario.from_data({"duration": 1, "arena": BENCH, "craft": [craft | SAID[message]]})


STAGED = {
    "it waits for what belongs to a craft; give that craft a rule 'latch'": {
        "condition": [
            {"name": "near", "measure": "x", "above": 3},
            {"name": "on", "starts": "near"},
        ]
    },
    "'to' names what a 'distance'": {
        "condition": [{"name": "d", "measure": "distance", "above": 1}]
    },
    "there is no craft or pointer 'tpo'": {
        "condition": [{"name": "d", "measure": "distance", "to": "tpo", "above": 1}]
    },
    "a latch has no 'delay'": {"condition": [{"name": "d", "starts": "go", "delay": 1}]},
    "'stops' and 'lasts' belong to a latch": {
        "condition": [{"name": "d", "all_of": "go", "stops": "go"}]
    },
    "what eases never stops quite": {"tempo": [{"name": "t", "on": "go", "ease": 1.0}]},
    "no craft has 'fuel'": {
        "condition": [{"name": "d", "measure": "resource", "resource": "fuel", "above": 1}]
    },
}


@pytest.mark.parametrize("message", STAGED)
def test_what_does_not_fit_the_stage_is_said(message):
    craft = {"name": "top", "start": {"x": 1, "y": 1}, "rules": [{"rule": "move"}]}
    with pytest.raises(tr.ScenarioError, match=message):
        tr.Scenario.from_data({"duration": 1, "arena": BENCH, "craft": [craft]} | STAGED[message])


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
