"""Motion rules that users write: the same compiled, interpreted and by hand."""

import linecache
import math
from types import SimpleNamespace

import numpy as np
import pytest

import tinrocket as tr
from tinrocket.compile.build import plan_of

from .conftest import MOVE, scenario, world


@tr.motion_rule
def gust(craft, dt, fan, strength=240.0):
    """A fan that blows to the right, the less the higher the craft is."""
    craft.vx += fan * strength * dt / (1.0 + abs(craft.y) / 100.0)
    craft.heading += 0.5 * dt


FANS = {False: 1, True: 2}


@tr.motion_rule
def from_a_table(craft, dt, fan):
    """Something that cannot be compiled: it looks into a table of the program."""
    craft.vx += FANS[fan > 0] * dt


TAPE = {"holds": {"fan": [[0.2, 1.4]], "vent": [[0.5, 1.0]]}}
RULES = (
    {"rule": "custom", "function": "gust"},
    {"rule": "custom", "function": "gust", "name": "vent", "numbers": {"strength": -90.0}}
    | {"inputs": {"fan": "vent"}},
    {"rule": "drag", "rate": 0.5},
    MOVE,
)


@pytest.mark.parametrize(("timing", "rate"), [("dt", 60), ("dt", 33), ("frame", 144)])
def test_a_custom_rule_is_the_loop_written_by_hand(timing, rate):
    flown = tr.simulate(scenario(*RULES, tape=TAPE, timing=timing, start={"y": 60}), rate=rate)
    step = 1 / 60 if timing == "frame" else 1 / rate
    kept = math.exp(-0.5 / 60) if timing == "frame" else 1 - 0.5 * step
    x = vx = heading = 0.0
    for n in range(2 * rate):
        for down, up, strength in ((0.2, 1.4, 240), (0.5, 1.0, -90)):
            vx += (down <= n / rate < up) * strength * step / 1.6
            heading += 0.5 * step
        vx *= kept
        x += vx * step
    last = flown.frames.iloc[-1]
    assert (last["x"], last["vx"]) == pytest.approx((x, vx), rel=1e-12)
    assert math.radians(last["heading"]) == pytest.approx(heading)


def test_rules_outside_of_the_subset_fly_in_plain_python():
    rules = (RULES[0], {"rule": "custom", "function": "from_a_table"}, *RULES[2:])
    game = scenario(*rules, {"rule": "dash", "speed": 5}, tape={"holds": {"fan": [[0.2, 1.4]]}})
    flown = tr.simulate(game, rate=60).frames
    vx = 0.0
    for n in range(120):
        down = 0.2 <= n / 60 < 1.4
        vx = (vx + (down * 240 + 1 + down) / 60) * (1 - 0.5 / 60)
    assert flown["vx"].iloc[-1] == pytest.approx(vx, rel=1e-12)
    with pytest.raises(tr.OptionError, match=r"line \d+, in from_a_table: .FANS. is no number"):
        tr.sweep(game, {"top.drag.rate": [0.5, 1.0]})


def tallies(craft, dt, fan, k=2.0):
    n = int(craft.x)
    craft.vx = n * n * n * n * 1e-6 + abs(n - 30) + (fan > 0) - -(craft.x > 26) + int(fan > 0)
    for i in range(4):
        n += i + bool(fan)
    craft.vy = min(n, 40) % 7 if craft.x and (fan or craft.vx > 3) else -n


def hashes(craft, dt, fan, k=2.0):
    craft.vx = int(craft.x * 1000) * 73856093 % 1000 * 0.1 + (1 << 33) * 1e-9


def either(craft, dt, fan, k=2.0):
    craft.vx = (fan or k) + (fan and 3.0 * k)


@pytest.mark.parametrize(("function", "fits"), [(tallies, True), (hashes, False), (either, False)])
def test_whole_numbers_and_truths_are_those_of_python(function, fits):
    tr.motion_rule(function)
    own, tape = {"rule": "custom", "function": function.__name__}, {"fan": [[0.2, 1.4]]}
    game = scenario(own, MOVE, tape={"holds": tape}, start={"x": 25, "y": 60})
    flown = tr.simulate(game, rate=60)
    assert (plan_of(game).plain_because is None) == fits
    craft = SimpleNamespace(x=25.0, y=60.0, vx=0.0, vy=0.0)
    for n in range(120):
        function(craft, 1 / 60, float(0.2 <= n / 60 < 1.4))
        craft.x, craft.y = craft.x + craft.vx / 60, craft.y + craft.vy / 60
    places = flown.frames.iloc[-1][["x", "y", "vx", "vy"]].tolist()
    assert places == pytest.approx([craft.x, craft.y, craft.vx, craft.vy], rel=1e-12)


