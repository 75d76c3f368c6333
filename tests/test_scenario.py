"""Scenarios as data and files: round trips, paths to numbers, and what is refused."""

import tomllib

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import tinrocket as tr
from tinrocket.scenario.toml_file import format_scenario, parse_scenario

from .conftest import HELD, MOVE, THRUST, Cli, scenario

NUMBER = st.floats(-1e9, 1e9)
POSITIVE = st.floats(1e-6, 1e9)
PRINTED = st.characters(exclude_categories=["C", "Z"]) | st.just(" ")
NAME = st.text(PRINTED, min_size=1, max_size=9)
SHARE = st.floats(0, 1)
RULES = st.one_of(
    st.builds(tr.Turn, rate=NUMBER, left=NAME),
    st.builds(tr.Thrust, accel=NUMBER, reverse=st.none() | NUMBER),
    st.builds(tr.Drag, keep=st.floats(0.01, 1), at=st.none() | st.floats(1, 500)),
    st.builds(tr.Drag, half_life=POSITIVE, units=st.sampled_from(["per_frame", "per_second"])),
    st.builds(tr.Limit, x=st.none() | POSITIVE, y=POSITIVE),
    st.builds(tr.Move, method=st.sampled_from(["euler", "half"]), timing=st.just("exact")),
)
EDGE = st.one_of(
    st.builds(tr.Edge, kind=st.sampled_from(["clamp", "open"]), margin=st.floats(0, 9)),
    st.builds(tr.Edge, kind=st.just("bounce"), restitution=st.none() | SHARE),
)
ARENA = st.builds(
    tr.Arena,
    width=st.floats(500, 1e6),
    height=st.floats(500, 1e6),
    y_axis=st.sampled_from(["up", "down"]),
    unit=NAME,
    edges=st.builds(tr.Edges, left=EDGE, right=EDGE),
)
START = st.builds(tr.Start, x=st.floats(50, 400), y=st.floats(50, 400), vx=NUMBER)


@given(
    title=st.text(max_size=20),
    arena=ARENA,
    crafts=st.lists(
        st.builds(
            tr.Craft,
            name=NAME.filter(lambda name: name not in tr.Scenario.model_fields),
            start=START,
            radius=st.floats(0, 20),
            rules=st.lists(RULES, min_size=1, max_size=4).map(tuple),
        ),
        min_size=1,
        max_size=3,
        unique_by=lambda craft: craft.name,
    ),
    clock=st.builds(tr.Clock, rate=st.none() | st.floats(1, 60), jitter=st.floats(0, 0.01)),
)
def test_written_scenarios_are_read_back(title, arena, crafts, clock):
    taps = {crafts[0].actions[0]: (0.5, 0.7)} if crafts[0].actions else {}
    game = tr.Scenario(
        title=title,
        duration=3.0,
        arena=arena,
        craft=tuple(crafts),
        clock=clock,
        tape=tr.Tape(taps=taps),
    )
    assert parse_scenario(format_scenario(game)) == game


@pytest.mark.parametrize("name", [*tr.demo_names(), "starter"])
def test_bundled_scenarios_fly_and_round_trip(name):
    game = tr.read_demo(name)
    assert parse_scenario(format_scenario(game)) == game
    assert len(tr.simulate(game).frames) == len(game.fleet) * (game.duration * 60 + 1)


def test_one_number_by_its_path():
    drags = [
        {"rule": "drag", "keep": 0.9, "at": 50},
        {"rule": "drag", "rate": 1, "name": "air.thin"},
    ]
    game = scenario(THRUST, *drags, MOVE, tape=HELD)
    two = tr.with_value(game, "top.air.thin.half_life", 0.4)
    assert (two.craft[0].rules[2].half_life, two.craft[0].rules[2].rate) == (0.4, None)
    assert two.craft[0].rules[1] == game.craft[0].rules[1]
    assert tr.with_value(game, "top.timing", "exact").craft[0].timing == "exact"
    assert tr.with_value(game, "arena.edges.left.margin", 4).arena.edges.left.margin == 4
    assert tr.with_value(game, "top.thrust.accel", 5).craft[0].rules[0].accel == 5
    with pytest.raises(tr.UnknownNameError, match=r"2 rules of the kind 'drag'; give them names"):
        tr.with_value(game, "top.drag.keep", 0.5)
    with pytest.raises(tr.ScenarioError, match=r"keep=1.5: .*set allow_gain = true"):
        tr.with_value(scenario(drags[0], MOVE), "top.drag.keep", 1.5)


