"""What rules, contacts and the stage wait for, and numbers that change, beside plain Python."""

import itertools
import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import tinrocket as tr
from tinrocket.scenario.user_rules import REGISTERED, Registered

from .conftest import MOVE, scenario, world

KEYS = ("a", "b", "c")
GAIN = {"rule": "move_by", "distance": 1, "action": "go", "when": "held", "timing": "frame"}
PATTERN = {key: [n >> place & 1 for n in range(8)] for place, key in enumerate(KEYS)}
"""All eight ways in which three keys are up or down, a frame each."""


def held(pattern: dict[str, list[int]]) -> dict[str, list[list[str]]]:
    """Return a tape that holds keys in the frames in which they are 1."""
    return {
        key: [[f"{n} frames", f"{n + 1} frames"] for n, down in enumerate(downs) if down]
        for key, downs in pattern.items()
    }


def passes(gate: dict, state: dict[str, bool]) -> bool:
    """Return what plain Python makes of a gate, or of a condition of several."""
    all_on = all(state[name] for name in gate.get("all_of", gate.get("on", ())))
    any_on = any(state[name] for name in gate["any_of"]) if "any_of" in gate else True
    bars = gate.get("none_of", gate.get("unless", ()))
    return all_on and any_on and not any(state[name] for name in bars)


def some(names: tuple[str, ...]) -> st.SearchStrategy[list[str]]:
    return st.lists(st.sampled_from(names), min_size=1, max_size=3, unique=True)


def combined(names: tuple[str, ...]) -> st.SearchStrategy[dict]:
    keys = ("all_of", "any_of", "none_of")
    return st.fixed_dictionaries({}, optional={key: some(names) for key in keys}).filter(bool)


GATES = st.fixed_dictionaries(
    {}, optional={"on": some((*KEYS, "k", "m")), "unless": some((*KEYS, "k", "m"))}
)


@pytest.mark.slow
@given(first=combined(KEYS), second=combined((*KEYS, "k")), gate=GATES, windowed=st.booleans())
@settings(max_examples=80)
def test_gates_are_those_of_plain_python(first, second, gate, windowed):
    """In a rule, in a contact, and in a spawner, which reads the game's table."""
    conditions = [{"name": "k"} | first, {"name": "m"} | second]
    window = {"during": [2 / 50, 7 / 50]} if windowed else {}
    expected = []
    for n in range(8):
        state = {key: bool(PATTERN[key][n]) for key in KEYS}
        state["k"] = passes(first, state)
        state["m"] = passes(second, state)
        expected.append(passes(gate, state))
    inside = [begun and (not windowed or 2 <= n < 7) for n, begun in enumerate(expected)]
    tape = {"holds": held(PATTERN) | {"go": [[0, 9]]}}
    cart = {"name": "cart", "start": {"x": 0, "y": 0}, "rules": [GAIN | gate | window]}
    ball = {"name": "ball", "start": {"x": 0, "y": 50}, "radius": 5, "rules": [MOVE]}
    post = {"name": "post", "at": [0, 50], "shape": {"kind": "circle", "radius": 5}}
    touch = {"between": ["ball", "post"], "response": "count", "detection": "overlap"} | gate
    pea = {"name": "pea", "pool": 9, "rules": [MOVE]}
    listens = {"name": "ears", "start": {"x": 0, "y": 9}, "rules": []}
    listens["rules"] = [{"rule": "force", "on": [key]} for key in KEYS]
    drip = {"name": "drip", "spawns": ["pea"], "every": "1 frames", "x": 0, "y": 0} | gate
    game = world(
        *(cart, ball, pea, listens),
        obstacle=[post],
        contact=[touch],
        spawner=[drip],
        condition=conditions,
        tape=tape,
        duration=8 / 50,
        tuned_at=50,
    )
    flight = tr.simulate(game)
    assert np.diff(flight.track("cart")["x"]).tolist() == [float(time) for time in inside]
    events = flight.events
    sent = set(events["frame"][events["kind"] == "enter"])
    assert sent == {n for n, passed in enumerate(expected) if passed}
    begins = [n for n, on in enumerate(expected) if on and not (n and expected[n - 1])]
    assert events["frame"][events["kind"] == "pass"].tolist() == begins


