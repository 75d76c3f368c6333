"""The arithmetic of the rules, against hand-written loops, closed forms and SciPy."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

import tinrocket as tr

from .conftest import HALF, HELD, MOVE, THRUST, scenario


def test_frame_timing_is_the_games_own_loop():
    """A game's update function, written plainly, in px per frame, at a rate it was not tuned at."""
    x, y, vx, vy, angle = 320.0, 200.0, 0.0, 0.0, -90.0
    spots = []
    for n in range(1000):
        left, right, burn, brake = 60 <= n < 95, n % 200 < 31, n % 150 < 70, 700 <= n < 720
        angle += (right - left) * 3.5
        push = 0.11 * burn - 0.05 * brake
        vx += push * math.cos(math.radians(angle))
        vy += push * math.sin(math.radians(angle))
        vx *= 0.985
        vy *= 0.985
        speed = math.hypot(vx, vy)
        if speed > 4.2:
            vx, vy = vx / speed * 4.2, vy / speed * 4.2
        vx = max(-4.0, min(4.0, vx))
        if math.hypot(vx, vy) < 0.02:
            vx = vy = 0.0
        x = (x + vx) % 640
        y = (y + vy) % 400
        spots.append((x, y, vx * 60, vy * 60, angle))

    def frames(pattern):
        held = [n for n in range(1000) if pattern(n)]
        return [[n / 100, (n + 1) / 100] for n in held]

    flown = tr.simulate(
        scenario(
            {"rule": "turn", "rate": 3.5},
            {"rule": "thrust", "accel": 0.11, "reverse": 0.05},
            {"rule": "drag", "keep": 0.985},
            {"rule": "limit", "speed": 4.2},
            {"rule": "limit", "x": 4.0, "name": "sideways"},
            {"rule": "stop_below", "below": 0.02},
            MOVE,
            start={"x": 320, "y": 200, "heading": -90},
            arena={
                "width": 640,
                "height": 400,
                "y_axis": "down",
                "edges": "wrap",
                "angles": {"zero": "right", "positive": "clockwise"},
            },
            tape={
                "holds": {
                    "left": frames(lambda n: 60 <= n < 95),
                    "right": frames(lambda n: n % 200 < 31),
                    "thrust": frames(lambda n: n % 150 < 70),
                    "reverse": frames(lambda n: 700 <= n < 720),
                }
            },
            timing="frame",
            units="per_frame",
            duration=10.0,
        ),
        rate=100,
    ).frames
    got = flown[["x", "y", "vx", "vy", "heading"]].to_numpy()[1:]
    np.testing.assert_allclose(got, spots, rtol=0, atol=1e-9)


@pytest.mark.parametrize("rate", [30, 60, 144])
@pytest.mark.parametrize("timing", ["frame", "dt", "exact"])
def test_terminal_speed_of_thrust_then_drag(timing, rate):
    a, keep = 300.0, 0.97
    r = -math.log(keep) * 60
    push, kept = {
        "frame": (a / 60, keep),
        "dt": (a / rate, 1 - r / rate),
        "exact": (a / rate, math.exp(-r / rate)),
    }[timing]
    rules = (THRUST, {"rule": "drag", "keep": keep}, MOVE)
    flown = tr.simulate(scenario(*rules, tape=HELD, timing=timing, duration=60.0), rate=rate)
    assert flown.frames["speed"].iloc[-1] == pytest.approx(push * kept / (1 - kept), rel=1e-12)


@pytest.mark.parametrize(
    ("drag", "r"),
    [
        ({"keep": 0.98}, -60 * math.log(0.98)),
        ({"keep": 0.9, "at": 20}, -20 * math.log(0.9)),
        ({"half_life": 0.4}, math.log(2) / 0.4),
        ({"rate": 1.7}, 1.7),
    ],
)
@pytest.mark.parametrize("rate", [24, 165])
def test_distance_coasted_and_speed_lost(drag, r, rate):
    """Drag then Euler: a geometric series; the speed itself is exact at every rate."""
    start = {"vx": 240.0}
    flown = tr.simulate(
        scenario({"rule": "drag"} | drag, MOVE, start=start, timing="exact", duration=6.0),
        rate=rate,
    ).frames
    kept = math.exp(-r / rate)
    series = 240 / rate * kept * (1 - kept ** (6 * rate)) / (1 - kept)
    np.testing.assert_allclose(flown["vx"], 240 * np.exp(-r * flown["t"]), rtol=1e-11)
    assert flown["x"].iloc[-1] == pytest.approx(series, rel=1e-11)


@pytest.mark.parametrize(
    ("rules", "order"),
    [
        ((THRUST, MOVE), 1),
        ((MOVE, THRUST), 1),
        ((THRUST, {"rule": "drag", "half_life": 0.7}, MOVE), 1),
        (({"rule": "drag", "half_life": 0.7}, HALF), 2),
    ],
)
def test_error_falls_with_the_order_of_the_arithmetic(rules, order):
    """Halving the frame divides the error by 2 to the order of the integrator."""
    tape = HELD if THRUST in rules else {}
    game = scenario(*rules, start={"vx": 120}, tape=tape, timing="exact")
    v, a, r = 120.0, 300.0 * (THRUST in rules), math.log(2) / 0.7
    t = 2.0
    if len(rules) == 2 and THRUST in rules:
        truth = v * t + a * t * t / 2
    else:
        truth = a / r * t + (v - a / r) * (1 - math.exp(-r * t)) / r
    errors = [abs(tr.simulate(game, rate=rate).frames["x"].iloc[-1] - truth) for rate in (60, 120)]
    assert math.log2(errors[0] / errors[1]) == pytest.approx(order, abs=0.03)


