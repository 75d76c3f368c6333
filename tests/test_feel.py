"""Feel metrics, beside what mathematics says they are."""

import json
import math
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

import tinrocket as tr
from tests.conftest import MOVE, Cli, scenario, world
from tinrocket.demos import demo_names
from tinrocket.feel_metrics.answers import Answer
from tinrocket.feel_metrics.metric import REGISTERED, Metric
from tinrocket.feel_metrics.uneven import parse_uneven

DECAY, PUSH, TURN, FALL, UP = 1.6, 480.0, 2.0, 700.0, 260.0
TOP = PUSH / DECAY
CIRCLE = PUSH / math.hypot(DECAY, TURN)
DRAG = {"rule": "drag", "rate": DECAY}
THRUST = {"rule": "thrust", "accel": PUSH}
EXACT = {"rule": "move", "method": "half"}
TURNS = {"rule": "turn", "rate": math.degrees(TURN)}
DRIVE = {"rule": "drive", "accel": 600.0, "brake": 450.0}
FLAP, DOWN = {"rule": "flap", "speed": UP}, {"rule": "fall", "accel": FALL}


def shooter(**fire: object) -> tr.Scenario:
    gun = {"name": "gun", "start": {"x": 10, "y": 500}, "rules": [{"rule": "fire"} | fire]}
    cork = {"name": "corks", "pool": 40, "lifetime": 0.75, "rules": [MOVE]}
    return world(gun, cork)


def chase(speed: float) -> tr.Scenario:
    tug = {"name": "tug", "start": {"x": 400, "y": 500}, "rules": [{**DRIVE, "speed": 150}, MOVE]}
    cat = {"rule": "chase", "target": "tug", "speed": speed, "turn": 90}
    return world(tug, {"name": "cat", "start": {"x": 100, "y": 500}, "rules": [cat, MOVE]})


def turning() -> tr.Scenario:
    rules = [TURNS, {"rule": "cruise", "speed": 150}, MOVE]
    tug = {"name": "tug", "start": {"x": 400, "y": 500}, "rules": rules}
    cat = {"rule": "chase", "target": "tug", "speed": 120, "turn": 90}
    return world(tug, {"name": "cat", "start": {"x": 100, "y": 500}, "rules": [cat, MOVE]})


def rally(**changes: float) -> tr.Scenario:
    ball = {"name": "ball", "start": {"x": 500, "y": 500, "vx": 300}, "radius": 4, "rules": [MOVE]}
    posts = [
        {"name": name, "at": [x, 500], "shape": {"kind": "box", "width": 20, "height": 90}}
        for name, x in (("left", 400), ("right", 600))
    ]
    meets = [{"between": ["ball", key], "speed_factor": 1.1} | changes for key in ("left", "right")]
    return world(ball, obstacle=posts, contact=meets, duration=4.0)


def between_hits(seconds: float) -> float:
    """Return the mean time between hits of the rally: 172 px, at 330, 363, ... px/s."""
    hits, speed = [86.0 / 300.0], 300.0
    while hits[-1] < seconds:
        speed *= 1.1
        hits.append(hits[-1] + 172.0 / speed)
    return (hits[-2] - hits[0]) / (len(hits) - 2)


def eased() -> tr.Scenario:
    view = {"follow": "top", "width": 300, "height": 200, "rate": 4.0, "timing": "exact"}
    return scenario({"rule": "drive", "speed": 200}, MOVE, view=view, timing="exact")


WALLS = {
    "width": 800,
    "height": 600,
    "y_axis": "up",
    "edges": {"kind": "bounce", "restitution": 0.8},
}


def hittable() -> tr.Scenario:
    rim = {"name": "rim", "at": [500, 0], "shape": {"kind": "box", "width": 9, "height": 90}}
    contact = {"between": ["top", "rim"], "detection": "overlap"}
    top = {
        "name": "top",
        "start": {"x": 0, "y": 0},
        "shape": {"kind": "circle", "radius": 4.0},
        "hit": {"shape": {"kind": "circle", "radius": 6.0}},
        "rules": [MOVE],
    }
    return world(top, obstacle=[rim], contact=[contact])