GOOD = """
duration = 1
arena = { width = 200, height = 100 }
[[craft]]
name = "mouse"
start = { x = 20, y = 20 }
rules = [{ rule = "thrust", accel = 40 }, { rule = "drag", keep = 0.9 }, { rule = "move" }]
[tape.holds]
thrust = [[0.1, 0.5]]
"""

BAD = {
    "not TOML": ("duration = 1", "duration = = 1", ["scenario.toml: is not TOML"]),
    "unknown key": ("width", "widht", ["arena.widht", "no such key; did you mean 'width'?"]),
    "unknown rule": (
        '"drag"',
        '"darg"',
        [".toml:7: craft.mouse.darg", "'darg' is not one of", "'drag'?"],
    ),
    "unknown rule key": (
        "accel",
        "acel",
        [".toml:7: craft.mouse.thrust.acel", "did you mean 'accel'?"],
    ),
    "unknown action": ("thrust = [", "thurst = [", ["tape", "'thurst'", "did you mean 'thrust'?"]),
    "zero-size arena": ("width = 200", "width = 0", ["arena.width", "greater than 0, not 0"]),
    "not a number": ("= 40", "= nan", ["accel: must be a finite number, not nan"]),
    "text for a number": ("= 40", '= "40"', ["accel: must be a number, not '40'"]),
    "out of range": ("= 40", "= 1e10", ["accel: must be at most 1e+09"]),
    "two forms of drag": ("keep = 0.9", "keep = 0.9, rate = 2", ["exactly one of keep, half_life"]),
    "no form of drag": ("keep = 0.9", "at = 60", ["none is given"]),
    "keep above 1": (
        "keep = 0.9",
        "keep = 1.01",
        ["of 1.01 makes the craft faster"],
    ),
    "keep below 0": (
        "keep = 0.9",
        "keep = -0.1",
        ["turns it round in every frame"],
    ),
    "one side wraps": (
        "height = 100 }",
        'height = 100, edges = { left = "wrap", right = "clamp" } }',
        ["arena.edges", "'left' is 'wrap' but 'right' is 'clamp'", "both wrap, or neither"],
    ),
    "restitution of a wrap": (
        "height = 100 }",
        'height = 100, edges = { top = { kind = "wrap", restitution = 1 } } }',
        ["restitution belongs to a bounce"],
    ),
    "ends before it starts": ("[[0.1, 0.5]]", "[[0.5, 0.1]]", ["tape", "ends before it starts"]),
    "outside": ("x = 20", "x = 300", ["craft.mouse.start.x: 300 is outside the arena"]),
    "too large": (
        "height = 100 }",
        'height = 100, edges = { left="open", right="open", top="clamp", bottom="clamp" } }',
        ["craft.mouse.radius: 60 leaves no room between 'top' and 'bottom'"],
    ),
    "negative rate": (
        "[tape",
        "[clock]\nrate = -3\n[tape",
        ["clock.rate: must be at least 0.01, not -3"],
    ),
    "jitter too long": (
        "[tape",
        "[clock]\nrate = 50\njitter = 0.02\n[tape",
        ["'jitter' of 0.02 s must be shorter than a frame, which lasts 0.02 s"],
    ),
    "frame times below zero": (
        "[tape",
        "[clock]\nframe_times = [0.016, -0.1]\n[tape",
        ["clock.frame_times#2: must be greater than 0, not -0.1"],
    ),
    "two clocks": (
        "[tape",
        "[clock]\nframe_times = [0.016]\nrate = 60\n[tape",
        ["'frame_times' is a captured clock"],
    ),
    "a name twice": (
        "[tape",
        '[[craft]]\nname = "mouse"\nstart = { x = 1, y = 1 }\nrules = [{ rule = "move" }]\n[tape',
        ["two are named 'mouse'"],
    ),
    "no kind": (
        'rule = "move"',
        'method = "half"',
        ["needs the key 'rule'", "aim, chase"],
    ),
    "kind under another key": (
        'rule = "move"',
        'kind = "move"',
        ['write rule = "move", not kind = "move"'],
    ),
    "a name that is a kind": (
        'rule = "move"',
        'name = "move"',
        ["needs the key 'rule'"],
    ),
    "a key of the table below": (
        "height = 100 }",
        'height = 100, left = "wrap" }',
        ["arena.left: there is no such key; did you mean 'edges.left'?"],
    ),
}