def doubles(craft, dt):
    n = 1
    for _ in range(40):
        n = n + n
    craft.vx = n * 1e-12


def test_integer_overflow_is_an_error():
    tr.motion_rule(doubles)
    with pytest.raises(
        tr.FlightError, match="'top' in rule 'custom' was stopped, frame 0 .*beyond 32 bits"
    ):
        tr.simulate(scenario({"rule": "custom", "function": "doubles"}, MOVE))


def shares(craft, dt, k=2.0):
    craft.vx += min(5.0, 1.0 / k)


def test_a_variant_that_python_would_stop_is_stopped_alone():
    tr.motion_rule(shares)
    game = scenario({"rule": "custom", "function": "shares"}, MOVE)  # whose k has its default
    shared = [0.5, 0.0, *range(1, 40)]
    swept = tr.sweep(game, {"top.custom.numbers.k": shared}, rate=60)
    assert swept["finite"].tolist() == [k != 0.0 for k in shared]
    expected = [120 * 5 if k == 0.0 else sum([min(5.0, 1 / k)] * 120) for k in shared]
    np.testing.assert_array_equal(swept["vx"][swept["finite"]], np.delete(expected, 1))
    with pytest.raises(tr.FlightError, match="rule 'custom' was stopped, .*: division by zero"):
        tr.simulate(tr.with_value(game, "top.custom.numbers.k", 0.0))


def test_sweeps_accept_compiled_custom_rules():
    game = scenario(*RULES, tape=TAPE)
    swept = tr.sweep(game, {"top.drag.rate": [0.1, 0.5, 2.0]})
    for rate, vx in zip([0.1, 0.5, 2.0], swept["vx"], strict=True):
        flown = tr.simulate(tr.with_value(game, "top.drag.rate", rate))
        assert flown.frames["vx"].iloc[-1] == vx


def test_numbers_of_a_custom_rule_are_swept_and_changed_in_flight():
    game = scenario(*RULES, tape=TAPE)
    path, drag = "top.vent.numbers.strength", "top.drag.rate"
    swept = tr.sweep(game, {path: [-90, 0.0, 250.0], drag: [0.1, 2.0]})
    for _index, row in swept.iterrows():
        variant = tr.with_value(tr.with_value(game, path, row[path]), drag, row[drag])
        assert tr.simulate(variant).frames["vx"].iloc[-1] == row["vx"]
    flight = tr.Flight(game)
    flight.set(path, 60.0)
    flight.step({"vent": 1.0}, dt=0.1)
    assert flight.state("top").vx == pytest.approx(60 * 0.1 * (1 - 0.05))
    with pytest.raises(tr.UnknownNameError, match="no 'strong'; did you mean 'strength'"):
        tr.sweep(game, {"top.vent.numbers.strong": [1.0, 2.0]})


def test_failures_of_a_custom_rule_are_named():
    @tr.motion_rule
    def wild(craft, dt):
        craft.x = craft.x * 1e200 * 1e200 if craft.vx > 9.9 else craft.x

    game = scenario({"rule": "force", "x": 20}, {"rule": "custom", "function": "wild"}, MOVE)
    with pytest.raises(tr.FlightError, match="'top'.*rule 'custom', frame 29 at 0.483333 s"):
        tr.simulate(game.replaced(craft=game.craft), rate=60)


def refuse(match, **rule):
    with pytest.raises(tr.ScenarioError, match=match):
        scenario({"rule": "custom"} | rule, MOVE)


def test_files_name_rules_and_hold_no_code():
    refuse("no motion rule 'gist' is registered.*did you mean 'gust'", function="gist")
    refuse("no motion rule 'import os' is registered", function="import os")
    refuse("has no number 'strong'; did you mean", function="gust", numbers={"strong": 1.0})
    refuse("has no input 'hand'", function="gust", inputs={"hand": "x"})
    for wrong, why in (
        (lambda craft: None, "first two parameters"),
        (lambda craft, dt, *rest: None, "must be a plain parameter"),
        (lambda craft, dt, much="a": None, "must be a number, not 'a'"),
    ):
        with pytest.raises(tr.OptionError, match=why):
            tr.motion_rule(wrong)


