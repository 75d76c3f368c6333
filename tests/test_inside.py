"""Looking inside a flight: traces rule by rule, moments, extremes, and numbers by their paths."""

import json
import math
import pickle

import numpy as np
import pandas as pd
import pytest
import tomli_w
from hypothesis import given
from hypothesis import strategies as st

import tinrocket as tr
from tinrocket.scenario.vary import parse_vary

from .conftest import MOVE, scenario, tool

FUZZ = tool("fuzz")

GULL = {
    "duration": 2.0,
    "arena": {"width": 400, "height": 300, "edges": "bounce"},
    "craft": [
        {
            "name": "gull",
            "start": {"x": 50, "y": 60, "vx": 120},
            "radius": 5,
            "rules": [
                {"rule": "timer", "name": "wound", "action": "wind", "duration": 0.5},
                {"rule": "force", "x": 200, "during": "wound"},
                {"rule": "fall", "accel": 500},
                {"rule": "drag", "rate": 2.0},
                {"rule": "move"},
            ],
        }
    ],
    "tape": {"taps": {"wind": [0.3]}},
}


def test_a_trace_has_the_effect_of_each_rule_and_edge():
    """The same arithmetic by hand, rule by rule, and the flight's own frames."""
    game = tr.Scenario.from_data(GULL)
    flown, dt = tr.simulate(game, rate=50), 1 / 50
    told = flown.trace(each_rule=True)
    parts = ["begin", "wound", "force", "fall", "drag", "move", "edges"]
    assert told["after"].tolist() == parts * 100
    frame = dict(told[told["frame"] == 20].set_index("after").iterrows())
    start = flown.frames.loc[20]
    assert frame["begin"][["x", "y", "vx", "vy"]].tolist() == start[["x", "y", "vx", "vy"]].tolist()
    vx, vy = start["vx"] + 200 * dt, start["vy"] + 500 * dt
    assert frame["force"][["vx", "ax"]].tolist() == pytest.approx([vx, 200])
    assert frame["fall"][["vy", "ay"]].tolist() == pytest.approx([vy, 500])
    assert frame["drag"]["vx"] == pytest.approx(vx * (1 - 2 * dt))
    assert frame["drag"]["ax"] == pytest.approx(-2 * vx)
    assert frame["move"]["x"] == pytest.approx(start["x"] + vx * (1 - 2 * dt) * dt)
    wound = told.loc[told["after"] == "edges", "timer.wound"].to_numpy()
    began = math.ceil(0.3 * 50)
    np.testing.assert_allclose(wound[began : began + 25], 0.5 - dt * np.arange(25), atol=1e-6)
    assert (wound[:began] == 0).all()
    at_edge = told[told["events"] != ""].iloc[0]
    assert at_edge["events"] == "bounce bottom"
    before = told.iloc[at_edge.name - 1]
    assert at_edge["y"] == pytest.approx(2 * 295 - before["y"])  # the fold of the arena
    assert at_edge["vy"] == -before["vy"]
    ends = flown.trace()
    assert ends[["x", "y", "vx"]].to_numpy().tolist() == (
        flown.frames[["x", "y", "vx"]].to_numpy()[1:].tolist()
    )


def test_traces_of_every_demo_end_as_their_flights():
    for name in tr.demo_names():
        game = tr.read_demo(name).replaced(duration=1.0)
        told, flown = tr.trace(game, rate=40), tr.simulate(game, rate=40)
        if game.clock.fixed_rate is None:
            last = told[told["frame"] == told["frame"].max()].set_index("craft")
            for craft in last.index:
                assert last.loc[craft, "x"] == flown.of(craft)["x"].iloc[-1]