def test_half_acceleration_term_is_exact_for_constant_thrust():
    flown = tr.simulate(scenario(THRUST, HALF, start={"vx": -40}, tape=HELD), rate=17).frames
    np.testing.assert_allclose(flown["x"], -40 * flown["t"] + 150 * flown["t"] ** 2, atol=1e-9)


def test_fine_run_agrees_with_an_independent_solver():
    """Turn, thrust and drag at once; the fine run's own error is of first order in its frame."""
    game = scenario(
        {"rule": "turn", "rate": 130},
        THRUST,
        {"rule": "drag", "half_life": 0.9},
        HALF,
        start={"vx": 30, "vy": -60, "heading": 20},
        tape={"holds": {"thrust": [[0, 9]], "left": [[0, 9]]}},
        timing="frame",
        duration=3.0,
    )
    r, turn, zero = math.log(2) / 0.9, math.radians(130), math.radians(20)

    def slope(t, state):
        vx, vy = state[2:]
        heading = zero + turn * t
        return [vx, vy, 300 * math.cos(heading) - r * vx, 300 * math.sin(heading) - r * vy]

    fine = tr.compare(game, rates=[60], against="fine").runs[0].reference
    moments = np.linspace(0, 3, 31)
    truth = solve_ivp(slope, (0, 3), [0, 0, 30, -60], t_eval=moments, rtol=1e-11, atol=1e-11).y
    got = fine.at(moments)[["x", "y", "vx", "vy"]].to_numpy().T
    assert np.abs(got - truth).max() < 300 * 3 / 7680  # thrust times duration times one frame


COMPASS = {"right": (1, 0), "up": (0, 1), "left": (-1, 0), "down": (0, -1)}


@pytest.mark.parametrize("y_axis", ["up", "down"])
@pytest.mark.parametrize("positive", ["clockwise", "counterclockwise"])
@pytest.mark.parametrize("zero", list(COMPASS))
def test_headings_are_as_seen_on_the_screen(y_axis, positive, zero):
    """90 degrees is a quarter turn from zero; holding right turns clockwise in every convention."""
    angles = {"zero": zero, "positive": positive}
    game = scenario(
        {"rule": "turn", "rate": 90},
        THRUST,
        MOVE,
        start={"heading": 90},
        arena={"y_axis": y_axis, "angles": angles},
        tape={"holds": {"thrust": [[0, 0.01]], "right": [[1, 2]]}},
    )
    flown = tr.simulate(game, rate=60).frames
    seen = flown["vx"].iloc[1], flown["vy"].iloc[1] * (1 if y_axis == "up" else -1)
    east, north = COMPASS[zero]
    quarter = (north, -east) if positive == "clockwise" else (-north, east)
    np.testing.assert_allclose(seen, np.multiply(quarter, 300 / 60), atol=1e-12)
    assert flown["heading"].iloc[-1] == pytest.approx(180 if positive == "clockwise" else 0)


@given(
    vx=st.floats(-500, 500), vy=st.floats(-500, 500), top=st.floats(0, 300), below=st.floats(0, 300)
)
def test_limit_and_snap_against_their_definitions(vx, vy, top, below):
    start = {"vx": vx, "vy": vy}
    speed = math.hypot(vx, vy)

    def after(rule):
        last = tr.simulate(scenario(rule, start=start, duration=0.01), rate=100).frames.iloc[-1]
        return last["vx"], last["vy"]

    held = min(speed, top) / speed if speed else 0.0
    assert after({"rule": "limit", "speed": top}) == pytest.approx((vx * held, vy * held), abs=1e-9)
    clipped = (np.clip(vx, -top, top), vy)
    assert after({"rule": "limit", "x": top}) == pytest.approx(clipped)
    if abs(speed - below) > 1e-9:
        assert after({"rule": "stop_below", "below": below}) == (
            (0, 0) if speed < below else (vx, vy)
        )


@given(
    keep=st.floats(0.5, 1),
    accel=st.floats(-900, 900),
    rate=st.sampled_from([12.0, 50.0, 60.0, 144.0]),
)
def test_units_change_no_flight(keep, accel, rate):
    """The same flight per second, per frame, and with the units given for a single rule."""
    rules = [{"rule": "thrust", "accel": accel}, {"rule": "drag", "keep": keep}, MOVE]
    second = scenario(*rules, start={"vx": 90}, tape=HELD, timing="frame", tuned_at=rate)
    frame = second.per_frame()
    assert frame.craft[0].rules[0].accel == accel / rate**2
    assert frame.craft[0].start.vx == 90 / rate
    mixed = [{"rule": "thrust", "accel": accel / rate**2, "units": "per_frame"}, *rules[1:]]
    third = scenario(*mixed, start={"vx": 90}, tape=HELD, timing="frame", tuned_at=rate)
    flights = [tr.simulate(unit, rate=60).frames["x"] for unit in (second, frame, third)]
    for other in flights[1:]:
        np.testing.assert_allclose(other, flights[0], rtol=1e-12, atol=1e-9)


def test_blow_up_names_craft_rule_frame_and_time():
    """Drag so strong that 1 - r dt is below -1 doubles the speed without end."""
    wild = scenario(
        {"rule": "turn", "rate": 5}, {"rule": "drag", "rate": 180}, MOVE, start={"vx": 1}
    )
    with pytest.raises(tr.FlightError, match="'top'.*rule 'drag'") as caught:
        tr.simulate(wild.replaced(duration=3000.0), rate=60)
    frame = 1023 + 1  # 2 to the 1024 overflows
    assert caught.value.frame == pytest.approx(frame, abs=2)
    assert caught.value.time == caught.value.frame / 60
    assert isinstance(caught.value, ArithmeticError)