def test_a_scenario_with_one_is_written_and_read_back(tmp_path):
    game = scenario(*RULES, tape=TAPE)
    tr.write_scenario(game, tmp_path / "one.toml")
    again = tr.read_scenario(tmp_path / "one.toml")
    assert again == game
    np.testing.assert_array_equal(tr.simulate(game).frames["x"], tr.simulate(again).frames["x"])


def test_a_name_registers_one_function():
    assert tr.motion_rule(gust) is gust  # once more, as a cell does that is run again

    def elsewhere():
        def gust(craft, dt):
            craft.x = 0.0

        return gust

    with pytest.raises(tr.OptionError, match=r"'gust' is registered already, by tests.*\.gust;"):
        tr.motion_rule(elsewhere())


@tr.motion_rule(remembers={"fuel": 1.0, "lit": 0.0})
def burner(craft, dt, thrust, burn=0.5, accel=100.0):
    """Thrust as long as there is fuel, and none after three seconds."""
    if not thrust or craft.fuel <= 0.0 or craft.time >= 3.0:
        return
    used = min(burn * dt, craft.fuel)
    craft.fuel -= used
    craft.lit += 1.0
    craft.vx += accel * used / burn * math.cos(craft.heading)
    craft.height = craft.lit


@tr.motion_rule(remembers={"fuel": 1.0, "lit": 0.0})
def burner_by_hand(craft, dt, thrust, burn=0.5, accel=100.0):
    """The same, with a list, which cannot be compiled."""
    for _ in [0]:
        burner(craft, dt, thrust, burn, accel)


@pytest.mark.parametrize("function", ["burner", "burner_by_hand"])
@pytest.mark.parametrize(("down", "burn"), [(0.5, 0.5), (2.0, 0.5), (0.0, 0.25)])
def test_a_custom_rule_has_memory_per_craft_and_the_time(function, down, burn):
    rule = {"rule": "custom", "function": function, "numbers": {"burn": burn}}
    twins = [
        {"name": name, "start": {"x": 0, "y": 0}, "timing": "dt", "rules": [rule, MOVE]}
        | {"rules": [rule | {"inputs": {"thrust": key}}, MOVE]}
        for name, key in (("one", "thrust"), ("other", "never"))
    ]
    tape = {"holds": {"thrust": [[down, 9]], "never": [[8, 9]]}}
    many = world(*twins, tape=tape, duration=5.0, clock={"rate": 50})
    flown = tr.simulate(many)
    fuel, vx, lit = 1.0, 0.0, 0
    for n in range(250):
        if n / 50 >= down and fuel > 0.0 and n / 50 < 3.0:
            used = min(burn / 50, fuel)
            fuel, vx, lit = fuel - used, vx + 100 * used / burn, lit + 1
    last = flown.of("one").iloc[-1]
    assert (last["vx"], flown.of("other")["vx"].max()) == (pytest.approx(vx, rel=1e-12), 0.0)
    flight = tr.Flight(many, plain=True).run()
    assert flight.state("one").height == lit


def test_unknown_attributes_of_a_craft_are_refused():
    for attribute, why in (("vz", "no 'vz'; valid: x, y"), ("haeding", "did you mean 'heading'")):
        text = f"def crooked(craft, dt):\n    craft.{attribute} = 1.0\n"
        names: dict[str, object] = {}
        file = f"crooked {attribute}"
        linecache.cache[file] = (len(text), None, text.splitlines(keepends=True), file)
        exec(compile(text, file, "exec"), names)
        with pytest.raises(tr.OptionError, match=why):
            tr.motion_rule(names["crooked"])
    with pytest.raises(tr.OptionError, match="cannot remember 'vx'; a craft has x, y"):
        tr.motion_rule(remembers={"vx": 1.0})(lambda craft, dt: None)


def test_traps_name_craft_and_rule():
    @tr.motion_rule
    def counts(craft, dt, nothing=0.0):
        craft.x += float(int(craft.x / nothing))

    game = scenario({"rule": "custom", "function": "counts"}, MOVE)
    with pytest.raises(tr.FlightError, match="'top' in rule 'custom' was stopped, frame 0 at 0 s"):
        tr.simulate(game)