def test_moments_and_extremes_are_those_of_a_throw():
    """A throw upward at 200 px/s under 400 px/s^2: 50 px high after half a second."""
    data = GULL | {"arena": GULL["arena"] | {"edges": "open"}}
    rules = [{"rule": "fall", "accel": 400}, {"rule": "move", "method": "half"}]
    start = {"x": 0, "y": 200, "vx": 100, "vy": -200}
    data |= {"craft": [{"name": "gull", "start": start, "rules": rules}], "tape": {}}
    flown = tr.simulate(tr.Scenario.from_data(data), rate=100)
    told = flown.extremes()
    assert told.loc["highest", ["value", "t", "x"]].tolist() == pytest.approx([150, 0.5, 50])
    assert told.loc["lowest", "t"] == pytest.approx(2.0)
    assert told.loc["slowest", "value"] == pytest.approx(100)
    assert told.loc["fastest", "value"] == pytest.approx(math.hypot(100, 600))
    spans = flown.when("vy > -100 and vy < 100")
    assert spans[["since", "until"]].to_numpy().tolist() == pytest.approx(
        np.array([[0.26, 0.74]]), abs=0.0101
    )
    wrongs = {
        "speed": "compares nothing",
        "sped > 3": "mean 'speed'",
        "speed >": "not a comparison",
    }
    for wrong, said in wrongs.items():
        with pytest.raises(tr.OptionError, match=said):
            flown.when(wrong)


@pytest.mark.parametrize(
    ("path", "value"),
    [
        ("contact.marble/bats.speed_factor", 1.3),
        ("obstacle.upper rim.at.2", -7.5),
        ("marble.start.vx", 10.0),
        ("clock.jitter", 0.001),
        ("arena.width", 700.0),
        ("tuned_at", 72.0),
    ],
)
def test_every_number_has_a_path(path, value):
    game = tr.read_demo("marble")
    text = repr(tr.with_value(game, path, value).model_dump())
    assert text != repr(game.model_dump())
    assert repr(value) in text


def leaves(data, path=()):
    """Yield the path of every value: by names where there are some, else by the place from 1."""
    for key, value in data.items() if isinstance(data, dict) else enumerate(data, 1):
        named = None
        if isinstance(value, dict):
            named = value.get("name") or value.get("rule") or "/".join(value.get("between", ()))
        here = (*path, str(named or key))
        if isinstance(value, dict | list | tuple):
            yield from leaves(value, here)
        elif value is not None:
            yield ".".join(here).removeprefix("craft.").replace(".rules.", "."), value


@pytest.mark.parametrize(
    "game", [*map(tr.read_demo, tr.demo_names()), FUZZ.parse_scenario(FUZZ.RICH)]
)
def test_every_value_can_be_set_to_itself(game):
    """Every path leads to its value."""
    paths = dict(leaves(game.model_dump()))
    assert len(paths) > 30
    for path, value in paths.items():
        assert tr.with_value(game, path, value) == game, path


@pytest.mark.slow
@pytest.mark.parametrize("game", [FUZZ.parse_scenario(FUZZ.RICH)])
@given(data=st.data())
def test_any_value_at_any_path_is_accepted_or_refused(game, data):
    path = data.draw(st.sampled_from(list(dict(leaves(game.model_dump())))))
    cut = data.draw(st.integers(0, len(path)))
    path = path[:cut] + data.draw(st.sampled_from(["", "", ".", "x", ".1", "#2"])) + path[cut:]
    value = data.draw(st.sampled_from([*FUZZ.NASTY, *FUZZ.VALUES]))
    for change in (
        lambda: tr.with_value(game, path, value),
        lambda: tr.sweep(game.replaced(duration=0.1), {path: [value]}),
        lambda: tr.Flight(game).set(path, value),
    ):
        assert FUZZ.refused(change) == "", path


def test_a_sweep_of_less_than_a_step_ends_where_it_begins():
    game = tr.read_demo("rocket").replaced(duration=0.1)
    swept = tr.sweep(game, {"clock.fixed_rate": [8.9], "rocket.thrust.accel": [1.0, 2.0]})
    assert swept["x"].tolist() == [game.craft[0].start.x] * 2


@pytest.mark.parametrize(
    ("path", "said"),
    [
        ("contact.marble/bat.speed_factor", "no contact 'marble/bat'; did you mean 'marble/bats'"),
        ("obstacle.upper rim.at.3", "'3' is not one of its 2 places"),
        ("contacts.marble/bats.points", "did you mean 'contact'"),
        ("marble.start.x.1", "there is nothing that has a '1'"),
    ],
)
def test_unknown_paths_are_refused(path, said):
    with pytest.raises(tr.UnknownNameError, match=said):
        tr.with_value(tr.read_demo("marble"), path, 1.0)


