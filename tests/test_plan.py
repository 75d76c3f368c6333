"""Plans: the same bits compiled and plain, steps one by one, numbers changed on the way."""

import math
import os
import signal
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import tinrocket as tr
from tinrocket.compile.build import make_plan
from tinrocket.flight import record as recording
from tinrocket.language import cache
from tinrocket.scenario import numbers

from .conftest import MOVE, THRUST, scenario, world

NUMBER = st.floats(-900, 900).map(lambda value: round(value, 3))
SMALL = st.floats(0.01, 5).map(lambda value: round(value, 3))
KEYS = ("left", "right", "up", "down", "thrust", "flap", "dash", "hop", "lift")
RULES = st.one_of(
    st.builds(lambda a: {"rule": "turn", "rate": a}, NUMBER),
    st.builds(lambda a, b: {"rule": "thrust", "accel": a, "reverse": b}, NUMBER, NUMBER),
    st.builds(lambda a, b: {"rule": "drive", "accel": a, "brake": b}, SMALL, SMALL),
    st.builds(lambda a: {"rule": "drag", "rate": a}, SMALL),
    st.builds(lambda a: {"rule": "limit", "speed": a}, SMALL),
    st.builds(lambda a: {"rule": "limit", "x": a, "y": 2 * a}, SMALL),
    st.builds(lambda a, b: {"rule": "fall", "accel": a, "terminal": b}, SMALL, SMALL),
    st.builds(lambda a, b: {"rule": "flap", "speed": a, "cooldown": b}, NUMBER, SMALL),
    st.builds(
        lambda a, b, way: {"rule": "dash", "speed": a, "duration": b, "along": way},
        *(NUMBER, SMALL, st.sampled_from(["heading", "input", "last"])),
    ),
    st.builds(lambda a, b: {"rule": "hop", "height": a, "duration": b}, SMALL, SMALL),
    st.builds(lambda a: {"rule": "aim", "at": [50.0, 20.0], "rate": a}, SMALL),
    st.builds(lambda a: {"rule": "chase", "target": "other", "accel": a}, SMALL),
    st.builds(
        lambda a, axis: {"rule": "stop_below", "below": a, "axis": axis},
        *(SMALL, st.sampled_from(["both", "x", "each"])),
    ),
    st.builds(
        lambda a, wins: {"rule": "drive", "speed": a, "opposing": wins},
        *(SMALL, st.sampled_from(["first", "second", "last"])),
    ),
    st.builds(lambda a: {"rule": "limit", "down": a}, SMALL),
    st.builds(
        lambda a, b: {"rule": "force", "y": a, "ramps": [{"key": "y", "to": b, "over": 0.5}]},
        *(NUMBER, NUMBER),
    ),
    st.builds(lambda a, b: {"rule": "hop", "speed": a, "gravity": b}, SMALL, SMALL),
    st.builds(
        lambda a, b, by: (
            {"rule": "turn", "rate": a}
            | {"follows": [{"key": "rate", "by": by, "points": [[0, a], [50, b]]}]}
        ),
        *(NUMBER, NUMBER, st.sampled_from(["speed", "x", "heading", "time"])),
    ),
    st.builds(
        lambda a, b: (
            {"rule": "drag", "rate": a}
            | {"follows": [{"key": "rate", "by": "speed", "power": b, "at": a, "most": 9.0}]}
        ),
        *(SMALL, SMALL),
    ),
    st.builds(
        lambda a, b: (
            {"rule": "thrust", "accel": a, "direction": b}
            | {"costs": [{"resource": "fuel", "rate": 9.0}]}
        ),
        *(NUMBER, NUMBER),
    ),
    st.builds(
        lambda a, b: (
            {"rule": "flap", "speed": a, "cooldown": b}
            | {"costs": [{"resource": "fuel", "amount": b}]}
        ),
        *(NUMBER, SMALL),
    ),
    st.builds(lambda a: {"rule": "gain", "resource": "fuel", "rate": a}, NUMBER),
    st.builds(
        lambda a, axis: {"rule": "friction", "decel": a, "axis": axis},
        *(SMALL, st.sampled_from(["both", "x", "ahead", "across"])),
    ),
    st.builds(
        lambda a, b, seen: (
            {"rule": "spring", "target": "other", "stiffness": a, "damping": b} | seen
        ),
        *(SMALL, SMALL),
        st.sampled_from(
            [
                *({}, {"delay": "3 frames"}, {"delay": 0.1, "offset": [5, 3]}),
                *({"across_edges": True, "lead": 0.2}, {"length": 9.0, "pulls_only": True}),
            ]
        ),
    ),
    st.builds(
        lambda a, b: {"rule": "swing", "amplitude": a, "period": b, "axis": "heading"},
        *(NUMBER, SMALL),
    ),
    st.sampled_from(
        [
            {"rule": "latch", "name": "mode", "switches": "flap", "stops": "up", "lasts": 0.1},
            {"rule": "path", "points": [[0, 0], [9, 5], [3, 30]], "duration": 0.4}
            | {"relative": True, "action": "down"},
            *(MOVE, {"rule": "move", "method": "half"}, {"rule": "rotate"}),
            *({"rule": "move", "method": "half_new", "axis": "y"}, {"rule": "accumulate"}),
        ]
    ),
)
GATES = st.sampled_from(
    [
        *({}, {}, {}, {"on": "thrust"}, {"unless": ["at wall"]}, {"on": "seen"}),
        *({"on": ["fast", "up"]}, {"unless": "fast", "on": "either"}),
        *({"on": ["not fast", "not up"]}, {"unless": "not near"}, {"on": "latched"}),
    ]
)
CONDITIONS = [
    {"name": "at wall", "at_edge": "any"},
    {"name": "fast", "measure": "speed", "above": 20},
    {"name": "seen", "measure": "x", "of": "other", "above": 40, "below": 90, "delay": 0.1},
    {"name": "met", "event": "bounce", "scores": "one"},
    {"name": "either", "any_of": ["seen", "at wall", "left"]},
    {"name": "near", "measure": "distance", "to": "other", "below": 50},
    {"name": "behind", "measure": "bearing", "to": [60, 60], "of": "one", "above": 90},
    {"name": "low", "measure": "resource", "resource": "fuel", "of": "one", "below": 3},
    {"name": "latched", "starts": ["not behind"], "stops": "low", "switches": "lift", "lasts": 0.2},
    {"name": "beat", "every": 0.3, "scores": "one"},
    {"name": "again", "measure": "score", "of": "one", "above": 4, "restarts": True},
]
TEMPOS = st.sampled_from(
    [
        [],
        [],
        [{"name": "stop", "on": "met", "lasts": "3 frames"}],
        [{"name": "own", "of": "other", "on": "met", "lasts": 0.2}],
        [{"name": "own", "of": ["one", "other"], "factor": 0.6, "on": "latched", "ease": 0.05}],
        [{"name": "slow", "factor": 0.3, "on": "latched", "unless": "not low", "ease": 0.1}],
    ]
)
EDGE = st.sampled_from(["wrap", "clamp", "bounce", "open", "remove"])
PRESSES = st.lists(st.tuples(st.floats(0, 1), st.floats(0.001, 0.4)), max_size=3)


