"""Forked processes, names of all kinds, odd inputs and odd calls."""

import ast
import math
import os
import signal
import tomllib
from pathlib import Path

import numpy as np
import pytest
from hypothesis import assume, example, given, settings
from hypothesis import strategies as st

import tinrocket as tr
from tinrocket.demos import demo_names, demo_text
from tinrocket.flight.sampling import repeat_presses
from tinrocket.scenario.tape import Tape
from tinrocket.scenario.toml_lines import TomlLines
from tinrocket.scenario.user_rules import REGISTERED, Registered

from .conftest import HELD, MOVE, THRUST, scenario, world


def test_a_forked_process_compiles_without_the_threads_of_its_parent():
    tr.simulate(scenario(MOVE, start={"vx": 3.25}))
    child = os.fork()
    if child == 0:
        signal.alarm(60)
        ends = tr.simulate(scenario(THRUST, {"rule": "drag", "keep": 0.97}, MOVE, tape=HELD))
        os._exit(0 if ends.duration == 2.0 else 1)
    assert os.waitpid(child, 0)[1] == 0


def library_names() -> list[str]:
    """Return every identifier of the library's own code, and of what it generates."""
    names = set()
    for path in Path(tr.__file__).parent.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            names |= {getattr(node, key, "") for key in ("id", "attr", "name", "arg")}
    return sorted(name for name in names if isinstance(name, str) and name)


NAMES = st.text(st.characters(exclude_categories=["C", "Z"]), min_size=1, max_size=6)
ANY_NAME = NAMES | st.sampled_from(library_names())


@given(names=st.lists(ANY_NAME, min_size=7, max_size=7, unique=True))
@example(names=["ä", "copy_cells", "BODY_CELLS", "fly", "size", "offsets", "fields"])
@example(names=["left again", "hand y", "hand", "__debug__", "None", "before", "thrust_held"])
@settings(max_examples=30)
def test_no_name_of_a_users_changes_a_flight(names):
    """The same game with plain names is the independent truth, to the last bit."""

    def game(craft, other, rule, action, key, condition, pointer):
        rules = [
            {"rule": "thrust", "name": rule, "accel": 300, "action": action},
            {"rule": "drag", "keep": 0.97, "unless": [condition]},
            {"rule": "turn_by", "angle": 15, "left": key, "right": "", "when": "pressed"},
            {"rule": "follow", "target": pointer, "lag": 0.3, "axis": "y"},
            MOVE,
        ]
        toys = [
            {"name": name, "start": {"x": 90 * n, "y": 9}, "radius": 8, "rules": rules}
            for n, name in enumerate((craft, other))
        ]
        tape = {
            "holds": {action: [[0.1, 0.7]], key: [[0.2, 0.9]]},
            "repeats": {key: {"delay": 0.1, "rate": 11}},
            "pointers": {pointer: [[0, 5, 7], [1, 80, 90]]},
        }
        asked = [{"name": condition, "of": craft, "measure": "x", "above": 5}]
        met = [{"between": [craft, other], "mass": 1} | {"restitution": 0.5}]
        del met[0]["mass"]
        return world(*toys, duration=1.0, tape=tape, condition=asked, contact=met, timing="dt")

    plain = game("one", "two", "push", "go", "tap", "far", "finger")
    try:
        named = game(*names)
    except tr.ScenarioError as error:  # the name of a key of scenarios, such as "arena"
        assert "name of a scenario key" in str(error)  # noqa: PT017
        return
    expected = tr.simulate(plain)
    flown = tr.simulate(named)
    np.testing.assert_array_equal(flown.recorded.block, expected.recorded.block)
    stepped = tr.Flight(named, plain=True).run()
    ends = [stepped.state(name) for name in names[:2]]
    assert [end.x for end in ends] == [flown.track(name)["x"][-1] for name in names[:2]]


@pytest.mark.parametrize("name", ["size", "offsets", "fields", "own_size", "_at"])
def test_memory_of_a_custom_rule_may_have_any_name(name):
    code = f"def keep(craft, dt):\n    craft.{name} += dt\n    craft.vx = craft.{name}\n"
    made: dict = {}
    exec(code, made)
    REGISTERED["keep"] = Registered(made["keep"], (), {}, {name: 1.0})
    try:
        game = scenario({"rule": "custom", "function": "keep"}, MOVE)
        assert tr.simulate(game, rate=10).track()["vx"][-1] == pytest.approx(3.0)
    finally:
        del REGISTERED["keep"]