def test_an_unless_beside_any_of_two_keeps_its_brackets():
    """(a or b) and not a, which is not a or (b and not a)."""
    asked = [{"name": "k", "any_of": ["a", "b"]}]
    rule = GAIN | {"on": "k", "unless": "a"}
    tape = {"holds": held({key: PATTERN[key] for key in "ab"}) | {"go": [[0, 9]]}}
    game = scenario(rule, condition=asked, tape=tape, duration=8 / 60, timing="frame")
    assert np.diff(tr.simulate(game).track()["x"]).tolist() == [0, 0, 1, 0, 0, 0, 1, 0]


SIDES = [
    {"name": "far", "measure": "x", "above": 12.0},
    {"name": "low", "measure": "y", "below": 0},
]


@pytest.mark.parametrize("opposing", ["cancel", "first", "second", "last"])
@pytest.mark.parametrize("kind", ["drive", "turn", "dash"])
def test_conditions_of_a_craft_replace_keys(kind, opposing):
    """The condition `far` replaces the right key, beside a plain loop that tests it."""
    keys = {"left": "a", "right": "far", "opposing": opposing}
    move = {"rule": "force", "x": 3.0, "timing": "frame"}
    rule = {
        "drive": {"rule": "drive", "speed": 5, "axis": "x", "timing": "frame"},
        "turn": {"rule": "turn", "rate": 60, "timing": "frame"},
        "dash": {"rule": "dash", "speed": 7, "along": "input", "action": "b"},
    }[kind]
    down = [n % 7 < 3 for n in range(40)]
    tape = {"holds": held({"a": [int(action) for action in down]})}
    tape["holds"] |= {"b": [[0.2, 0.3], [0.5, 0.55]]} if kind == "dash" else {}
    toys = [
        {"name": name, "start": {"x": x, "y": 0, "vx": 30}, "timing": "dt"}
        | {"rules": [rule | keys, *([move] if kind == "turn" else []), MOVE]}
        for name, x in (("one", 0), ("two", 5))
    ]
    game = world(*toys, condition=SIDES, tape=tape, duration=40 / 60)
    flight = tr.simulate(game)
    for toy in toys:
        x, vx, heading, before, was_far, was_a = toy["start"]["x"], 30, 0, 0, False, False
        places, headings = [x], [heading]
        for n in range(40):
            far, a = x > 12.0, down[n]
            way = far - a
            if far and a and opposing != "cancel":
                wins = opposing == "second"
                if opposing == "last" and far != was_far:
                    wins = was_a  # else both are new, and the first wins
                elif opposing == "last":
                    wins = was_a and before > 0
                way = 1 if wins else -1
            before, was_far, was_a = way, far, a
            if kind == "drive":
                vx = 5 * way
            elif kind == "turn":
                heading -= way
                vx += 3 / 60
            elif n in (12, 30):
                vx = 7 * (way or math.cos(math.radians(heading)))
            x += vx / 60
            places.append(x)
            headings.append(heading)
        track = flight.track(toy["name"])
        np.testing.assert_allclose(track["x"], places, atol=1e-9)
        np.testing.assert_allclose(track["heading"], headings, atol=1e-9)


def test_a_timer_replaces_a_key():
    rules = [
        {"rule": "timer", "name": "burst", "action": "a", "duration": "3 frames"},
        GAIN | {"action": "burst"},
    ]
    game = scenario(*rules, tape={"taps": {"a": ["4 frames"]}}, duration=0.2)
    assert np.flatnonzero(np.diff(tr.simulate(game).track()["x"])).tolist() == [4, 5, 6]