@st.composite
def scenarios(draw):
    """Draw two craft with rules in any order, on any bench, with any hands on any keys."""
    craft = [
        {
            "name": name,
            "start": {"x": 30, "y": draw(st.floats(20, 80)), "vx": draw(NUMBER), "spin": 20},
            "shape": {"kind": "box", "width": 14, "height": 6, "turns": name == "other"},
            "timing": draw(st.sampled_from(["frame", "dt", "exact"])),
            "edges": draw(EDGE),
            "resources": [{"name": "fuel", "most": 20.0}],
            "rules": [
                rule | gate
                for rule, gate in draw(
                    st.lists(
                        st.tuples(RULES, GATES),
                        min_size=1,
                        max_size=6,
                        unique_by=lambda pair: pair[0].get("name", id(pair)),
                    )
                )
                if rule.get("target") != name
            ]
            + [MOVE],
        }
        for name in ("one", "other")
    ]
    holds = {
        key: [(down, down + length) for down, length in draw(PRESSES)]
        for key in draw(st.lists(st.sampled_from(KEYS), max_size=5, unique=True))
    }
    contact = {"between": ["one", "other"], "response": draw(st.sampled_from(["bounce", "block"]))}
    contact |= {"detection": draw(st.sampled_from(["swept", "overlap"])), "random_angle": 20.0}
    contact |= {"friction": draw(st.sampled_from([0.0, 0.1]))}
    contact |= draw(st.sampled_from([{}, {"unless": "fast"}, {"push_out": "top", "then": [{}]}]))
    game = tr.Scenario.from_data(
        {
            "duration": 1,
            "units": draw(st.sampled_from(["per_second", "per_frame"])),
            "arena": {"width": 120, "height": 100},
            "craft": craft,
            "contact": draw(st.sampled_from([[], [contact]])),
            "condition": CONDITIONS,
            "tempo": draw(TEMPOS),
        }
    )
    heard = {key: presses for key, presses in holds.items() if presses and key in game.actions}
    return game.replaced(tape=tr.Tape(holds=heard))