def test_actions_pointers_and_repeats_have_columns_of_their_own():
    """The action "hand y" is never pressed, and so does not move what follows the pointer."""
    rules = [
        {"rule": "follow", "target": "hand"},
        {"rule": "thrust", "accel": 9, "action": "hand y"},
        {"rule": "turn_by", "angle": 10, "left": "", "right": "left", "when": "pressed"},
        {"rule": "lift", "accel": 5, "action": "left again"},
    ]
    tape = {"holds": {"left": [[0.0, 1.0]]}, "pointers": {"hand": [[0, 3, 4]]}}
    tape |= {"repeats": {"left": {"delay": 0.25, "rate": 4}}}
    game = scenario(*rules, tape=tape, duration=1.0)
    end = tr.simulate(game, rate=20).of().iloc[-1]
    assert (end["x"], end["y"]) == (3.0, 4.0)
    assert abs(end["heading"]) == pytest.approx(40)  # the press, and repeats at 0.25, 0.5, 0.75 s
    assert (end["in.left again"], end["in.hand y"]) == (0.0, 0.0)
    stepped = tr.Flight(game)
    stepped.step({"hand": (3.0, 4.0), "hand y": 0.0})
    assert (stepped.state("top").x, stepped.state("top").y) == (3.0, 4.0)


@given(
    down=st.floats(-3, 2),
    length=st.floats(0.01, 3),
    delay=st.floats(0.01, 0.5),
    rate=st.floats(0.5, 90),
    buffered=st.booleans(),
    counts_from=st.sampled_from(["press", "frame"]),
)
def test_repeats_are_those_of_a_plain_loop(down, length, delay, rate, buffered, counts_from):
    begins = np.arange(40) / 20.0
    tape = Tape.from_data(
        {
            "sampling": "buffered" if buffered else "polled",
            "holds": {"a": [[down, down + length]]},
            "repeats": {"a": {"delay": delay, "rate": rate, "counts_from": counts_from}},
        }
    )
    start = down
    if counts_from == "frame":
        start = next((begin for begin in begins.tolist() if begin >= down), math.inf)
    seen = ((begins >= down) & (begins < down + length)).astype(float)
    expected, shown = np.zeros(40), seen.copy()
    for k in range(1000):
        moment = start + delay + k / rate
        assume(abs(moment - (down + length)) > 1e-9)  # at which it may be either
        if moment >= down + length:
            break
        frame = next((n for n, begin in enumerate(begins) if begin >= moment - 1e-9), None)
        if frame is None:
            continue
        if buffered:
            expected[frame] = float(frame > 0 and seen[frame - 1] != 0.0)
            shown[frame] = 1.0
        else:
            expected[frame] = seen[frame]
    again, values = np.zeros(40), seen.copy()
    repeat_presses(begins, values, again, tape, "a")
    np.testing.assert_array_equal(again, expected)
    np.testing.assert_array_equal(values, shown)


def test_millions_of_repeats_take_no_memory():
    rules = [{"rule": "turn_by", "angle": 1, "left": "left", "right": "", "when": "pressed"}, MOVE]
    tape = {"holds": {"left": [[-5e8, 5e8]]}, "repeats": {"left": {"delay": 0, "rate": 1e6}}}
    turned = tr.simulate(scenario(*rules, tape=tape, duration=1.0), rate=50).of()["heading"]
    assert abs(turned.iloc[-1]) == pytest.approx(50)


@pytest.mark.parametrize("units", ["per_second", "per_frame"])
@pytest.mark.parametrize("clock", [{"rate": 45}, {"rate": 60, "fixed_rate": 70}, {"jitter": 0.004}])
def test_a_stepped_flight_counts_time_as_a_recorded_one(units, clock):
    """A spawner every 0.13 s is due between steps, so that a last digit of the time shows."""
    pea = {"name": "pea", "pool": 30, "rules": [MOVE]}
    drip = {"name": "drip", "spawns": ["pea"], "every": 0.13, "x": 9, "y": 9, "vx": 40}
    game = world(pea, spawner=[drip], duration=3.0, clock=clock, timing="exact", units=units)
    flight, stepped = tr.simulate(game), tr.Flight(game).run()
    for name in flight.craft:
        assert stepped.state(name).x == flight.track(name)["x"][-1]
    if clock == {"rate": 45}:
        by_hand = tr.Flight(game)
        for _ in range(135):
            by_hand.step()
        assert [by_hand.state(name) for name in flight.craft] == [
            stepped.state(name) for name in flight.craft
        ]
        assert by_hand.time == stepped.time == flight.duration


def swirl(craft, dt, strength=3.0):
    craft.vx += strength * math.cos(craft.heading) * dt
    craft.vy += strength * math.sin(craft.time * 7.7) * dt + math.exp(-craft.x) - math.hypot(1, dt)
    craft.heading += math.atan2(craft.vy, 1.0 + craft.x * craft.x) * dt