ANALYTIC: dict[str, tuple[tr.Scenario, dict[str, float | Callable[[float], float]]]] = {
    "thrust against drag": (
        scenario(THRUST, DRAG, EXACT, timing="exact"),
        {
            "top speed": TOP,
            "rise time": math.log(9) / DECAY,
            "time to 98 %": math.log(50) / DECAY,
            "distance to 90 %": TOP / DECAY * (math.log(10) - 0.9),
            "time to rest": math.log(50) / DECAY,
            "distance to rest": 0.98 * TOP / DECAY,
            "half-speed time": math.log(2) / DECAY,
            "50 ms press: distance": PUSH * 0.05 / DECAY,
            "50 ms press: peak speed": TOP * (1 - math.exp(-DECAY * 0.05)),
            "100 ms press: distance": PUSH * 0.1 / DECAY,
            "100 ms press: peak speed": TOP * (1 - math.exp(-DECAY * 0.1)),
            "one-frame tap: distance": lambda dt: PUSH * dt / DECAY,
            "one-frame tap: peak speed": lambda dt: (
                PUSH * dt * math.exp(-DECAY * dt) * (1 + math.exp(-DECAY * dt)) / 2
            ),
            "latency": lambda dt: 500 * dt,
            "worst latency": lambda dt: 1000 * dt,
            "latency in frames": lambda dt: 0.5,
            "10 ms taps lost": lambda dt: 100 * max(0.0, 1 - 0.01 / dt),
            "20 ms taps lost": lambda dt: 100 * max(0.0, 1 - 0.02 / dt),
            "50 ms taps lost": lambda dt: 100 * max(0.0, 1 - 0.05 / dt),
        },
    ),
    "a stick that drives": (
        scenario(
            {"rule": "drive", "speed": 80, "stick": "thumb"},
            MOVE,
            sticks={"thumb": {"x": "sx", "y": "sy"}},
        ),
        {"speed at half tilt": 40.0, "top speed": 80.0},
    ),
    "a drive along two axes": (
        scenario({"rule": "drive", "accel": 600, "speed": 240, "brake": 450}, MOVE, timing="exact"),
        {"snap to the other axis": 0.9 * 240 / 450},
    ),
    "a torque against drag": (
        scenario(
            {"rule": "torque", "accel": 900},
            {"rule": "drag", "of": "spin", "rate": 5},
            {"rule": "rotate"},
            MOVE,
            timing="exact",
        ),
        {
            "turn rate": lambda dt: 900 * dt / math.expm1(5 * dt),
            "time to 90 % of the rate": math.log(10) / 5,
        },
    ),
    "a spring that swings out": (
        world(
            {"name": "top", "start": {"x": 0, "y": 0}}
            | {
                "rules": [
                    {"rule": "spring", "target": [900, 700], "frequency": 2, "damping_ratio": 0.2}
                ]
            }
        ),
        {
            "spring frequency": 2 * math.sqrt(1 - 0.2**2),
            "spring overshoot": 100 * math.exp(-math.pi * 0.2 / math.sqrt(1 - 0.2**2)),
        },
    ),
    "a tank that thrust empties": (
        world(
            {"name": "top", "start": {"x": 0, "y": 0}}
            | {"resources": [{"name": "oil", "most": 30}]}
            | {
                "rules": [
                    {"rule": "thrust", "accel": 50, "costs": [{"resource": "oil", "rate": 7}]},
                    {"rule": "gain", "resource": "oil", "rate": 4, "on": "not thrust"},
                    EXACT,
                ]
            }
        ),
        {"full to empty": 30 / 7, "empty to full": 30 / 4},
    ),
    "a drive that brakes": (
        scenario(DRIVE, {"rule": "limit", "speed": 240}, EXACT, timing="exact"),
        {
            "top speed": 240.0,
            "rise time": 0.8 * 240 / 600,
            "distance to 90 %": 216**2 / 1200,
            "time to rest": 0.98 * 240 / 450,
            "distance to rest": 240**2 / 900 * (1 - 0.02**2),
            "time to zero": 240 / 600,
            "time to 90 % back": 1.9 * 240 / 600,
            "slide before it turns": 240**2 / 1200,
            "diagonal speed ratio": 1.0,
            "diagonal direction": 45.0,
        },
    ),
    "a diagonal that is faster": (
        scenario({"rule": "drive", "speed": 90, "normalise": False}, MOVE),
        {"top speed": 90.0, "diagonal speed ratio": math.sqrt(2)},
    ),
    "always forward": (
        scenario(TURNS, {"rule": "cruise", "speed": 150}, MOVE, timing="exact"),
        {
            "turn rate": math.degrees(TURN),
            "half turn": math.pi / TURN,
            "turn radius": 150 / TURN,
        },
    ),
    "a turn that drifts": (
        scenario(TURNS, THRUST, DRAG, EXACT, timing="exact"),
        {"turn radius": CIRCLE / TURN, "drift angle": math.degrees(math.atan(TURN / DECAY))},
    ),
    "a flap": (
        scenario(FLAP, DOWN, EXACT, timing="exact"),
        {
            "apex": UP**2 / 2 / FALL,
            "time to apex": UP / FALL,
            "time back": 2 * UP / FALL,
            "taps to hold height": FALL / UP / 2,
            "height band": UP**2 / 2 / FALL,
        },
    ),
    "a lift": (
        scenario({"rule": "lift", "accel": 1500}, DOWN, EXACT, timing="exact"),
        {
            "lift apex": 0.5 * 800 * 0.5**2 + (800 * 0.5) ** 2 / 2 / FALL,
            "time to lift apex": 0.5 + 800 * 0.5 / FALL,
            "time back down": 0.5 + (400 + math.sqrt(400**2 + 200 * FALL)) / FALL,
            "recovery from a 1 s fall": FALL / 800,
            "hover duty cycle": 100 * FALL / 1500,
        },
    ),
    "a lift against drag": (
        scenario(
            {"rule": "lift", "accel": 1500}, DOWN, {"rule": "drag", "rate": 4}, MOVE, timing="exact"
        ),
        {
            "top rise": lambda dt: 800 * dt / math.expm1(4 * dt),
            "top fall": lambda dt: FALL * dt / math.expm1(4 * dt),
        },
    ),
    "a hop": (
        scenario({"rule": "hop", "height": 45, "duration": 0.5}, MOVE, timing="exact"),
        {"hop apex": 45.0, "time to hop apex": 0.25, "time to the ground": 0.5},
    ),
    "a dash": (
        scenario(
            TURNS,
            {
                "rule": "dash",
                "speed": 500,
                "duration": 0.2,
                "cooldown": 0.7,
                "after": "stop",
                "steering": False,
            },
            MOVE,
            timing="exact",
        ),
        {
            "dash distance": 100.0,
            "peak speed": 500.0,
            "speed after": 0.0,
            "dash time": 0.2,
            "dash interval": 0.7,
            "control lost": 0.2,
        },
    ),
    "shots": (
        shooter(shots="corks", speed=400, cooldown=0.1),
        {
            "shots held": 10.0,
            "interval spread": 0.0,
            "shot speed": 400.0,
            "reach": 300.0,
            "most shots alive": 8.0,
        },
    ),
    "quick shots": (
        shooter(shots="corks", speed=400, cooldown=0.03),
        {"shots tapped fast": 10.0},
    ),
    "sides that bounce": (
        scenario(DOWN, EXACT, arena=WALLS, start={"x": 400, "y": 500}, timing="exact"),
        {"height kept": 64.0},
    ),
    "a ball between sides": (
        scenario(MOVE, arena=WALLS, start={"x": 400, "y": 300}, timing="exact"),
        {
            f"{what} kept: {side}": value
            for side in ("left", "right", "top", "bottom")
            for what, value in (
                ("speed", 100 * math.sqrt((1 + 0.8**2) / 2)),
                ("angle", math.degrees(math.atan(1 / 0.8)) - 45),
            )
        },
    ),
    "a ball that each hit makes faster": (
        rally(),
        {
            "kept by a hit: left": 110.0,
            "kept by a hit: right": 110.0,
            "speed after 5 hits": 300 * 1.1**5,
            "time between hits": between_hits(4.0),
        },
    ),
    "a ball with a top speed": (
        rally(max_speed=450.0),
        {"hits until the cap": 5.0, "speed after 5 hits": 450.0},
    ),
    "a slower pursuer": (chase(120), {"closing speed": -30.0}),
    "a faster pursuer": (
        chase(200),
        {
            "closing speed": 50.0,
            "time to catch": 6.0,
            "pursuer's turn radius": 200 / math.radians(90),
        },
    ),
    "a target that turns": (turning(), {"target's turn radius": 150 / TURN}),
    "an eased view": (
        eased(),
        {"view lag": 50.0, "view delay": 0.25, "time to catch up": math.log(10) / 4},
    ),
    "what is hit": (hittable(), {"near misses that hit": 100 * (1 - 16 / 36)}),
}