ADDED = {  # additions to the good scenario, and the message of each
    '{ rule = "chase", target = "mouse", speed = 9 }': "craft.mouse.chase: 'mouse' would head for",
    '{ rule = "aim", at = "mose" }': "no craft or pointer 'mose'; valid: cat, hand",
    '{ rule = "follow", target = "hnad" }': "no craft or pointer 'hnad'; did you mean 'hand'?",
    '{ rule = "ease", target = [1, 2, 3], rate = 1 }': "a place such as [120, 80]",
    '{ rule = "flap", speed = 9, cooldown = -1 }': "must be seconds, at least 0, such as 0.4, or",
    '{ rule = "flap", speed = 9, cooldown = "2 frmes" }': "such as '24 frames', not '2 frmes'",
    '{ rule = "hop", height = 9, duration = "0 frames" }': "must be longer than nothing",
    '{ rule = "drive", speed = 9, stick = "thumbs" }': "no stick 'thumbs'; did you mean 'thumb'?",
    '{ rule = "drive", speed = 9, stick = "thumb", when = "pressed" }': "name one with 'on'",
    '{ rule = "force", x = 9, when = "released" }': "when = 'released' waits for an action",
    '{ rule = "force", x = 9, during = [2, 1] }': "must be a window of time [from, until] in s, or",
    '{ rule = "force", x = 9, during = "bost" }': "no timer or condition 'bost' of this craft; a",
    '{ rule = "timer", duration = 1, action = "thrust" }': "a timer needs a 'name'",
    '{ rule = "drive" }': "give 'accel', 'speed' or both of them",
    '{ rule = "fall", speed = 9, terminal = 4 }': "'terminal' is approached at an 'accel'",
    '{ rule = "chase", target = "cat", accel = 9, turn = 3 }': "there is none",
    '{ rule = "ease", target = "cat", fraction = 0.1, rate = 2 }': "one of fraction, half_life",
    '{ rule = "snap", below = 2 }': "renamed to 'stop_below'",
    '{ rule = "thrust", accel = 2, timing = "scaled" }': "renamed to 'dt'",
    '{ rule = "gravity", accel = 9 }': "turn, turn_by; for 'gravity' use fall or force",
    '{ rule = "Steering", rate = 9 }': "for 'Steering' use turn or torque",
    '{ rule = "custom", function = "nobody" }': "'nobody' is registered; load its file",
}
TABLES = {
    "[sticks.thumb]\nx = 'sx'\nexponent = 0": "sticks.thumb.exponent: must be greater than 0",
    "[sticks.thumb]\nx = 'sx'\ndead_zone = 0.9\nfull_at = 0.5": "must be below 'full_at'",
    "[clock]\nfixed_rate = 60\nsubstep = 0.01": "'substep' cuts frames into equal parts; give one",
    "[clock]\nmost_steps = 4": "no such key; renamed to 'max_steps_per_frame'",
    "[clock]\ninterpolate = true": "'interpolate' is about fixed steps; there is no 'fixed_rate'",
    "[clock]\nfixed_rate = 60\nbacklog = 'kept'": "'backlog' needs 'max_steps_per_frame'",
    "[clock]\nfixed_rate = 60\nmax_steps_per_frame = 0": "max_steps_per_frame: must be at least 1",
    "[view]\nfollow = 'rat'\nwidth = 9\nheight = 9": "view.follow: there is no craft 'rat'",
    "[view]\nfollow = 'cat'\nwidth = 900\nheight = 9": "view.width: 900 is more than the arena",
    "[view]\nfollow = 'cat'\nwidth = 9\nheight = 9\nfraction = 0.1\nrate = 1": "give one of",
    "[tape.pointers]\nhand = [[1, 0, 0], [0, 9, 9]]": "the times of the pointer 'hand' must grow",
}
CAT = """
[[craft]]
name = "cat"
start = { x = 90, y = 20 }
KEYS
rules = [RULE{ rule = "move" }]
"""