@pytest.mark.parametrize("y_axis", ["up", "down"])
def test_of_two_keys_pressed_in_one_step_the_first_wins(y_axis):
    """Left and up are the first, whichever way y grows."""
    drive = {"rule": "drive", "speed": 60, "opposing": "last", "normalise": False}
    tape = {"holds": {key: [[0, 9]] for key in ("left", "right", "up", "down")}}
    game = scenario(drive, MOVE, arena={"y_axis": y_axis}, tape=tape, duration=0.1)
    end = tr.simulate(game).of().iloc[-1]
    up = 1.0 if y_axis == "up" else -1.0
    assert (end["vx"], end["vy"]) == (-60.0, up * 60.0)


STICKS = [
    ({"above": 0.5}, lambda x, y: math.hypot(x, y) > 0.5),
    ({"above": 0.3, "below": 0.8}, lambda x, y: 0.3 < math.hypot(x, y) < 0.8),
    ({"below": 0.4}, lambda x, y: math.hypot(x, y) < 0.4),
    ({"tilt": "x", "above": 0.3}, lambda x, y: x > 0.3),
    ({"tilt": "x", "below": -0.3}, lambda x, y: x < -0.3),
    ({"tilt": "y", "above": -0.2, "below": 0.6}, lambda x, y: -0.2 < y < 0.6),
    ({"tilt": "either", "above": 0.3, "below": 0.9}, lambda x, y: 0.3 < max(abs(x), abs(y)) < 0.9),
    ({"tilt": "both", "above": 0.3}, lambda x, y: min(abs(x), abs(y)) > 0.3),
]


@pytest.mark.parametrize(("asked", "truth"), STICKS)
def test_stick_conditions_keep_both_bounds_and_their_sign(asked, truth):
    places = list(itertools.product(np.linspace(-1, 1, 6), repeat=2))
    values = {
        axis: [[f"{n} frames", float(place[at])] for n, place in enumerate(places)]
        for at, axis in enumerate(("sx", "sy"))
    }
    game = scenario(
        GAIN | {"on": "tilted"},
        condition=[{"name": "tilted", "stick": "thumb"} | asked],
        sticks={"thumb": {"x": "sx", "y": "sy"}},
        tape={"values": values, "holds": {"go": [[0, 9]]}},
        duration=len(places) / 60,
    )
    moved = np.diff(tr.simulate(game).track()["x"])
    assert moved.tolist() == [float(truth(x, y)) for x, y in places]


REFUSED = [
    ({"condition": [{"name": "t", "stick": "thumb", "tilt": "x", "above": -0.5}]}, "below = -0.5"),
    ({"condition": [{"name": "t", "stick": "thumb", "above": -0.5}]}, "is on almost always"),
    ({"condition": [{"name": "sx", "any_of": ["a"]}]}, "'sx' is a condition; a stick needs analog"),
    ({"rules": [{"rule": "dash", "speed": 9}, GAIN | {"on": "dash"}]}, "may mean the timer or the"),
    (
        {
            "rules": [
                {"rule": "timer", "name": "a", "action": "a", "duration": 1},
                GAIN | {"action": "a"},
            ]
        },
        "'a' is a timer of this craft and the action that starts it",
    ),
]


@pytest.mark.parametrize(("parts", "said"), REFUSED)
def test_ambiguous_names_and_bounds_are_refused(parts, said):
    rest = {"sticks": {"thumb": {"x": "sx", "y": "sy"}}} | parts
    rules = rest.pop("rules", [GAIN])
    with pytest.raises(tr.ScenarioError, match=said):
        scenario(*rules, **rest)