FRAME = {"dash distance": 500, "apex": 0.55 * UP, "height band": 1.1 * UP, "view lag": 102}
FRAME |= {"hover duty cycle": 500, "view delay": 0.51, "taps to hold height": 2.2}
FRAME |= {"lift apex": 800 * 0.5 + 800**2 * 0.5 / FALL}  # held for whole frames
FRAME |= {"dash time": 1.0, "dash interval": 2.0, "control lost": 1.01, "interval spread": 1.0}
FRAME |= {"50 ms press: peak speed": 40, "100 ms press: peak speed": 75}  # r v dt
"""What a metric may miss per second of a frame, where something begins or follows within one."""


@pytest.mark.parametrize("rate", [24, 30, 60, 144, 240])
@pytest.mark.parametrize("name", ANALYTIC)
def test_metrics_equal_analytic_results(name: str, rate: float, seeds: Callable[..., int]) -> None:
    """On steady frames, on uneven ones, and with all numbers counted in tuned frames."""
    flown, truths = ANALYTIC[name]
    clock, every = f"{rate:g} fps", seeds(2) > 1
    uneven = tr.Clock(rate=rate, jitter=0.25 / rate, seed=3, name="uneven")
    flights = [(tr.feel(flown, rates=[rate]), clock, 1.0 / rate)]
    if every or rate in (24, 60, 144):
        flights.append((tr.feel(flown, clocks=[uneven]), "uneven", 1.25 / rate))
    if every or rate in (30, 240):
        flights.append((tr.feel(flown.per_frame(), rates=[rate]), clock, 1.0 / rate))
    wrong = {}
    for metric, truth in truths.items():
        for n, (sheet, paced, frame) in enumerate(flights):
            if callable(truth) and paced == "uneven":
                continue
            exact = truth(frame) if callable(truth) else truth
            found = sheet.number(metric, paced)
            allowed = FRAME.get(metric, 0.0) * frame or 0.02
            if found.value != pytest.approx(exact, rel=1.5 * frame, abs=allowed):
                wrong[metric, n] = (found, exact)
    assert not wrong