@pytest.mark.parametrize("case", [*ADDED, *TABLES])
def test_new_parts_are_refused_as_clearly(case):
    thumb = "" if "sticks.thumb" in case else "[sticks.thumb]\nx = 'sx'\n"
    hand = "" if "pointers" in case else "[tape.pointers]\nhand = [[0, 1, 1]]\n"
    text = GOOD.replace("rules = [", f"rules = [{case}, ") if case in ADDED else GOOD
    tables = "" if case in ADDED else case
    cat = CAT.replace("KEYS", "").replace("RULE", "")
    with pytest.raises(tr.ScenarioError) as caught:
        parse_scenario("\n".join([text, cat, thumb, hand, tables]))
    assert len(caught.value.problems) == 1
    assert (ADDED | TABLES)[case] in str(caught.value)


@pytest.mark.parametrize(
    ("rule", "said"),
    [
        ('{ rule = "limit", speed = 9 }', "the rule 'limit' has no closed form together"),
        ('{ rule = "dash", name = "burst", speed = 9 }', "the rule 'burst' has no closed form"),
        ('{ rule = "move", name = "again" }', "needs exactly one rule 'move', and there are 2"),
    ],
)
def test_closed_form_names_the_rule_that_has_none(rule, said):
    cat = CAT.replace("KEYS", 'stepping = "closed_form"').replace("RULE", f"{rule}, ")
    with pytest.raises(tr.ScenarioError) as caught:
        parse_scenario(GOOD + cat)
    assert "craft.cat.stepping: " in str(caught.value)
    assert said in str(caught.value)


@pytest.mark.parametrize("case", BAD)
def test_refusals_name_the_place_and_the_right_value(case, tmp_path):
    old, new, parts = BAD[case]
    radius = 'name = "mouse"\nradius = 60' if case == "too large" else 'name = "mouse"'
    (tmp_path / "scenario.toml").write_text(
        GOOD.replace(old, new, 1).replace('name = "mouse"', radius, 1)
    )
    with pytest.raises(tr.TinRocketError) as caught:
        tr.read_scenario(tmp_path / "scenario.toml")
    message = str(caught.value)
    assert message.startswith(str(tmp_path))
    assert len(message.splitlines()) == 1
    for part in parts:
        assert part in message


def test_all_problems_at_once_and_exit_code_2(cli: Cli, tmp_path):
    (tmp_path / "bad.toml").write_text(
        GOOD.replace("width", "widht").replace("40", "nan").replace("0.9", "2")
    )
    done = cli("run", "bad.toml", ok=False)
    assert done.returncode == 2
    lines = done.stderr.splitlines()
    assert len(lines) == 3
    places = [line.split(": ")[1] for line in lines]
    assert places == ["bad.toml:3"] + ["bad.toml:7"] * 2
    assert not done.stdout


CROWD = """
title = "crowd"
duration = 3
[arena]
width = 300
height = 200
edges = "bonce"   # reported once

[[craft]]
name = "top one"
start = { x = 5, y = "far" }
rules = [
    # "a remark, with [brackets]"
    { rule = "drag", rate = 2 },
    { rule = "thrust", accel = 3, reverse = "x" },
    { rule = "move", metod = "half" },
]
[craft.respawn]
after = -2

[[craft]]
name = "other"
start = { x = 5, y = 5 }
rules = [{ rule = "move" }, { rule = "flap", speed = 3, cooldown = -1 }]

[[contact]]
between = ["top one", "other"]
push_out = "topp"
"""