def endings(game, rate):
    """Return all memory after a flight, compiled and in plain Python."""
    clock = tr.Clock(rate=rate)
    return [tr.Flight(game.replaced(clock=clock), plain=plain) for plain in (False, True)]


@pytest.mark.slow
@settings(max_examples=30)
@given(game=scenarios(), rate=st.sampled_from([30.0, 47.0, 144.0]))
def test_any_scenario_gives_the_same_bits_compiled_and_plain(game, rate):
    ended = []
    for flight in endings(game, rate):
        try:
            flight.run()
        except tr.FlightError as error:
            ended.append((str(error), flight.steps))
        ended.append(flight.snapshot().state.tobytes())
    assert ended[: len(ended) // 2] == ended[len(ended) // 2 :]


@pytest.mark.parametrize("name", tr.demo_names())
@pytest.mark.parametrize("timing", ["frame", "dt", "exact"])
def test_demos_give_the_same_bits_compiled_and_plain(name, timing):
    game = tr.read_demo(name).with_timing(timing).replaced(duration=2.5)
    fast, slow = (flight.run() for flight in endings(game, 60.0))
    assert fast.snapshot().state.tobytes() == slow.snapshot().state.tobytes()
    flown = tr.simulate(game, rate=60.0)
    for craft in flown.craft:
        last = flown.of(craft).iloc[-1]
        assert (last["x"], last["y"]) == (fast.state(craft).x, fast.state(craft).y)


def test_the_source_is_the_users_own_update_in_the_users_order():
    game = scenario({"rule": "turn", "rate": 90}, THRUST, {"rule": "drag", "rate": 1}, MOVE)
    source = make_plan(game).source
    lines = [line.strip() for line in source.splitlines()]
    update = [
        "heading += (right - left) * numbers.turn_angle",
        "gained = thrust * numbers.thrust_gain",
        "vx *= numbers.drag_kept",
        "x += vx * numbers.move_step",
    ]
    assert [lines.index(line) for line in update] == sorted(map(lines.index, update))


def test_alike_craft_are_a_loop_and_keep_their_own_numbers():
    many = [
        {"name": f"coin {n}", "start": {"x": 0, "y": n}}
        | {"rules": [{"rule": "force", "x": float(n)}, MOVE]}
        for n in range(50)
    ]
    game = world(*many, timing="dt")
    assert make_plan(game).source.count("numbers.move_step") == 2  # along x and along y
    last = tr.simulate(game, rate=50).frames.groupby("craft", observed=True)["vx"].last()
    assert last.tolist() == pytest.approx([2.0 * n for n in range(50)])


def test_a_flight_goes_on_with_other_numbers_and_back_to_a_moment():
    game = scenario({"rule": "thrust", "accel": 120}, {"rule": "drag", "half_life": 0.5}, MOVE)
    flight, kept, vx = tr.Flight(game), [], 0.0
    for n in range(40):
        if n == 20:
            kept = [flight.snapshot(), flight.copy(), vx]
            flight.set("top.thrust.accel", 600)
            flight.set("top.drag.half_life", 0.25)
        flight.step({"thrust": 0.5}, dt=0.02)
        vx += 0.5 * (600 if n >= 20 else 120) * 0.02
        vx *= 1 - math.log(2) / (0.25 if n >= 20 else 0.5) * 0.02
        assert flight.state("top").vx == pytest.approx(vx, rel=1e-13)
    snapshot, other, vx = kept
    flight.restore(snapshot)
    assert (flight.steps, flight.time) == (20, 20 * 0.02)
    for _ in range(20):
        flight.step({"thrust": 0.5}, dt=0.02)
        other.step({"thrust": 0.5}, dt=0.02)
        vx = (vx + 0.5 * 120 * 0.02) * (1 - math.log(2) / 0.5 * 0.02)
    assert flight.state("top") == other.state("top")
    assert flight.state("top").vx == pytest.approx(vx, rel=1e-13)


def test_a_stepped_flight_returns_events_and_refuses_bad_input():
    flap = {"rule": "flap", "speed": 100, "cooldown": 0.25}
    flight = tr.Flight(scenario(flap, {"rule": "fall", "accel": 50}, MOVE))
    told = [flight.step({"flap": float(n % 2)}, dt=0.1) for n in range(10)]
    assert [n for n, events in enumerate(told) if events] == [1, 5, 9]  # not in between
    assert (told[1][0].kind, told[1][0].craft) == ("flap", "top")
    for wrong, error in (
        (lambda: flight.step({"flop": 1}), "nothing listens to 'flop'; did you mean 'flap'"),
        (lambda: flight.step(dt=0.0), "a step takes some time"),
        (lambda: flight.state("tip"), "no craft 'tip'; did you mean 'top'"),
        (lambda: flight.set("top.flap.spead", 1), "there is no 'spead'; did you mean 'speed'"),
        (lambda: flight.set("top.flap.cooldown", -1), "must be seconds, at least 0"),
        (lambda: flight.set("top.flap.cooldown", "3 frames"), "changes more than numbers"),
        (lambda: flight.set("arena.width", 9.0), "sweep varies the numbers of a craft's"),
    ):
        with pytest.raises(tr.TinRocketError, match=error):
            wrong()
    bad = tr.Flight(scenario({"rule": "force", "x": 1e9}, MOVE, start={"vx": 1e9}))
    with pytest.raises(tr.FlightError, match="'top' left the range.*rule 'force', frame 0"):
        bad.step(dt=1e300)


@pytest.mark.parametrize("keep", [0.9, 0.85, 0.7, 0.5])
def test_thresholds_that_are_met_exactly_in_frames_are_met(keep):
    """Drive, keep and snap, with numbers per frame, as the game's own loop has them."""
    for tenths in range(1, 60):
        drive = tenths / 10
        below = drive * keep
        rules = (
            {"rule": "drive", "accel": drive, "axis": "x"},
            {"rule": "drag", "keep": keep},
            {"rule": "stop_below", "below": below},
            MOVE,
        )
        tape = {"holds": {"right": [[0, 0.4]]}}
        game = scenario(*rules, tape=tape, timing="frame", units="per_frame", duration=0.5)
        x = vx = 0.0
        for n in range(30):
            vx += drive if n < 24 else 0.0
            vx *= keep
            if abs(vx) < below:
                vx = 0.0
            x += vx
        assert tr.simulate(game, rate=60).frames["x"].iloc[-1] == x


def models(base=numbers.Model):
    """Yield every data class of the library."""
    for game in base.__subclasses__():
        if game.__module__.startswith("tinrocket."):
            yield game
        yield from models(game)


def numeric(annotation):
    """Whether a field can hold a float."""
    parts = getattr(annotation, "__args__", ())
    return annotation is float or any(numeric(part) for part in parts)


def test_every_number_declares_its_unit():
    converted = {}
    for model in set(models()):
        for name, field in model.model_fields.items():
            if not numeric(field.annotation):
                continue
            counted = numbers.quantity(field.annotation, *field.metadata)
            assert counted is not None, f"{model.__name__}.{name} says no unit"
            powers = {"px/s": 1, "deg/s": 1, "px/s^2": 2, "deg/s^2": 2, "amount/s": 1}
            powers |= {"px/s^2 per px": 2, "px/s^2 per px/s": 1}
            assert counted.per_time == powers.get(counted.unit, 0)
            if counted.per_time:
                converted.setdefault(model, []).append((name, counted.per_time))
    assert {"Start", "Contact", "Fall", "Limit"} <= {model.__name__ for model in converted}
    for model, names in converted.items():
        given = model.model_construct(
            **dict.fromkeys(model.model_fields) | {name: 7.0 for name, _power in names}
        )
        for name, power in names:
            assert given.in_units("per_frame", "per_second", 60)[name] == 7.0 / 60**power


def test_contacts_count_in_the_scenarios_units_too():
    bat = {"name": "bat", "start": {"x": 60, "y": 0, "vx": -3}, "shape": {"kind": "circle"}}
    bat["shape"] |= {"radius": 5}
    ball = bat | {"name": "ball", "start": {"x": 0, "y": 0, "vx": 2}}
    contact = {"between": ["ball", "bat"], "max_speed": 2.5, "hard_hit_speed": 2.9}
    data = [craft | {"rules": [MOVE]} for craft in (bat, ball)]
    game = world(*data, contact=[contact], units="per_frame", timing="frame")
    flown = tr.simulate(game, rate=60)
    assert flown.events["kind"].tolist() == ["hard_hit"]
    assert flown.of("ball")["speed"].iloc[-1] == pytest.approx(3 * 60)  # the bat is faster
    again = tr.simulate(game.per_second(), rate=60)
    np.testing.assert_allclose(again.frames["x"], flown.frames["x"], atol=1e-9)


@pytest.mark.slow
def test_plans_share_the_compiled_code_of_contacts_and_stage(tmp_path, monkeypatch):
    monkeypatch.setenv("TINROCKET_CACHE", str(tmp_path))
    script = "import sys, tinrocket as tr; tr.simulate(tr.read_demo(sys.argv[1]))"
    kept: set[str] = set()
    for name, makes in (("marble", 2), ("tray", 1), ("popgun", 2), ("mouse", 1), ("rocket", 1)):
        subprocess.run([sys.executable, "-c", script, name], check=True)
        now = {path.name for path in cache.folder().iterdir()}
        assert (len(now - kept), kept - now) == (makes, set()), name
        kept = now


def test_an_interrupt_ends_a_long_flight_soon(tmp_path):
    script = (
        "import signal\n"
        "import tinrocket as tr\n"
        # whoever runs the tests in the background may have interrupts ignored
        "signal.signal(signal.SIGINT, signal.default_int_handler)\n"
        "one = tr.read_demo('marble').replaced(duration=3600.0)\n"
        "tr.simulate(one.replaced(duration=0.1))\n"
        "print('flying', flush=True)\n"
        "tr.simulate(one, rate=1500)\n"
    )
    child = subprocess.Popen(
        [sys.executable, "-c", script], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    )
    assert child.stdout is not None
    assert child.stdout.readline() == "flying\n"
    time.sleep(0.7)
    assert child.poll() is None  # it is long enough to be interrupted
    os.kill(child.pid, signal.SIGINT)
    _out, said = child.communicate(timeout=20)
    assert said.splitlines()[-1] == "KeyboardInterrupt"


def test_flights_in_many_threads_keep_out_of_each_others_memory():
    demos = [tr.read_demo(name) for name in ("rocket", "popgun", "sparrow")]
    rates = [30.0, 60.0, 144.0]
    alone = [tr.simulate(game, rate=rate).frames["x"].sum() for game in demos for rate in rates]
    with ThreadPoolExecutor(6) as pool:
        for _ in range(4):
            flown = [pool.submit(tr.simulate, game, rate) for game in demos for rate in rates]
            assert [flight.result().frames["x"].sum() for flight in flown] == alone


@pytest.mark.skipif(not hasattr(os, "fork"), reason="this system does not fork")
def test_a_fork_flies_with_an_engine_of_its_own():
    game = tr.read_demo("rocket")
    here = float(tr.simulate(game).frames["x"].sum())
    script = (
        "import os, sys, tinrocket as tr\n"
        "one = tr.read_demo('rocket')\n"
        "tr.simulate(one)\n"
        "if os.fork() == 0:\n"
        "    print(repr(float(tr.simulate(one).frames['x'].sum())), flush=True)\n"
        "    os._exit(0)\n"
        "os.wait()\n"
    )
    done = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, check=True
    )
    assert float(done.stdout) == here


def test_results_do_not_depend_on_how_many_steps_a_call_takes(monkeypatch):
    game = tr.read_demo("popgun")
    whole = tr.simulate(game)
    monkeypatch.setattr(recording, "CELLS_A_CALL", 5000)
    parts = tr.simulate(game)
    assert parts.frames.equals(whole.frames)
    assert parts.events.equals(whole.events)