@pytest.mark.parametrize("rate", [30, 60, 144, 240])
def test_a_flap_by_the_order_of_its_rules(rate: float) -> None:
    dt = 1 / rate
    orders: list[tuple[list[dict[str, Any]], float]] = [
        ([FLAP, DOWN, MOVE], UP - FALL * dt / 2),
        ([DOWN, FLAP, MOVE], UP + FALL * dt / 2),
    ]
    for rules, speed in orders:
        sheet = tr.feel(scenario(*rules, timing="dt"), rates=[rate])
        clock = f"{rate} fps"
        assert sheet.number("apex", clock).value == pytest.approx(speed**2 / 2 / FALL, rel=1e-6)
        assert sheet.number("time to apex", clock).value == pytest.approx(speed / FALL, rel=1e-6)


@pytest.mark.parametrize("rate", [30, 60, 144])
def test_a_press_waits_half_a_frame_and_short_taps_are_lost(rate: float) -> None:
    sheet = tr.feel(scenario(THRUST, DRAG, MOVE), rates=[rate])
    clock, frame = f"{rate} fps", 1000 / rate
    assert sheet.number("latency", clock).value == pytest.approx(frame / 2, rel=1e-6)
    assert sheet.number("latency in frames", clock).value == pytest.approx(0.5, rel=1e-6)
    assert sheet.number("worst latency", clock).value == pytest.approx(frame, rel=1e-6)
    for tap in (10, 20, 50):
        lost = 100 * max(1 - tap / frame, 0)
        assert sheet.number(f"{tap} ms taps lost", clock).value == pytest.approx(lost, abs=1e-6)
    kept = tr.feel(scenario(THRUST, MOVE, tape={"sampling": "buffered"}), rates=[rate])
    assert kept.number("10 ms taps lost", clock).value == 0.0


def test_fixed_steps_add_what_they_wait_for() -> None:
    clock = {"fixed_rate": 20, "rate": 60}
    late = tr.feel(scenario(THRUST, DRAG, MOVE, clock=clock), rates=[60]).rows
    found = next(row for row in late if row.metric.name == "latency").answer.value
    assert found == pytest.approx(1000 / 40, rel=1e-9)


STICK = {"thumb": {"x": "sx", "y": "sy", "dead_zone": 0.2}}


@pytest.mark.parametrize("rate", [24, 60, 144, 240])
@pytest.mark.parametrize(
    ("rules", "rest", "truths"),
    [
        # a speed that settles does not climb: the share at which forces are even
        (
            [{"rule": "lift", "accel": 1600}, DOWN, {"rule": "drag", "rate": 4}, MOVE],
            {},
            {"hover duty cycle": (100 * FALL / 1600, 1000 / 144)},
        ),
        # a drive beside a thrust: both are of the keys of the drive
        (
            [
                {"rule": "thrust", "accel": 9.0, "action": "burn"},
                {"rule": "drive", "speed": 90, "normalise": False},
                {"rule": "drag", "rate": 1.0},
                MOVE,
            ],
            {},
            {"diagonal speed ratio": (math.sqrt(2), 1e-6)},
        ),
        ([{"rule": "turn_by", "angle": 45}, MOVE], {}, {"turn step": (45, 1e-9)}),
        ([{"rule": "turn", "rate": 120}, MOVE], {}, {"one-frame turn": (None, 1e-9)}),
        ([{"rule": "move_by", "distance": 32}, MOVE], {}, {"step of a press": (32, 1e-9)}),
        (
            [{"rule": "drive", "speed": 100, "stick": "thumb"}, MOVE],
            {"sticks": STICK},
            {"dead zone": (20, 0.05), "latency in frames": (0.5, 1e-6)},
        ),
        (
            [FLAP, DOWN | {"glide": 50}, MOVE],
            {"start": {"vx": 75.0}},
            {"glide sink": (50, 1e-6), "glide ratio": (1.5, 1e-6)},
        ),
        (
            [{"rule": "drive", "speed": 125, "axis": "x"}, MOVE],
            {},
            {"time across the arena": (1000 / 125, 0.05)},
        ),
    ],
)
def test_metrics_equal_their_formulas(rules, rest, truths, rate):
    sheet = tr.feel(scenario(*rules, **rest), rates=[rate])
    for metric, (truth, within) in truths.items():
        found = sheet.number(metric, f"{rate} fps")
        exact = 120 / rate if truth is None else truth  # degrees of one frame
        assert found.value == pytest.approx(exact, abs=within), (metric, found)