def test_every_problem_has_the_line_of_the_file():
    with pytest.raises(tr.ScenarioError) as caught:
        parse_scenario(CROWD, "crowd.toml")
    told = [str(line).split(": ")[:3] for line in str(caught.value).splitlines()]
    assert [finding[:2] for finding in told] == [
        ["crowd.toml:7", "arena.edges"],
        ["crowd.toml:11", "craft.top one.start.y"],
        ["crowd.toml:19", "craft.top one.respawn.after"],
        ["crowd.toml:15", "craft.top one.thrust.reverse"],
        ["crowd.toml:16", "craft.top one.move.metod"],
        ["crowd.toml:24", "craft.other.flap.cooldown"],
        ["crowd.toml:28", "contact#1.push_out"],
    ]
    assert "must be true or false, not 'topp', or one of left," in str(caught.value)
    sound = CROWD.replace("bonce", "open").replace('"far"', "3").replace('"x"', "3")
    sound = sound.replace("metod", "method").replace("-2", "2").replace("-1", "1")
    wrong = sound.replace('"topp"', "true").replace('rule = "flap"', 'rule = "flap", during = "no"')
    with pytest.raises(tr.ScenarioError, match=r"crowd.toml:24: craft.other.flap: there is no"):
        parse_scenario(wrong, "crowd.toml")


def test_numbers_per_time_change_with_the_units_and_fly_alike():
    """A spawner's speed, a view's, a condition's bound and a ramp's end, in frames and seconds."""
    fall = {"rule": "fall", "accel": 300, "ramps": [{"key": "accel", "to": 600, "over": 1.0}]}
    brake = {"rule": "drag", "rate": 2, "on": "fast"}
    cat = {"name": "cat", "start": {"x": 50, "y": 50, "vx": 90}, "rules": [fall, brake, MOVE]}
    bits = {"name": "bits", "pool": 3, "rules": [MOVE]}
    game = tr.Scenario.from_data(
        {
            "duration": 2.0,
            "arena": {"width": 300, "height": 900, "edges": "open"},
            "craft": [cat, bits],
            "condition": [{"name": "fast", "measure": "speed", "above": 240}],
            "spawner": [
                {"name": "s", "spawns": ["bits"], "every": 0.7, "at": "cat", "vx": [9, 60]}
            ],
            "view": {"follow": "cat", "width": 99, "height": 99, "speed": 120, "within": "nothing"},
        }
    )
    frames = game.per_frame()
    assert frames.view.speed == 2.0
    assert frames.condition[0].above == 4.0
    assert frames.spawner[0].vx == (0.15, 1.0)
    assert frames.craft[0].rules[0].ramps[0].to == pytest.approx(600 / 3600)
    for both in (tr.simulate(game, rate=50), tr.simulate(frames, rate=50)):
        want = tr.simulate(game, rate=50).frames.drop(columns="craft").to_numpy()
        got = both.frames.drop(columns="craft").to_numpy()
        np.testing.assert_allclose(got, want, atol=1e-7)


def test_models_raise_the_librarys_own_error():
    with pytest.raises(tr.ScenarioError, match="rate: must be at least 0.01") as caught:
        tr.Clock(rate=-1)
    assert isinstance(caught.value, ValueError)
    assert caught.value.problems[0].where == "rate"
    assert tomllib.loads(GOOD)["duration"] == 1


def test_a_single_table_instead_of_a_list_is_corrected():
    text = CAT.replace("KEYS", "").replace("RULE", "").replace("[[craft]]", "[craft]")
    arena = "duration = 1\narena = { width = 99, height = 99 }\n"
    with pytest.raises(tr.ScenarioError, match=r"craft: is a list of tables: write \[\[craft\]\]"):
        parse_scenario(arena + text)


def test_one_edge_for_all_names_the_key_that_is_wrong():
    arena = {"width": 99, "height": 99, "edges": {"kind": "wrap", "onto": True}}
    with pytest.raises(
        tr.ScenarioError, match="edges: onto: there is no such key; renamed to 'snap'"
    ):
        tr.Arena.from_data(arena)