def test_a_rule_in_plain_python_has_the_librarys_own_mathematics():
    REGISTERED["swirl"] = Registered(swirl, (), {"strength": 3.0})
    try:
        game = scenario({"rule": "custom", "function": "swirl"}, MOVE, duration=9.0)
        flight = tr.simulate(game)
        end = tr.Flight(game, plain=True).run().state("top")
        assert tr.Flight(game)._deck.plan.plain_because is None  # it has a compiled twin
    finally:
        del REGISTERED["swirl"]
    last = {name: column[-1] for name, column in flight.track().items()}
    assert (end.x, end.y, end.vx) == (last["x"], last["y"], last["vx"])


@pytest.mark.parametrize("name", demo_names())
def test_the_line_of_every_key_is_found(name):
    text = demo_text(name)
    data = tomllib.loads(text)
    lines, finder = text.splitlines(), TomlLines(text, data)

    def look(value, where, key):
        if isinstance(value, dict):
            for inner, below in value.items():
                look(below, f"{where}.{inner}" if where else inner, inner)
        elif isinstance(value, list) and value and isinstance(value[0], dict):
            for n, below in enumerate(value):
                look(below, f"{where}#{n + 1}", key)
        else:
            line = finder.line_of(where)
            assert line is not None
            assert key in lines[line - 1], where

    look(data, "", "")


ODD = {
    "must be a window of time": lambda: scenario(MOVE | {"during": [0, 10**400]}),
    "must be a time in s, or a frame": lambda: scenario(
        THRUST, MOVE, tape={"taps": {"thrust": ["9" * 400 + " frames"]}}
    ),
    "must be at least 1e-09 s": lambda: scenario(
        {"rule": "hop", "height": 5, "duration": 1e-320}, MOVE
    ),
    "height: must be at least 1e-09, not 4.9": lambda: world(
        {"name": "a", "shape": {"kind": "diamond", "width": 3, "height": 5e-324}, "rules": [MOVE]}
    ),
    "numbers as frame rates": lambda: tr.compare(scenario(MOVE), [10**400]),
    "a file needs a name": lambda: tr.write_scenario(scenario(MOVE), ""),
    "a file is named by a text or a path, not by None": lambda: tr.write_tape(Tape(), None),
    "a file is named by a text or a path, not by 3": lambda: tr.read_trajectory(3),
    "this one is empty": lambda: tr.read_log(""),
    "cannot be read: file name too long": lambda: tr.read_log("x" * 399),
    "or a list of some, not ..1.0": lambda: tr.simulate(scenario(MOVE)).at([[1.0]]),
    "half of a character": lambda: scenario(MOVE, title="\ud800"),
}


@pytest.mark.parametrize("said", ODD)
def test_odd_calls_and_numbers_are_refused_in_words(said, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    with pytest.raises(tr.TinRocketError, match=said):
        ODD[said]()


def test_a_shortest_run_and_a_title_of_any_text_are_flown(tmp_path):
    assert tr.simulate(scenario(MOVE, duration=1e-9)).duration == pytest.approx(1 / 60)
    odd = scenario(MOVE, start={"vx": 9}, title="a\0b\x1b[31m")
    assert tr.Flight(odd, plain=True).run().state("top").x == pytest.approx(18)
    tr.write_scenario(odd, tmp_path / "odd.toml")
    assert tr.read_scenario(tmp_path / "odd.toml") == odd


@pytest.mark.parametrize("spoil", ["view", "parquet"])
def test_recorded_flights_that_lack_something(spoil, tmp_path):
    path = tmp_path / ("flight.parquet" if spoil == "parquet" else "flight.csv")
    seen = {"width": 90, "height": 90, "follow": "top"}
    tr.write_trajectory(tr.simulate(scenario(MOVE, view=seen), rate=10), path)
    if spoil == "view":
        for name in ("view_x", "view_y"):
            text = path.read_text()
            path.write_text(text.replace(name, "other", 1))
            with pytest.raises(tr.TrajectoryError, match="view_x and view_y"):
                tr.read_trajectory(path)
            path.write_text(text)
        return
    data = path.read_bytes()
    schema = data.index(b'"numpy_type"')
    for spoilt in (b'"numpy_tope"', b'"numpy_type'):
        path.write_bytes(data[:schema] + spoilt + data[schema + len(spoilt) :])
        try:
            tr.read_trajectory(path)
        except tr.TinRocketError as error:
            assert "is not a PARQUET table" in str(error)  # noqa: PT017