@pytest.mark.parametrize("steps", [60, 120])
@pytest.mark.parametrize("rate", [60, 144, 240])
def test_a_shot_is_as_fast_under_fixed_steps(rate, steps):
    peas = {"name": "peas", "pool": 3, "lifetime": 2.0, "rules": [{"rule": "move"}]}
    data = scenario(MOVE).model_dump(mode="json", exclude_none=True)
    data["craft"][0]["rules"].insert(0, {"rule": "fire", "shots": "peas", "speed": 150})
    data["craft"].append(peas)
    game = tr.Scenario.from_data(data | {"clock": {"fixed_rate": steps}})
    row = next(row for row in tr.feel(game, rates=[rate]).rows if row.metric.name == "shot speed")
    assert row.answer.value == pytest.approx(150, rel=1e-9)


@pytest.mark.parametrize("timing", ["dt", "exact"])
@pytest.mark.parametrize("span", [{"duration": 0.6}, {"duration": "36 frames"}, {"duration": 0.61}])
def test_a_hop_takes_as_long_in_both_units(span, timing):
    ends = []
    for units in ("per_second", "per_frame"):
        hop = {"rule": "hop", "height": 50} | span
        sheet = tr.feel(scenario(hop, MOVE, timing=timing, units=units), rates=[30, 60, 144])
        ends.append(
            [sheet.number("time to the ground", f"{rate} fps").value for rate in (30, 60, 144)]
        )
    assert ends[0] == pytest.approx(ends[1], abs=1e-9)


def test_presses_over_uneven_frames_are_those_of_a_plain_loop():
    """Frames as long as chance made them: press at 40,000 moments and look when one is seen."""
    lengths = np.random.default_rng(4).uniform(0.006, 0.045, 900)
    clock = tr.Clock(name="uneven", frame_times=tuple(lengths.tolist()))
    sheet = tr.feel(scenario(THRUST, DRAG, MOVE), clocks=[clock])
    looks = np.concatenate([[0.0], np.cumsum(lengths)])
    looks = looks[looks <= 20.0]
    moments = np.linspace(looks[0], looks[-1], 40_001)[1:-1]
    waits = looks[np.searchsorted(looks, moments)] - moments
    assert sheet.number("latency", "uneven").value == pytest.approx(1000 * waits.mean(), rel=2e-3)
    for tap in (10, 20):
        lost = 100 * (waits >= tap / 1000).mean()
        assert sheet.number(f"{tap} ms taps lost", "uneven").value == pytest.approx(lost, abs=0.3)


@pytest.mark.slow
@pytest.mark.parametrize("clock", [{"rate": 24}, {"rate": 60}, {"rate": 144}, {"fixed_rate": 60}])
def test_presses_of_some_ms_are_the_mean_over_all_phases(clock):
    """A plain loop of thrust and drag, pressed at 2,000 moments within a twelfth of a second."""
    rate, steps = clock.get("rate", 144), clock.get("fixed_rate") or clock["rate"]
    slows = {"rule": "drag", "keep": 0.9}
    game = scenario(THRUST, slows, MOVE, clock=clock, timing="frame")
    sheet = tr.feel(game, rates=[rate])
    paced = f"{rate} fps" + (", 60 Hz steps" if "fixed_rate" in clock else "")
    shown = np.arange(rate + 1) / rate
    taken = np.floor(shown * steps + 1e-9).astype(int)
    looks = [n for n in range(rate) if taken[n + 1] > taken[n]]
    for length in (0.05, 0.1):
        ways = []
        for begin in 0.25 + (np.arange(2000) + 0.5) / 2000 / 12:
            v = x = 0.0
            for n in looks:
                down = begin <= shown[n] < begin + length
                for _ in range(taken[n + 1] - taken[n]):
                    v = (v + down * PUSH / 60) * 0.9
                    x += v / 60
            ways.append(x + v * 0.9 / 0.1 / 60)  # the rest of the slide
        told = sheet.number(f"{round(1000 * length)} ms press: distance", paced).value
        assert told == pytest.approx(np.mean(ways), rel=3e-3)


@pytest.mark.parametrize(
    ("rules", "said"),
    [
        ([THRUST, MOVE], {"top speed": "without limit"}),
        ([THRUST, {"rule": "limit", "speed": 200}, MOVE], {"time to rest": "never"}),
        ([THRUST, {"rule": "drag", "rate": 0.03}, MOVE], {"top speed": "without limit"}),
        (
            [THRUST, DRAG, {"rule": "stop_below", "below": 9}, MOVE],
            {"rise time": "never", "one-frame tap: distance": None},
        ),
        ([FLAP, MOVE], {"apex": "without limit", "time back": "never"}),
        ([FLAP, DOWN, MOVE], {"terminal fall": "without limit"}),
        (
            [THRUST, {"rule": "drag", "rate": -900, "allow_gain": True}, MOVE],
            {"top speed": "blows up"},
        ),
    ],
)
def test_missing_metrics_have_a_note(rules: list[dict], said: dict[str, str | None]) -> None:
    sheet = tr.feel(scenario(*rules, timing="dt"), rates=[60])
    for metric, words in said.items():
        answer = sheet.number(metric)
        assert answer.note == (words or ""), (metric, answer)
    assert all(math.isfinite(row.answer.value) or row.answer.note for row in sheet.rows)