def test_ranges_lists_and_single_values_are_read():
    read = parse_vary(["a.b=0.9:0.99:4", "c.d=1,2:3:3", "timing=exact"])
    assert read["a.b"] == pytest.approx([0.9, 0.93, 0.96, 0.99])
    assert read["c.d"] == [1, 2.0, 2.5, 3.0]
    assert read["timing"] == ["exact"]
    for wrong in ("a=1:2:1", "a=1:x:3"):
        with pytest.raises(tr.OptionError, match="a range"):
            parse_vary([wrong])
    comparison = tr.compare(tr.read_demo("rocket"), rates=[60], vary={"timing": "exact"})
    assert comparison.variants == ("timing=exact",)


def test_the_command_prints_a_trace(cli, tmp_path):
    tr.write_scenario(tr.Scenario.from_data(GULL), tmp_path / "gull.toml")
    lines = cli("trace", "gull.toml", "--each-rule", "--frames", "2").stdout.splitlines()
    assert len(lines) == 2 + 2 * 7
    columns = "frame t after x y vx vy speed ax ay heading"
    assert lines[1].split() == columns.split()
    asked = cli(
        *("trace", "gull.toml", "--from", "0.3", "--until", "0.34", "--json", "--rate", "50"),
        *("--columns", "t,in.wind,timer.wound", "--csv", "all.csv"),
    )
    assert [row["in.wind"] for row in json.loads(asked.stdout)] == [1, 0]
    assert (tmp_path / "all.csv").read_text().startswith("frame,step,t,")
    refused = cli("trace", "gull.toml", "--columns", "t,vz", ok=False)
    assert refused.returncode == 2
    assert "no column 'vz'" in refused.stderr


MILLISECONDS = tuple([16.7] * 50)
HELD = {"holds": {"go": [[0, 99]]}}


LATE = {"follow": "toy", "width": 90, "height": 90, "pointer_view": "last_frame"}


def doubted(clock=None, rules=(), contact=None, tape=None, view=None, **toy):
    """Return what is doubted of a toy that thrusts at 60 px/s^2 before these rules, and moves."""
    rules = rules or ({"rule": "thrust", "accel": 60, "action": "go"}, {"rule": "move"})
    start = {"x": 50, "y": 50, "vx": 9}
    craft = [{"name": "toy", "start": start, "rules": [*rules]} | toy]
    craft.append({"name": "tin", "start": {"x": 200, "y": 50}, "rules": [{"rule": "move"}]})
    data = {"duration": 2.0, "arena": {"width": 400, "height": 300}, "craft": craft}
    data |= {"contact": [contact] if contact else [], "tape": tape or {}}
    data |= {"view": LATE | view} if view is not None else {}
    return tr.simulate(tr.Scenario.from_data(data), clock=clock).warnings


GO = {"rule": "thrust", "accel": 60, "action": "go"}
THRICE = [
    {"rule": "move", "axis": "x"},
    {"rule": "move", "name": "b"},
    {"rule": "move", "name": "c"},
]


