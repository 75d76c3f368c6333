"""Each rule against what it should do in closed form, in the timings that promise it."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

import tinrocket as tr

from .conftest import HALF, MOVE, scenario

RATES = [24, 60, 144]
TIMINGS = ["frame", "dt", "exact"]
always = {"go": [[0, 100]]}


def fly(*rules, rate=60, start=None, tape=None, timing="exact", duration=2.0, **rest):
    game = scenario(*rules, start=start, tape=tape or {}, timing=timing, duration=duration, **rest)
    return tr.simulate(game, rate=rate)


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize("adds", [False, True])
def test_flap_rises_to_its_apex(rate, adds):
    """v^2 / 2g above where it began: the flap is the last rule, so that gravity comes after it."""
    flap = {"rule": "flap", "speed": 300, "adds": adds}
    rules = ({"rule": "fall", "accel": 500}, HALF, flap | {"during": [0, 0.001]})
    flown = fly(*rules, rate=rate, tape={"holds": {"flap": [[0, 1]]}}).frames
    begun = flown.iloc[1]
    v = 300 + (begun["vy"] - 300 if adds else 0)
    assert begun["vy"] == pytest.approx(300 - adds * 500 / rate)
    t = flown["t"].to_numpy()[1:] - begun["t"]
    np.testing.assert_allclose(flown["y"][1:], begun["y"] + v * t - 250 * t * t, atol=1e-9)
    apex = begun["y"] + v * v / 1000
    near = flown["y"].max()
    assert near <= apex + 1e-9
    assert apex - near <= 250 * (0.5 / rate) ** 2 + 1e-9


@pytest.mark.parametrize("rate", RATES)
def test_cooldowns_in_seconds_and_in_frames(rate):
    """Held for three seconds: one flap each 0.5 s at any rate, or one each 30 frames."""
    for cooldown, count in ((0.5, 6), ("30 frames", math.ceil(3 * rate / 30))):
        rule = {"rule": "flap", "speed": 1, "cooldown": cooldown, "when": "held"}
        events = fly(rule, rate=rate, tape={"holds": {"flap": [[0, 3]]}}, duration=4.0).events
        assert len(events) == count
        assert set(events["rule"]) == {"flap"}
    period = np.diff(fly(rule | {"cooldown": 0.1}, rate=10, duration=60.0).events["t"])
    assert period.size == 0  # nothing holds it
    tape = {"holds": {"flap": [[0, 3600]]}}
    hour = fly(rule | {"cooldown": 0.1}, rate=10, tape=tape, duration=3600.0).events["t"]
    assert hour.tolist() == [n / 10 for n in range(36000)]  # on the tenth after an hour


@pytest.mark.parametrize("rate", RATES)
def test_fall_to_a_terminal_speed_and_glide(rate):
    rules = ({"rule": "fall", "accel": 600, "terminal": 240}, MOVE)
    flown = fly(*rules, rate=rate).frames
    np.testing.assert_allclose(
        -flown["vy"], 240 * (1 - np.exp(-600 / 240 * flown["t"])), rtol=1e-12, atol=1e-9
    )
    typed = fly(*rules, rate=rate, timing="frame").frames["vy"]
    falling = 0.0
    for shown in typed[1:]:
        falling += 600 / 60 * (1 - falling / 240)
        assert shown == pytest.approx(-falling)
    assert (fly({"rule": "fall", "speed": 70}, rate=rate).frames["vy"][1:] == -70).all()
    gliding = {"rule": "fall", "accel": 600, "glide": 50}
    glided = fly(gliding, rate=rate, tape={"holds": {"glide": [[0.5, 1]]}}).frames
    held = glided[(glided["t"] > 0.5 + 1e-9) & (glided["t"] <= 1.0)]
    assert (held["vy"] == -50).all()


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize("timing", TIMINGS)
def test_hop_returns_exactly_over_ground_that_moves_on(rate, timing):
    rule = {"rule": "hop", "height": 40, "duration": 0.5}
    taps = {"taps": {"hop": [0.0, 0.7]}}
    flown = fly(rule, MOVE, rate=rate, start={"vx": 100}, tape=taps, timing="exact").frames
    t, begun = flown["t"].to_numpy(), [0.0, math.ceil(round(0.7 * rate, 9)) / rate]
    parts = [(t - b) / 0.5 for b in begun]
    truth = sum(np.where((p > 0) & (p < 1), 160 * p * (1 - p), 0.0) for p in parts)
    np.testing.assert_allclose(flown["height"], truth, atol=1e-6)
    np.testing.assert_allclose(flown["x"], 100 * t, atol=1e-9)
    other = fly(rule, rate=rate, tape=taps, timing=timing).frames["height"]
    assert (other == 0).sum() > rate / 2  # on the ground again, to the bit
    if timing != "exact":  # v -= g h, z += v h, summed: until the ground or the time is there
        n, h = np.arange(rate // 2), 1 / (60 if timing == "frame" else rate)
        stepped = 320 * n * h - 1280 * h * h * n * (n + 1) / 2
        lands = np.flatnonzero(stepped[1:] <= 1e-9)
        stepped[lands[0] + 1 if lands.size else n.size :] = 0
        np.testing.assert_allclose(other[: n.size], stepped, atol=1e-9)
    for contacts, kind in ((True, ["clamp"]), (False, [])):
        fence = {"width": 1000, "height": 1000, "edges": {"right": "clamp", "left": "open"}}
        fence["edges"] |= {"top": "open", "bottom": "open"}
        over = fly(
            rule | {"contacts": contacts},
            {"rule": "force", "x": -2000, "during": [0.1, 0.3]},
            MOVE,
            start={"x": 985, "vx": 200},
            tape={"taps": {"hop": [0.0]}},
            arena=fence,
        )
        assert over.events["kind"].tolist() == ["hop", *kind]


@pytest.mark.parametrize("rate", RATES)
def test_ease_and_lag_arrive_alike_at_every_rate(rate):
    """What remains after t is exp(-r t) of the distance."""
    r = -60 * math.log(0.9)
    for rule in (
        {"rule": "ease", "fraction": 0.1},
        {"rule": "ease", "half_life": math.log(2) / r},
        {"rule": "ease", "rate": r},
        {"rule": "follow", "lag": math.log(2) / r},
    ):
        flown = fly(rule | {"target": [100, 50]}, rate=rate).frames
        left = np.exp(-r * flown["t"])
        np.testing.assert_allclose(100 - flown["x"], 100 * left, rtol=1e-9, atol=1e-9)
        np.testing.assert_allclose(50 - flown["y"], 50 * left, rtol=1e-9, atol=1e-9)
        np.testing.assert_allclose(flown["vx"][1:], np.diff(flown["x"]) * rate, atol=1e-6)
    typed = fly({"rule": "ease", "fraction": 0.1, "target": [100, 50]}, rate=rate, timing="frame")
    steps = np.arange(len(typed.frames))
    np.testing.assert_allclose(100 - typed.frames["x"], 100 * 0.9**steps, atol=1e-9)


@given(
    rate=st.floats(15, 300),
    speed=st.floats(50, 2000),
    duration=st.floats(0.01, 0.9),
    along=st.sampled_from(["heading", "input"]),
    after=st.sampled_from(["stop", "restore"]),
    adds=st.booleans(),
)
def test_dash_covers_speed_times_duration_at_every_rate(rate, speed, duration, along, after, adds):
    """Though no frame ends with it; the speed of before comes back, the steering is locked."""
    rules = (
        {"rule": "drive", "accel": 900, "left": "l", "right": "r", "up": "u", "down": "d"},
        {"rule": "dash", "speed": speed, "duration": duration, "along": along, "after": after}
        | {"steering": False, "adds": adds},
        MOVE,
    )
    tape = {"holds": {"dash": [[0, 5]], "u": [[0, max(duration - 1 / rate, 1e-6)]]}}
    if along == "input":
        tape["holds"]["up"] = [[0, 5]]
    flown = fly(*rules, rate=rate, start={"vx": 10.0, "heading": 90}, tape=tape)
    last = flown.frames.iloc[-1]
    coasts = (last["t"] - duration) * (after == "restore") + duration * adds
    before = 900 / rate  # the steering of the frame in which the dash began, and of no later one
    assert last["x"] == pytest.approx(10 * coasts, abs=1e-6)
    assert last["y"] == pytest.approx(speed * duration + before * coasts, rel=1e-9, abs=1e-6)
    assert flown.events["kind"].tolist() == ["dash"]


@pytest.mark.parametrize("barred", [True, False])
def test_a_barred_dash_still_hears_directions_and_releases(barred):
    """What is held and let go while it may not begin counts as soon as it may."""
    rules = (
        {"rule": "timer", "name": "dazed", "duration": 1.0, "action": "daze"},
        {"rule": "dash", "speed": 100, "along": "last", "release": True, "action": "go"}
        | ({"unless": "dazed"} if barred else {}),
        MOVE,
    )
    tape = {
        "taps": {"daze": [0.3], "go": [0.1, 1.4]},
        "holds": {"right": [[0.0, 0.2]], "up": [[0.5, 0.7]], "go": [[0.1, 0.6]]},
    }
    flown = fly(*rules, rate=20, tape=tape)
    assert flown.events.query("kind == 'dash'")["t"].tolist() == pytest.approx([0.1, 1.4])
    last = flown.frames.iloc[-1]
    assert (last["vx"], last["vy"]) == pytest.approx((0, 100))  # up, which was held last


@pytest.mark.parametrize("normalise", [True, False])
@pytest.mark.parametrize("numbers", [{"speed": 120}, {"accel": 60}, {"speed": 120, "accel": 1e5}])
def test_diagonal_equals_straight_when_normalised(numbers, normalise):
    rule = {"rule": "drive", "normalise": normalise} | numbers
    straight, diagonal = (
        fly(rule, MOVE, tape={"holds": {key: [[0, 9]] for key in held}}).frames["speed"].iloc[-1]
        for held in (("right",), ("right", "up"))
    )
    assert straight == pytest.approx(120)
    assert diagonal == pytest.approx(120 * (1 if normalise else math.sqrt(2)))


@pytest.mark.parametrize("rate", RATES)
def test_drive_speeds_up_and_brakes_at_constant_rates(rate):
    """To 200 px/s at 400 px/s^2, then to rest at 250: 80 px on the way, exactly then still."""
    rule = {"rule": "drive", "speed": 200, "accel": 400, "brake": 250, "axis": "x"}
    tape = {"holds": {"right": [[0, 1.0]]}}
    flown = fly(rule, HALF, rate=rate, start={"vy": 7}, tape=tape, duration=3.0).frames
    t = flown["t"]
    np.testing.assert_allclose(
        flown["vx"], np.clip(np.minimum(400 * t, 200 - 250 * (t - 1)), 0, 200), atol=1e-9
    )
    assert (flown["vy"] == 7).all()
    assert flown["x"].iloc[-1] == pytest.approx(50 + 100 + 80, abs=200 / rate**1)


def test_stick_shapes_what_the_thumb_does():
    """Below the dead zone nothing, from the outer threshold on all, between them by exponent."""
    tilts = [0.0, 0.1, 0.3, 0.5, 0.9, 1.0]
    stick = {"x": "sx", "y": "sy", "dead_zone": 0.2, "full_at": 0.8, "exponent": 2.0}
    tape = {"values": {"sx": [[n, 0.6 * t] for n, t in enumerate(tilts)]}}
    tape["values"]["sy"] = [[n, 0.8 * t] for n, t in enumerate(tilts)]
    rule = {"rule": "drive", "speed": 100, "stick": "thumb"}

    def seen(**change):
        flown = fly(rule, rate=1, tape=tape, duration=6.0, sticks={"thumb": stick | change})
        return flown.frames[["vx", "vy"]].to_numpy()[1:]

    share = np.clip((np.array(tilts) - 0.2) / 0.6, 0, 1) ** 2
    np.testing.assert_allclose(seen(), 100 * np.outer(share, [0.6, 0.8]), atol=1e-9)
    full = seen(magnitude="full")
    np.testing.assert_allclose(full, 100 * np.outer(share > 0, [0.6, 0.8]), atol=1e-9)
    apart = np.clip((np.outer(tilts, [0.6, 0.8]) - 0.2) / 0.6, 0, 1) ** 2
    no_longer = np.maximum(np.hypot(*apart.T), 1.0)[:, None]  # than a straight way
    np.testing.assert_allclose(seen(zone="axes"), 100 * apart / no_longer, atol=1e-9)
    rule["normalise"] = False
    np.testing.assert_allclose(seen(zone="axes"), 100 * apart, atol=1e-9)


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize("timing", ["dt", "exact"])
def test_aim_turns_the_short_way_at_its_rate(rate, timing):
    rule = {"rule": "aim", "at": [-100, -1e-9], "rate": 90}
    flown = fly(rule, rate=rate, start={"heading": 100}, timing=timing).frames
    truth = np.minimum(100 + 90 * flown["t"], 180)
    np.testing.assert_allclose(flown["heading"], truth, atol=1e-6)
    at_once = fly({"rule": "aim", "at": [0, -5]}, rate=rate, start={"heading": 800}).frames
    assert at_once["heading"].iloc[1] == pytest.approx(630)  # 270, without unwinding two turns


def decayed(timing, r, rate):
    """Share of a spin that is left after a step, as each timing promises."""
    return {
        "frame": math.exp(-r / 60),
        "dt": 1 - r / rate,
        "exact": math.exp(-r / rate),
    }[timing]


SPIN = ({"rule": "torque", "accel": 90, "left": "go"}, {"rule": "rotate"})
STEPWISE = {
    # rules, start, column, and what the column is after n steps of length s that keep a share k
    "turn": (
        [{"rule": "turn", "rate": 40, "left": "go"}],
        {},
        "heading",
        lambda n, s, k: 40 * n * s,
    ),
    "pivot held": (
        [{"rule": "turn_by", "angle": 3, "left": "go", "when": "held"}],
        *({}, "heading", lambda n, s, k: 180 * n * s),
    ),
    "torque": (SPIN, {}, "heading", lambda n, s, k: 90 * s * s * n * (n + 1) / 2),
    "spin drag": (
        [*SPIN, {"rule": "drag", "of": "spin", "rate": 2}],
        *({}, "heading", lambda n, s, k: 90 * s * s * (n - k * (1 - k**n) / (1 - k)) / (1 - k)),
    ),
    "spin limit": (
        [{"rule": "limit", "spin": 35}, SPIN[1]],
        *({"spin": 90}, "heading", lambda n, s, k: 35 * n * s),
    ),
    "thrust": (
        [{"rule": "thrust", "accel": 70, "action": "go"}, MOVE],
        *({"heading": 90}, "y", lambda n, s, k: 70 * s * s * n * (n + 1) / 2),
    ),
    "reverse": (
        [{"rule": "thrust", "accel": 70, "reverse": 20, "reverse_action": "go"}],
        *({}, "vx", lambda n, s, k: -20 * n * s),
    ),
    "force": (
        [{"rule": "force", "x": 30, "y": -80}, HALF],
        *({"vy": 50}, "y", lambda n, s, k: 50 * n * s - 40 * (n * s) ** 2),
    ),
    "lift": (
        [{"rule": "lift", "accel": 60, "forward": 25, "action": "go"}, MOVE],
        *({"vy": -9}, "y", lambda n, s, k: -9 * n * s + 60 * s * s * n * (n + 1) / 2),
    ),
    "lift forward": (
        [{"rule": "lift", "accel": 60, "forward": 25, "action": "none"}],
        *({}, "vx", lambda n, s, k: 25 * n * s),
    ),
    "cruise": (
        [{"rule": "cruise", "speed": 80}, MOVE],
        *({"heading": 30, "vx": 7}, "y", lambda n, s, k: 40 * n * s),
    ),
    "limit": ([{"rule": "limit", "y": 35}, MOVE], {"vy": -90}, "y", lambda n, s, k: -35 * n * s),
    "drag": (
        [{"rule": "drag", "rate": 2}, MOVE],
        *({"vx": 80}, "x", lambda n, s, k: 80 * s * k * (1 - k**n) / (1 - k)),
    ),
    "stop_below": (
        [MOVE, {"rule": "stop_below", "below": 9}],
        {"vx": 8.9},
        "x",
        lambda n, s, k: 8.9 * s,
    ),
    "aim along a stick": (
        [{"rule": "aim", "stick": "thumb", "rate": 30}],
        *({"heading": -80}, "heading", lambda n, s, k: np.minimum(-80 + 30 * n * s, 0)),
    ),
    "chase by steering": (
        [{"rule": "chase", "target": [0, 1e9], "speed": 50, "turn": 45}],
        *({}, "vy", lambda n, s, k: 50 * np.sin(np.radians(np.minimum(45 * n * s, 90)))),
    ),
    "chase by pushing": (
        [{"rule": "chase", "target": [0, -1e9], "accel": 50}, HALF],
        *({}, "y", lambda n, s, k: -25 * (n * s) ** 2),
    ),
    "follow at top speed": (
        [{"rule": "follow", "target": [60, 80], "speed": 20}],
        *({}, "y", lambda n, s, k: np.minimum(16 * n * s, 80)),
    ),
    "stride held": (
        [{"rule": "move_by", "distance": 2, "action": "go", "when": "held"}],
        *({"heading": 30}, "x", lambda n, s, k: 120 * n * s * math.cos(math.pi / 6)),
    ),
}


@pytest.mark.parametrize("rate", RATES)
@pytest.mark.parametrize("timing", TIMINGS)
@pytest.mark.parametrize("what", STEPWISE)
def test_rules_add_up_in_closed_form_in_each_timing(what, timing, rate):
    """In closed form, over all steps: a tuned frame each with `frame`, else as long as they are."""
    rules, start, column, truth = STEPWISE[what]
    tilt = {"values": {"tilt": [[0, 1]], "still": [[0, 0]]}}
    heard = {"holds": always} if "'go'" in str(rules) else tilt if "stick" in what else {}
    thumb = {"sticks": {"thumb": {"x": "tilt", "y": "still"}}} if "stick" in what else {}
    flown = fly(*rules, rate=rate, start=start, timing=timing, tape=heard, **thumb).frames
    n, step = np.arange(len(flown)), 1 / 60 if timing == "frame" else 1 / rate
    expected = truth(n, step, decayed(timing, 2.0, rate)) + np.zeros(len(n))
    np.testing.assert_allclose(flown[column][1:], expected[1:], rtol=1e-9, atol=1e-9)


def chasing(rule, rate, duration=3.0, edges=None, timing="exact"):
    """A magnet after a mouse that runs to the right at 60 px/s."""
    mouse = {"name": "mouse", "start": {"x": 200, "y": 0, "vx": 60}, "rules": [MOVE]}
    mouse |= {"edges": edges} if edges else {}
    rules = [rule | {"rule": "chase", "target": "mouse"}, MOVE]
    magnet = {"name": "magnet", "start": {"x": 0, "y": 0}, "rules": rules, "timing": timing}
    return tr.simulate(scenario(MOVE, craft=[mouse, magnet], duration=duration), rate=rate)


@pytest.mark.parametrize("rate", RATES)
def test_chase_closes_in_and_stops_without_a_target(rate):
    flown = chasing({"speed": 160}, rate)
    gap = flown.of("mouse")["x"].to_numpy() - flown.of("magnet")["x"].to_numpy()
    t = flown.of("magnet")["t"].to_numpy()
    np.testing.assert_allclose(gap, np.maximum(200 - 100 * t, 0), atol=1e-9)  # arrives on the spot
    past = chasing({"speed": 160}, rate, timing="dt")
    apart = past.of("mouse")["x"].to_numpy() - past.of("magnet")["x"].to_numpy()
    assert apart.min() < -0.1  # the mistake: it overshoots, and turns back
    edges = {"left": "open", "right": "remove", "top": "open", "bottom": "open"}
    gone = chasing({"speed": 160}, rate, 16.0, edges)
    vanished = gone.events
    assert vanished["kind"].tolist() == ["remove"]
    assert vanished["t"].iloc[0] == pytest.approx(800 / 60)
    assert (gone.of("mouse")["alive"].iloc[-1], gone.of("magnet")["alive"].iloc[-1]) == (0, 1)
    assert gone.of("mouse")["x"].iloc[-1] == gone.of("mouse")["x"].iloc[-2]
    assert gone.of("magnet")["speed"].iloc[-1] == 0
    pushed = chasing({"accel": 50}, rate).of("magnet")
    np.testing.assert_allclose(pushed["vx"], 50 * pushed["t"], atol=1e-9)


SPANS = st.one_of(st.just(0.0), st.floats(1e-9, 1e-3), st.floats(0.1, 30))


@given(
    drag=SPANS,
    turn=st.one_of(st.just(0.0), st.floats(-1e-3, 1e-3), st.floats(-1500, 1500)),
    accel=st.floats(-900, 900),
    rate=st.sampled_from([3.0, 17.0, 60.0]),
)
def test_closed_form_of_a_craft_against_an_independent_solver(drag, turn, accel, rate):
    """Turn, thrust, drag, wind and gravity at once: exact in one step, however long it is."""
    game = scenario(
        {"rule": "turn", "rate": turn, "left": "go", "right": "none"},
        {"rule": "thrust", "accel": accel, "action": "go"},
        {"rule": "drag", "rate": drag},
        {"rule": "force", "x": 35, "on": "go"},
        {"rule": "fall", "accel": 110},
        MOVE,
        start={"vx": 60, "vy": -30, "heading": 25},
        tape={"holds": always},
        duration=1.0,
    )
    game = tr.with_value(game, "top.stepping", "closed_form")
    flown = tr.simulate(game, rate=rate).frames
    spin, zero = math.radians(turn), math.radians(25)

    def slope(t, state):
        vx, vy, h = state[2], state[3], zero + spin * t
        ax, ay = accel * math.cos(h) - drag * vx + 35, accel * math.sin(h) - drag * vy - 110
        return [vx, vy, ax, ay]

    span = (0, flown["t"].iloc[-1])
    options = {"t_eval": flown["t"], "rtol": 1e-11, "atol": 1e-11, "method": "DOP853"}
    truth = solve_ivp(slope, span, [0, 0, 60, -30], **options).y
    got = flown[["x", "y", "vx", "vy"]].to_numpy().T
    np.testing.assert_allclose(got, truth, rtol=0, atol=2e-7)


@pytest.mark.parametrize("rate", RATES)
def test_rules_act_when_they_are_bound_to(rate):
    """A window, a timer and its absence, a press and a release; each adds its own speed."""
    gain = {"rule": "move_by", "distance": 1, "action": "go", "when": "held"}
    on = {
        "window": {"during": [0.5, 1.5]},
        "timer": {"during": "boosted"},
        "otherwise": {"unless": "boosted"},
        "pressed": {"when": "pressed"},
        "released": {"when": "released"},
        "both": {"on": "boost", "during": [0.25, 9.0]},
    }
    boost = {"rule": "timer", "name": "boosted", "action": "boost", "duration": 0.75}
    tape = {"holds": {"go": [[0, 100]], "boost": [[0.25, 0.5], [1.0, 1.25]]}}
    tape["holds"]["go"] = [[0, 0.9], [1.25, 1.75]]
    counted = {}
    for name, keys in on.items():
        flown = fly(boost, gain | keys, rate=rate, tape=tape, timing="frame")
        counted[name] = round(flown.frames["x"].iloc[-1])
    down = [n / rate for n in range(2 * rate) if n / rate < 0.9 or 1.25 <= n / rate < 1.75]
    ran = [0.25 <= t + 1e-9 < 1.75 for t in down]
    assert counted == {
        "window": sum(0.5 <= t + 1e-9 < 1.5 for t in down),
        "timer": sum(ran),
        "otherwise": len(down) - sum(ran),
        "pressed": 2,
        "released": 2,
        "both": sum(0.25 <= t + 1e-9 < 0.5 or 1.0 <= t + 1e-9 < 1.25 for t in down),
    }