def test_passing_through_depends_on_the_detection() -> None:
    flown = hittable()
    sheet = tr.feel(flown, rates=[30, 120])
    assert [sheet.number("tunnels from", f"{rate} fps").value for rate in (30, 120)] == [
        (9 + 12) * 30,
        (9 + 12) * 120,
    ]
    swept = tr.with_value(flown, "contact.top/rim.detection", "swept")
    assert tr.feel(swept).number("tunnels from").note == "never"


def test_by_the_frame_a_run_takes_as_many_frames_at_every_rate() -> None:
    sheet = tr.feel(tr.read_demo("rocket"), rates=[30, 120])
    for metric in ("rise time", "time to rest", "half turn", "half-speed time"):
        tuned = sheet.number(metric).value
        assert sheet.number(metric, "30 fps").value == pytest.approx(2 * tuned)
        assert sheet.number(metric, "120 fps").value == pytest.approx(tuned / 2)
    assert sheet.number("top speed", "120 fps").value == pytest.approx(660)  # as it is seen
    assert sheet.number("turn radius", "120 fps").value == pytest.approx(
        sheet.number("turn radius").value, rel=1e-2
    )


@pytest.mark.parametrize("detection", ["overlap", "swept"])
def test_a_contact_with_one_of_a_row_is_one_that_it_has(detection: str) -> None:
    """It meets the same piece, whether the contact names that or the whole row."""
    ball = {"name": "ball", "start": {"x": 40, "y": 250, "vy": -1300}, "radius": 6, "rules": [MOVE]}
    row = {"name": "pegs", "at": [40, 150], "columns": 3, "step": [60, 0]}
    row |= {"shape": {"kind": "box", "width": 30, "height": 12}}
    told = []
    for name in ("pegs", "pegs 1"):
        meets = [{"between": ["ball", name], "detection": detection}]
        game = world(ball, obstacle=[row], contact=meets)
        kept = tr.feel(game, [30]).table.assign(variant="")
        found = [str(finding) for finding in tr.check(game, [30, 60])]
        told.append((kept.to_string().replace(f": {name} ", ": "), found))
    assert "kept by a hit:" in told[0][0]
    assert (told[0][1] != []) == (detection == "overlap")
    assert told[0][0].split() == told[1][0].split()
    assert [text.replace("pegs 1", "pegs") for text in told[1][1]] == told[0][1]


def test_rounding_is_reported_as_zero() -> None:
    bouncing = WALLS | {"edges": "bounce"}
    game = scenario(MOVE, {"rule": "drag", "rate": 0.5}, arena=bouncing, start={"x": 400, "y": 300})
    kept = [
        row for row in tr.feel(game, [30, 144]).rows if row.metric.name.startswith("angle kept")
    ]
    assert len(kept) == 4 * 2
    assert {(row.answer.value, row.percent) for row in kept} == {(0.0, 0.0)}


@pytest.mark.parametrize("demo", ["rocket", "ladybird"])
def test_exact_timing_feels_the_same_except_for_latency(demo: str) -> None:
    sheet = tr.feel(tr.read_demo(demo).with_timing("exact"), rates=[30, 60, 144, 240])
    assert {row.manoeuvre for row in sheet.differing} <= {"press", "nudge", "steps"}
    taps = [row for row in sheet.differing if row.manoeuvre == "nudge"]
    assert {row.metric.name for row in taps} <= {
        "one-frame tap: distance",
        "one-frame tap: peak speed",
    }


def test_differences_are_judged_by_what_can_be_perceived() -> None:
    seconds, length = Metric("m", "s", "."), Metric("m", "px", ".")
    judged = tr.Perceptible(share=0.05, frames=1, pixels=2)
    for metric, value, tuned, differs in (
        (seconds, 0.116, 0.1, False),
        (seconds, 0.117, 0.1, True),
        (seconds, 1.049, 1.0, False),
        (length, 11.9, 10.0, False),
        (length, 106.0, 100.0, True),
    ):
        assert judged.differ(metric, Answer(value), Answer(tuned), 60.0) == differs
    assert judged.differ(seconds, Answer(math.nan, "never"), Answer(1.0), 60.0)


@pytest.mark.slow
def test_uneven_frames_are_medians_over_seeds() -> None:
    flown = scenario(THRUST, DRAG, EXACT, timing="frame", tape={"holds": {"thrust": [[0, 1]]}})
    even = tr.feel(flown, rates=[60])
    still = tr.feel(flown, rates=[60], uneven=tr.Uneven(seeds=3))
    assert [row.answer for row in still.rows] == [row.answer for row in even.rows]
    rough = tr.feel(flown, rates=[60], uneven=tr.Uneven(jitter=0.004, hitch=0.1, seeds=9))
    again = tr.feel(flown, rates=[60], uneven=tr.Uneven(jitter=0.004, hitch=0.1, seeds=9))
    rise = next(row for row in rough.rows if row.metric.name == "rise time")
    assert rise.low <= rise.answer.value <= rise.high
    assert rise.low < rise.high
    assert [row.answer for row in again.rows] == [row.answer for row in rough.rows]
    assert set(rough.tape_differs.values()) == {0.0}  # nothing happens on this tape
    assert parse_uneven("jitter=2ms, hitch=0.08,seeds=4") == tr.Uneven(0.002, 0.08, 4)
    for given, meant in (("jitter=2", "jitter=2ms"), ("hitch=80", "hitch=80ms")):
        with pytest.raises(tr.OptionError, match=rf"did you mean {meant}\?"):
            parse_uneven(given)
    for wrong in ("jitter=2m", "wobble=3ms", "seeds=2.5", "jitter=2s"):
        with pytest.raises(tr.OptionError):
            parse_uneven(wrong)