@pytest.mark.parametrize(
    ("told", "said"),
    [
        ({"rules": [GO]}, "craft 'toy': no rule 'move', so its velocity takes it nowhere"),
        ({"rules": THRICE}, "craft 'toy': 3 times a rule 'move' along x"),
        ({"rules": [GO, {"rule": "limit", "speed": 0}, THRICE[0]]}, "of 0 keeps it from moving"),
        ({"rules": [GO, {"rule": "stop_below", "below": 1}, THRICE[0]]}, "at 60 fps gives, 1:"),
        ({"rules": [{"rule": "drag", "rate": 90}, THRICE[0]]}, "rate · dt is 1.5 at 60 fps"),
        (
            {"tape": {"holds": {"go": [[2.5, 3]]}}},
            "goes on to 2.5 s, past the end of the run at 2 s",
        ),
        ({"tape": {"holds": {"go": [[500, 900]]}}}, "500 s of 2 s: are its times milliseconds"),
        (
            {"rules": [{"rule": "flap", "speed": 9, "cooldown": 250}, THRICE[0]]},
            "craft.toy.rules.flap.cooldown = 250 s, in a run of 2 s: are these milliseconds?",
        ),
        ({"tape": {"taps": {"go": [-0.5]}}}, "begins at -0.5 s, before the run"),
        ({"clock": tr.Clock(frame_times=MILLISECONDS)}, "16.7 s on average, as if they were mill"),
        (
            {"rules": [{"rule": "turn", "rate": 9}, GO, THRICE[0]], "tape": HELD},
            "nothing on the tape presses 'left', 'right'",
        ),
        (
            {"contact": {"between": ["toy", "tin"], "removes": "both"}},
            "contact 'toy/tin': 'removes' does nothing with response = 'bounce'",
        ),
        (
            {"contact": {"between": ["toy", "tin"], "largest_angle": 40.0}},
            "'largest_angle' does nothing without angle = 'by_offset'",
        ),
        (
            {"contact": {"between": ["toy", "tin"], "friction": 0.2, "angle": "by_offset"}},
            "'friction' does nothing with angle = 'by_offset'",
        ),
        (
            {"contact": {"between": ["toy", "tin"], "friction": 0.2, "response": "block"}},
            "'friction' does nothing without response = 'bounce'",
        ),
        ({"view": {"order": "before"}}, "does nothing without pointers = 'screen'"),
        ({"view": {"pointers": "screen"}}, "does nothing with order = 'after'"),
        ({"contact": {"between": ["toy", "tin"], "points": 3}}, "count for no side"),
        ({"contact": {"between": ["toy", "toy"]}}, "'toy' is a single craft"),
    ],
)
def test_probable_mistakes_are_warnings(told, said):
    assert any(said in warning for warning in doubted(**told)), doubted(**told)


def test_sound_scenarios_have_no_warnings():
    assert doubted(tape=HELD, contact={"between": ["toy", "tin"], "scores": "toy"}) == ()
    told = tr.compare(tr.read_demo("rocket"), rates=[60, 60])
    assert told.warnings == ("60 fps is flown more than once",)


@pytest.mark.parametrize(
    ("call", "said"),
    [
        (
            lambda: tr.simulate("toy.toml"),
            r"simulate\(\) takes a Scenario, not the text 'toy.toml'; read",
        ),
        (lambda: tr.compare(3), r"compare\(\) takes a Scenario, not an int; read one with"),
        (lambda: tr.plot_path("toy.csv"), r"plot_path\(\) takes a Trajectory, .* fly one with"),
        (lambda: tr.plot_paths(tr.read_demo("rocket")), r"takes a Comparison, not a Scenario"),
        (lambda: tr.plot_drift(None), r"takes a Comparison, not a NoneType; make one with"),
    ],
)
def test_objects_of_a_wrong_type_name_the_right_one(call, said):
    with pytest.raises(tr.OptionError, match=said):
        call()


def test_a_trace_omits_idle_members_and_records_a_blow_up(cli, tmp_path):
    popgun = tr.read_demo("popgun")
    flown, told = tr.simulate(popgun), tr.trace(popgun)
    there = flown.frames[(flown.frames["alive"] != 0) & (flown.frames["t"] > 0)]
    assert set(told["craft"]) <= {*there["craft"], "popgun"}
    corks = told[told["craft"].str.startswith("corks")]
    assert len(corks) >= (there["craft"].astype(str).str.startswith("corks")).sum()
    assert "corks 6" in set(tr.trace(popgun, "corks 6")["craft"])  # asked for by name
    wild = {"rule": "drag", "rate": -9000, "allow_gain": True}
    tr.write_scenario(scenario(wild, MOVE, start={"vx": 5}, duration=20.0), tmp_path / "wild.toml")
    done = cli("trace", "wild.toml", "--frames", "400", ok=False)
    assert done.returncode == 2
    assert done.stdout.count("\n") > 3  # the frames before it
    assert max(map(len, done.stdout.splitlines())) < 200
    flown = cli("run", "wild.toml", ok=False)
    assert (flown.returncode, flown.stderr) == (2, done.stderr)
    assert "craft 'top' left the range of finite numbers in rule 'drag', frame" in done.stderr