def test_conditions_of_the_game_are_on_from_the_first_step():
    """And what happens as they begin does so once, at the end of that step."""
    ball = {"name": "ball", "start": {"x": 50, "y": 0}, "rules": [GAIN | {"on": "right"}]}
    asked = [
        {"name": "right", "of": "ball", "measure": "x", "above": 40, "scores": "toys"},
        {"name": "soon", "of": "ball", "measure": "x", "above": 40, "delay": "2 frames"},
        {"name": "begins", "measure": "time", "below": 1e-9},
    ]
    ball["rules"] += [GAIN | {"distance": 100, "on": name} for name in ("soon", "begins")]
    game = world(ball, condition=asked, tape={"holds": {"go": [[0, 9]]}}, duration=0.1)
    flight = tr.simulate(game)
    assert np.diff(flight.track()["x"]).tolist() == [101, 1, 101, 101, 101, 101]
    assert (flight.events["kind"] == "score").sum() == 1


def lift_off(craft, dt, climb=3.0):
    craft.height = craft.height + climb * dt


@pytest.mark.parametrize("plain", [False, True])
def test_a_rule_that_sets_the_height_has_a_column_for_it(plain):
    REGISTERED["lift_off"] = Registered(lift_off, (), {"climb": 3.0})
    try:
        game = scenario({"rule": "custom", "function": "lift_off"}, MOVE)
        height = tr.simulate(game).track()["height"][-1]
        if plain:
            height = tr.Flight(game, plain=True).run().state("top").height
    finally:
        del REGISTERED["lift_off"]
    assert height == pytest.approx(6.0)


RAMPED = [
    ({"rule": "drag"}, "half_life", 0.2, 1.4, lambda v, h, dt: v * 0.5 ** (dt / h)),
    ({"rule": "drag"}, "keep", 0.9, 0.99, lambda v, k, dt: v * k ** (dt * 60)),
    ({"rule": "drag"}, "rate", 0.5, 4.0, lambda v, r, dt: v * math.exp(-r * dt)),
    (
        {"rule": "fall", "accel": 200},
        "terminal",
        90.0,
        400.0,
        lambda v, w, dt: -(w + (-v - w) * math.exp(-200 * dt / w)),
    ),
    ({"rule": "force"}, "y", 10.0, -70.0, lambda v, a, dt: v + a * dt),
]


@pytest.mark.parametrize("rate", [30, 144])
@pytest.mark.parametrize(("rule", "key", "begin", "end", "step"), RAMPED)
def test_ramps_interpolate_the_named_number(rule, key, begin, end, step, rate):
    """And two changes of one number add up."""
    ramps = [{"key": key, "to": end, "over": 1.5}, {"key": key, "to": (begin + end) / 2, "over": 4}]
    for count in (1, 2):
        game = scenario(
            rule | {key: begin, "ramps": ramps[:count]}, MOVE, start={"vy": 40}, timing="exact"
        )
        v, expected = 40.0, [40.0]
        for n in range(2 * rate):
            number = begin + (end - begin) * min(n / rate / 1.5, 1.0)
            number += (count - 1) * (end - begin) / 2 * min(n / rate / 4, 1.0)
            v = step(v, number, 1 / rate)
            expected.append(v)
        flown = tr.simulate(game, rate=rate).track()["vy"]
        np.testing.assert_allclose(flown, expected, rtol=1e-11, atol=1e-9)


@pytest.mark.parametrize(
    ("rule", "key", "ends"),
    [({"lag": 0.2}, "lag", 1.0), ({"fraction": 0.05}, "fraction", 0.5)],
)
def test_followers_change_by_the_number_that_is_named(rule, key, ends):
    kind = "follow" if key == "lag" else "ease"
    change = {"key": key, "to": ends, "over": 2.0}
    game = scenario({"rule": kind, "target": [100, 0], "ramps": [change]} | rule, timing="exact")
    x, begin = 0.0, rule[key]
    for n in range(120):
        number = begin + (ends - begin) * n / 120
        share = 1 - 0.5 ** (1 / 60 / number) if key == "lag" else number
        x += (100 - x) * share
    assert tr.simulate(game).track()["x"][-1] == pytest.approx(x, rel=1e-11)