def test_a_custom_metric_is_measured(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(REGISTERED, "manoeuvres", {})  # of this test alone

    @tr.feel_metric("way in a second", "px")
    def first_second(course: tr.Course) -> float:
        """How far a second of thrust takes it."""
        if "ahead" not in course.controls.ways:
            return math.nan
        flown = course.fly(tr.Held(course.controls.hold("ahead")), seconds=1.0)
        return float(math.hypot(flown.x[-1] - flown.x[0], flown.y[-1] - flown.y[0]))

    sheet = tr.feel(scenario(THRUST, EXACT, timing="exact"), rates=[50])
    assert sheet.number("way in a second", "50 fps").value == pytest.approx(PUSH / 2)
    bare = tr.feel(scenario(FLAP, DOWN, MOVE))
    assert "way in a second" not in set(bare.table["metric"])
    with pytest.raises(tr.OptionError, match="Tin Rocket's"):
        tr.feel_metric("rise time")(lambda course: 1.0)


@pytest.mark.slow
def test_the_command_prints_the_librarys_results(cli: Cli) -> None:
    flown = tr.read_demo("rocket")
    tr.write_scenario(flown, "rocket.toml")
    told = json.loads(cli("feel", "rocket.toml", "--rates", "30,90", "--json").stdout)
    sheet = tr.feel(flown, rates=[30, 90])
    assert [row["metric"] for row in told["metrics"]] == [row.metric.name for row in sheet.rows]
    values = [row["value"] for row in told["metrics"]]
    assert values == pytest.approx([row.answer.value for row in sheet.rows])
    said = cli("feel", "rocket.toml", "--rates", "30,45,60,90,120", "--out", "drawn").stdout
    assert max(map(len, said.splitlines()[:-6])) <= 80
    assert said.count("top speed") == 2  # five clocks take two tables
    names = [line.split("/")[-1] for line in said.splitlines() if line.startswith("wrote")]
    assert names == ["feel.csv", "feel.png", "manoeuvres.png"]
    assert "settling time" in cli("feel", "rocket.toml", "--explain").stdout
    varied = ("feel", "rocket.toml", "--vary", "rocket.drag.keep=0.98,0.99", "--out", "drawn")
    assert "feel-changes.png" in cli(*varied).stdout
    ended = cli("compare", "rocket.toml").stdout
    assert ended.splitlines()[-4] == "Feel metrics that differ most:"
    refused = cli("feel", "rocket.toml", "--craft", "rockett", ok=False)
    assert refused.returncode == 2
    assert "did you mean 'rocket'?" in refused.stderr


def test_variants_are_compared_with_the_scenario_as_written() -> None:
    flown = scenario(THRUST, DRAG, EXACT, timing="exact")
    sheet = tr.feel(flown, vary={"top.drag.rate": [DECAY / 2, DECAY]}, rates=[60])
    assert sheet.written["top", "straight run", sheet.rows[0].metric].value == pytest.approx(
        TOP, rel=0.02
    )
    tops = {row.variant: row.tuned.value for row in sheet.rows if row.metric.name == "top speed"}
    assert list(tops.values()) == pytest.approx([2 * TOP, TOP], rel=0.02)


def numbers(game: tr.Scenario) -> dict[tuple[str, str, str, str], float]:
    rows = tr.feel(game, rates=[30, 144]).rows
    return {
        (r.craft, r.metric.name, r.clock, r.answer.note): 0.0 if r.answer.note else r.answer.value
        for r in rows
    }


@pytest.mark.slow
@pytest.mark.parametrize("demo", demo_names())
def test_feel_does_not_depend_on_how_numbers_and_axes_are_counted(demo: str) -> None:
    flown = tr.read_demo(demo)
    told = numbers(flown)
    assert numbers(flown.per_frame()) == pytest.approx(numbers(flown.per_second()), rel=1e-6)
    if flown.contact or flown.obstacle or flown.craft[0].name == "sparrow":
        return  # places of the game would have to be turned too
    turned = flown.arena.replaced(y_axis="up")
    assert numbers(flown.replaced(arena=turned)) == pytest.approx(told, rel=1e-6)


def test_a_stick_drives_as_keys_do() -> None:
    keys = {"rule": "drive", "accel": 500, "brake": 400}
    limit = {"rule": "limit", "speed": 220}
    stick = scenario(
        keys | {"stick": "thumb"}, limit, MOVE, sticks={"thumb": {"x": "sx", "y": "sy"}}
    )
    told, by_stick = numbers(scenario(keys, limit, MOVE)), numbers(stick)
    shared = {key: value for key, value in told.items() if key in by_stick}
    assert len(shared) > 20
    assert {key: by_stick[key] for key in shared} == pytest.approx(shared)


@tr.motion_rule
def jets(craft, dt, burn, power=150.0):
    craft.vx += burn * power * dt - craft.vx * 1.5 * dt


def test_a_custom_rule_is_measured_with_each_of_its_inputs() -> None:
    flown = scenario({"rule": "custom", "function": "jets"}, MOVE)
    sheet = tr.feel(flown, rates=[120])
    assert sheet.number("top speed", "120 fps").value == pytest.approx(100, rel=1e-6)
    assert sheet.number("half-speed time", "120 fps").value == pytest.approx(
        math.log(2) / 1.5, rel=0.02
    )


def test_a_pointer_leads_by_its_jump() -> None:
    led = scenario(
        {"rule": "ease", "target": "hand", "rate": 5.0, "timing": "exact"},
        tape={"pointers": {"hand": [[0, 9, 9]]}},
    )
    found = tr.feel(led, rates=[144]).number("pointer step response (90 %)", "144 fps")
    assert found.value == pytest.approx(math.log(10) / 5, rel=1e-3)


@pytest.mark.parametrize("rate", [24, 60, 240])
def test_flying_back_takes_as_long_as_in_a_plain_loop(rate: float) -> None:
    """Thrust and drag by dt: at top speed it turns until it points back, and waits to be back."""
    turns, dt = {"rule": "turn", "rate": 90.0}, 1.0 / rate
    found = tr.feel(scenario(turns, THRUST, DRAG, MOVE, timing="dt"), rates=[rate])
    x = vx = vy = heading = 0.0
    places = []
    for n in range(round(40 * rate)):
        turning = n >= round(20 * rate) and heading < math.pi - 1e-9
        heading += math.pi / 2 * dt * turning
        vx = (vx + PUSH * dt * math.cos(heading)) * (1.0 - DECAY * dt)
        vy = (vy + PUSH * dt * math.sin(heading)) * (1.0 - DECAY * dt)
        places.append(x)
        x += vx * dt
    begin = round(20 * rate)
    back = next(n for n in range(begin + int(rate), len(places)) if places[n] <= places[begin])
    step = places[back - 1] - places[back]
    truth = (back - begin - (places[begin] - places[back]) / step) * dt
    assert found.number("time to fly back", f"{rate} fps").value == pytest.approx(
        truth, abs=1.01 * dt
    )


@pytest.mark.parametrize(("width", "speed"), [(20.0, 100.0), (44.0, 100.0)])
def test_a_gate_passes_a_flap_timed_at_its_apex(width: float, speed: float) -> None:
    """Beside a plank for T seconds about the apex it sinks g T^2 / 8; and it has a height."""
    bird = {"name": "bird", "start": {"x": 300, "y": 500}, "radius": 8.0}
    plank = {"name": "planks", "pool": 3, "start": {"x": 0, "y": 0, "vx": -speed}}
    plank |= {"shape": {"kind": "box", "width": width, "height": 200}, "rules": [MOVE]}
    gate = world(
        bird | {"rules": [FLAP, DOWN, MOVE]}, plank, contact=[{"between": ["bird", "planks"]}]
    )
    found = tr.feel(gate, rates=[240]).number("passable gap", "240 fps").value
    beside = (width + 16.0) / speed
    assert beside < 2 * UP / FALL  # within one hop
    assert found == pytest.approx(FALL * beside**2 / 8 + 16.0, abs=2 * UP / 240)


@pytest.mark.parametrize("rate", [24, 60, 144])
@pytest.mark.parametrize("detection", ["overlap", "swept"])
def test_gap_and_depth_of_a_freeze_frame_are_geometry(detection: str, rate: float) -> None:
    """A ball at 300 px/s reaches a post after 86 px: an overlap is shown up to v dt deep."""
    meets = [{"between": ["ball", "post"], "detection": detection, "push_out": False}]
    ball = {"name": "ball", "start": {"x": 500, "y": 500, "vx": 300}, "radius": 4, "rules": [MOVE]}
    post = {"name": "post", "at": [600, 500], "shape": {"kind": "box", "width": 20, "height": 90}}
    sheet = tr.feel(world(ball, obstacle=[post], contact=meets), rates=[rate])
    depth, gap = (
        sheet.number(name, f"{rate} fps").value for name in ("largest depth", "largest gap")
    )
    frames = 86.0 / (300.0 / rate)
    past = (math.ceil(frames - 1e-9) - frames) * 300.0 / rate  # beyond the post, as the frame ends
    assert (depth, gap) == pytest.approx((past, 0.0) if detection == "overlap" else (0.0, past))