WINDS = """
import tinrocket as tr

@tr.motion_rule
def winds_down(craft, dt, {inputs}pull=60.0):
    left = 0.5 - craft.time
    craft.vx += {inputs_used}pull * dt / (left if left > 0.01 else 0.0)
"""


@pytest.mark.parametrize("compiled", [True, False])
def test_commands_load_rules_and_report_what_stops_a_flight(cli, tmp_path, compiled):
    """A rule that divides by zero stops a trace where it stops a flight, with the same message."""
    text = WINDS.format(inputs="", inputs_used="")
    if not compiled:
        text = text.replace("pull * dt", "{True: pull}[True] * dt")
    (tmp_path / "own.py").write_text(text)
    rules = [{"rule": "custom", "function": "winds_down", "name": "winds"}, {"rule": "move"}]
    craft = {"name": "top", "start": {"x": 5, "y": 5}, "rules": rules}
    arena = {"width": 100, "height": 100}
    data = {"duration": 2.0, "arena": arena, "craft": [craft]}
    (tmp_path / "top.toml").write_text(tomli_w.dumps(data))
    given = ("top.toml", "--rules", "own.py", "--rate", "50")
    trace, run = (
        cli(command, *given, *more, ok=False)
        for command, more in (("trace", ("--frames", "90", "--json")), ("run", ()))
    )
    assert trace.returncode == run.returncode == 2
    assert trace.stderr == run.stderr
    assert "craft 'top' in rule 'winds' was stopped, frame 25 at 0.5 s" in run.stderr
    truth = 0.0
    for n, row in enumerate(json.loads(trace.stdout)[:25]):
        truth += 60.0 * 0.02 / (0.5 - n / 50)
        assert row["vx"] == pytest.approx(truth, rel=1e-9)


def test_a_trace_takes_variants_and_captured_frames(cli, tmp_path):
    tr.write_scenario(scenario({"rule": "force", "x": 60.0}, MOVE), tmp_path / "top.toml")
    (tmp_path / "frames.csv").write_text("frame_s\n0.01\n0.03\n0.02\n")
    told = cli(
        *("trace", "top.toml", "--frame-times", "frames.csv", "--until", "0.055", "--json"),
        *("--vary", "top.force.x=60,90"),
    )
    for accel, part in zip((60, 90), json.loads(told.stdout), strict=True):
        assert part["variant"] == f"top.force.x={accel}"
        ends = [accel * t for t in (0.01, 0.04, 0.06)]
        assert [row["vx"] for row in part["rows"]] == pytest.approx(ends, rel=1e-9)
    assert "lengths in px" in cli("trace", "top.toml", "--vary", "top.force.x=60,90").stdout
    refused = cli("trace", "top.toml", "--vary", "top.force.x=6,9", "--csv", "a.csv", ok=False)
    assert "--csv is of one flight" in refused.stderr


def test_flights_sheets_and_causes_survive_a_pickle():
    rocket = tr.read_demo("rocket")
    flight = tr.Flight(rocket)
    for _ in range(40):
        flight.step({"thrust": 1.0})
    flight.set("rocket.thrust.accel", 300.0)
    again = pickle.loads(pickle.dumps(flight))
    for trajectory in (flight, again):
        for _ in range(40):
            trajectory.step({"thrust": 1.0, "left": 1.0})
    assert again.state("rocket") == flight.state("rocket")
    assert again.time == flight.time
    sheet = tr.feel(rocket, rates=[30, 60])
    stored = pickle.dumps(sheet)
    assert len(stored) < 100_000
    pd.testing.assert_frame_equal(pickle.loads(stored).table, sheet.table)
    causes = tr.explain(rocket, rates=[30, 144])
    other = pickle.loads(pickle.dumps(causes))
    pd.testing.assert_frame_equal(other.table, causes.table)
    assert tr.find_cures(other, felt=False).recommended.drift == pytest.approx(
        tr.find_cures(causes, felt=False).recommended.drift
    )
