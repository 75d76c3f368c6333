"""Each check finds the mistake, and leaves alone what nearly is one."""

import json
import math
from typing import Any

import pytest

import tinrocket as tr
from tests.conftest import MOVE, THRUST, Cli, scenario, world
from tinrocket.checks.check import ALL
from tinrocket.demos import demo_names, demo_text

DRAG = {"rule": "drag", "rate": 2.0}
WALLED = {"width": 200, "height": 100, "edges": "clamp"}
LED = {"pointers": {"hand": [[0, 100, 100], [0.1, 400, 300]]}}
TAPPED = {"taps": {"flap": [0.2, 0.6, 1.0]}}
FIRE = {"rule": "fire", "shots": "corks", "speed": 300}
BOX = {"kind": "box", "width": 60, "height": 20}


def driven(*rules: dict, **rest: Any) -> tr.Scenario:
    return scenario(*rules, MOVE, timing="dt", **rest)


def ball(edges: Any = "open", size: float = 4, thick: float = 20, **contact: Any) -> tr.Scenario:
    top = {"name": "top", "start": {"x": 100, "y": 500, "vx": 900}, "radius": size, "rules": [MOVE]}
    post = {
        "name": "post",
        "at": [500, 500],
        "shape": {"kind": "box", "width": thick, "height": 80},
    }
    arena = {"width": 1000, "height": 1000, "edges": edges}
    told = {"between": ["top", "post"], "detection": "overlap"} | contact
    return world(top, obstacle=[post], contact=[told], arena=arena)


def gun(
    edges: Any = "open", lifetime: float | None = None, pool: int = 30, **fire: Any
) -> tr.Scenario:
    rules = [FIRE | fire, MOVE]
    cork = {"name": "corks", "pool": pool, "rules": [MOVE], "edges": edges}
    cork |= {} if lifetime is None else {"lifetime": lifetime}
    held = {"holds": {"fire": [[0, 2]]}}
    return world({"name": "gun", "start": {"x": 900, "y": 9}, "rules": rules}, cork, tape=held)


def filling(*conditions: dict, clock: Any = None, **gain: Any) -> tr.Scenario:
    gain = {"rule": "gain", "resource": "steam", "amount": 1, **gain}
    if not conditions:
        gain["action"] = "pump"
    tape = {} if conditions else {"holds": {"pump": [[0, 1]]}}
    top = {"name": "top", "start": {"x": 50, "y": 50}, "rules": [gain, MOVE]}
    top["resources"] = [{"name": "steam", "most": 99}]
    return world(top, condition=list(conditions), tape=tape, clock=clock or {})


BEAT = {"name": "beat", "every": 0.5}
FAR = {"name": "far", "of": "top", "measure": "x", "above": 40}


def spawned(clearance: float) -> tr.Scenario:
    top = {"name": "top", "start": {"x": 50, "y": 50}, "radius": 5, "rules": [MOVE]}
    crate = {"name": "crates", "pool": 3, "radius": 5, "rules": [MOVE]}
    near = {"clear_of": ["top"], "clearance": clearance} if clearance else {}
    sender = {"name": "lift", "spawns": ["crates"], "every": 0.5, "x": [40, 60], "y": 50}
    meets = {"between": ["crates", "top"], "response": "remove"}
    return world(top, crate, spawner=[sender | near], contact=[meets])


def gate(opening: float) -> tr.Scenario:
    rules = [{"rule": "flap", "speed": 260}, {"rule": "fall", "accel": 700}, MOVE]
    wren = {"name": "wren", "start": {"x": 100, "y": 500}, "radius": 8, "rules": rules}
    bars = [
        {
            "name": name,
            "pool": 2,
            "start": {"x": 0, "y": 0, "vx": -150},
            "shape": BOX,
            "rules": [MOVE],
        }
        for name in ("upper", "lower")
    ]
    offsets = [[0, opening / 2 + 10], [0, -opening / 2 - 10]]
    sender = {"name": "gates", "spawns": ["upper", "lower"], "every": 1, "x": 900, "y": 500}
    meets = [{"between": ["wren", name], "response": "stop"} for name in ("upper", "lower")]
    return world(wren, *bars, spawner=[sender | {"offsets": offsets}], contact=meets, tape=TAPPED)


def scored(every: float | None) -> tr.Scenario:
    asked = {"every": every} if every else {"all_of": ["thrust"]}
    data = {"name": "beat", "scores": "home", **asked}
    return scenario(THRUST, MOVE, condition=[data], tape={"holds": {"thrust": [[0.1, 0.5]]}})


def shaped(hit: float, **craft: Any) -> tr.Scenario:
    drawn = {
        "shape": {"kind": "circle", "radius": 10},
        "hit": {"shape": {"kind": "circle", "radius": hit}},
    }
    top = {"name": "top", "start": {"x": 9, "y": 9}, "rules": [MOVE]} | drawn | craft
    post = {"name": "post", "at": [500, 500], "shape": BOX}
    return world(top, obstacle=[post], contact=[{"between": ["top", "post"]}])


def turned(**craft: Any) -> tr.Scenario:
    rules = [{"rule": "turn", "rate": 90}, THRUST, DRAG, MOVE]
    return world({"name": "top", "start": {"x": 9, "y": 9}, "rules": rules} | craft)


def stick(above: float, tilt: str = "both") -> tr.Scenario:
    data = {"name": "hard", "stick": "thumb", "tilt": tilt, "above": above}
    thrust = THRUST | {"on": ["hard"]}
    return scenario(thrust, MOVE, condition=[data], sticks={"thumb": {"x": "sx", "y": "sy"}})


def viewed(order: str) -> tr.Scenario:
    view = {"follow": "top", "width": 200, "height": 100, "order": order}
    return scenario({"rule": "drive", "speed": 90}, MOVE, view=view)


@tr.motion_rule(remembers={"left": 1.0})
def counts_down(craft, dt, pull=9.0):
    craft.left -= dt
    if craft.left == 0.0:
        craft.vx += pull


@tr.motion_rule(remembers={"left": 1.0})
def counts_past(craft, dt, pull=9.0):
    craft.left -= dt
    if craft.left <= 0.0:
        craft.vx += pull


def own(function: str) -> tr.Scenario:
    return scenario({"rule": "custom", "function": function}, MOVE)


DRIVE = {"rule": "drive", "accel": 600, "brake": 300}
CAPPED = [DRIVE, {"rule": "limit", "speed": 100}]
CASES: dict[str, tuple[tr.Scenario, ...]] = {
    "never-starts": tuple(
        driven(THRUST, DRAG, {"rule": "stop_below", "below": below}) for below in (11, 1.9)
    ),
    "never-stops": (
        driven(THRUST, {"rule": "limit", "speed": 90}),
        driven(THRUST, {"rule": "limit", "speed": 90}, {"rule": "drag", "rate": 0.5}),
    ),
    "faster-diagonal": tuple(
        driven({"rule": "drive", "speed": 90, "normalise": normal}) for normal in (False, True)
    ),
    "drag-overshoots": tuple(
        driven(THRUST, {"rule": "drag", "rate": rate}) for rate in (31.0, 29.0)
    ),
    "rattles-at-rest": (
        driven({"rule": "chase", "target": [510, 500], "accel": 500}),
        driven({"rule": "ease", "target": [510, 500], "rate": 4}),
    ),
    "rules-undo-each-other": (
        driven(THRUST, {"rule": "cruise", "speed": 80}),
        driven({"rule": "cruise", "speed": 80}, THRUST),
    ),
    "no-ceiling": (ball(speed_factor=1.1), ball(speed_factor=1.1, max_speed=1e4)),
    "pointer-beats-limit": (
        scenario({"rule": "follow", "target": "hand"}, tape=LED),
        scenario({"rule": "follow", "target": "hand", "speed": 900}, tape=LED),
    ),
    "spins-on": (
        driven({"rule": "torque", "accel": 90}, {"rule": "rotate"}),
        driven({"rule": "torque", "accel": 90}, {**DRAG, "of": "spin"}, {"rule": "rotate"}),
    ),
    "clamp-throws": tuple(ball(response="block", push_out=side) for side in ("right", "left")),
    "pushes-into-wall": tuple(
        driven(*CAPPED, arena=WALLED | {"edges": {"kind": "clamp", "keeps_velocity": keeps}})
        for keeps in (True, False)
    ),
    "crosses-edge": tuple(
        driven(*CAPPED, arena={"edges": {"kind": "wrap", "margin": margin}}, radius=8)
        for margin in (0, 8)
    ),
    "cannot-bounce": tuple(ball(restitution=share) for share in (0.0, 0.4)),
    "bounce-sticks": tuple(ball(push_out=out) for out in (False, True)),
    "tunnels": (ball(thick=20), ball(thick=20, detection="swept")),
    "hit-larger-than-drawn": (shaped(12), shaped(10)),
    "gap-at-contact": (shaped(11.1), shaped(10.9)),
    "led-into-contacts": (
        world(
            {
                "name": "bat",
                "start": {"x": 9, "y": 9},
                "rules": [{"rule": "follow", "target": [50, 50]}],
            },
            {"name": "post", "start": {"x": 50, "y": 50}, "radius": 9, "rules": [MOVE]},
            contact=[{"between": ["bat", "post"]}],
        ),
        world(
            {
                "name": "bat",
                "start": {"x": 9, "y": 9},
                "rules": [{"rule": "follow", "target": [50, 50]}],
            },
            {"name": "post", "start": {"x": 50, "y": 50}, "radius": 9, "rules": [MOVE]},
            contact=[{"between": ["post", "bat"]}],
        ),
    ),
    "fires-every-frame": (gun(), gun(cooldown=0.02)),
    "tapping-beats-holding": (gun(when="pressed"), gun(when="pressed", cooldown=0.2)),
    "counted-in-frames": tuple(
        driven({"rule": "flap", "speed": 99, "cooldown": span}) for span in ("6 frames", 0.1)
    ),
    "amount-each-frame": tuple(filling(when=when) for when in ("held", "pressed")),
    "corner-only-stick": (stick(0.6), stick(0.6, "whole")),
    "never-pressed": tuple(
        driven(THRUST, DRAG, tape={"holds": held}) for held in ({}, {"thrust": [[0, 1]]})
    ),
    "rule-never-acts": tuple(
        driven({"rule": "flap", "speed": 99, "during": [begins, 9]}, tape=TAPPED)
        for begins in (1.5, 0.5)
    ),
    "steps-past-equal": (own("counts_down"), own("counts_past")),
    "art-disagrees": (turned(shape=BOX), turned(shape=BOX | {"turns": True})),
    "view-one-frame-late": (viewed("before"), viewed("after")),
    "spawns-on-top": (spawned(0.0), spawned(30.0)),
    "free-points": (scored(0.5), scored(None)),
    "impassable-gate": (gate(30.0), gate(45.0)),
    "never-removed": (gun(cooldown=0.2), gun(cooldown=0.2, edges="remove")),
    "shots-stay": (gun(cooldown=0.2), gun(cooldown=0.2, lifetime=0.5)),
}


@pytest.mark.parametrize("name", ALL)
def test_a_check_finds_its_mistake_and_no_near_miss(name: str) -> None:
    faulty, nearly = CASES[name]
    found = tr.check(faulty, select=[name])
    assert [finding.name for finding in found] == [name]
    assert found[0].what[-1] not in ".;"
    assert not tr.check(nearly, select=[name])


GROWS = {"rule": "drag", "keep": 1.001, "allow_gain": True}
MORE = [
    ("amount-each-frame", filling(FAR, on="far"), filling(BEAT, on="beat")),
    ("amount-each-frame", filling(), filling(clock={"fixed_rate": 60})),
    ("amount-each-frame", *(filling(amount=amount) for amount in (-98, -99))),  # 99: all of it
    (
        "amount-each-frame",
        filling(FAR, BEAT, {"name": "either", "any_of": ["far", "beat"]}, on="either"),
        filling(FAR, BEAT, {"name": "both", "all_of": ["far", "beat"]}, on="both"),
    ),
    ("no-ceiling", driven(GROWS), driven(GROWS, {"rule": "limit", "speed": 400})),
    ("no-ceiling", *(ball(hard_hit_speed=9, hard_speed_factor=1.0 + d) for d in (0.1, -0.1))),
    (
        "rule-never-acts",
        driven(THRUST, DRAG, {"rule": "limit", "speed": 600}, tape={"holds": {"thrust": [[0, 1]]}}),
        driven(THRUST, DRAG, {"rule": "limit", "speed": 60}, tape={"holds": {"thrust": [[0, 1]]}}),
    ),
]


@pytest.mark.parametrize(("name", "faulty", "nearly"), MORE)
def test_further_ways_to_make_the_same_mistake(
    name: str, faulty: tr.Scenario, nearly: tr.Scenario
) -> None:
    assert [finding.name for finding in tr.check(faulty, select=[name])] == [name]
    assert not tr.check(nearly, select=[name])


def test_numbers_of_a_finding_are_those_of_the_motion() -> None:
    done: list[tuple[int, int]] = []
    found = tr.check(ball(thick=20), [30, 60], ["tunnels"], progress=lambda *n: done.append(n))
    assert done == [(1, 1)]
    told = str(found[0])
    assert "at 30 fps" in told
    assert "900 px/s" in told
    assert f"from {(20 + 2 * 4) * 30} px/s on" in told
    frames = tr.check(CASES["counted-in-frames"][0], select=["counted-in-frames"])[0]
    assert "6 frames are 0.1 s as tuned and 0.0417 s at 144 fps" in frames.what
    diagonal = tr.check(CASES["faster-diagonal"][0], select=["faster-diagonal"])[0]
    assert "1.41 times" in diagonal.what


FILE = """title = "Marble on a shelf"
duration = 2.0
tuned_at = 60

[arena]
width = 400
height = 300
edges = "clamp"

[[craft]]
name = "marble"
start = { x = 50, y = 50 }
radius = 4
rules = [
    { rule = "drive", accel = 900 },
    { rule = "limit", speed = 200 },HERE
    { rule = "move" },
]

[tape.holds]
right = [[0.1, 0.6]]
left = [[0.9, 1.1]]
up = [[0.2, 0.3]]
down = [[1.2, 1.3]]
"""


@pytest.mark.slow
def test_findings_have_lines_and_a_file_can_allow_them(cli: Cli, tmp_path) -> None:
    path = tmp_path / "marble.toml"
    path.write_text(FILE.replace("HERE", ""))
    done = cli("check", "marble.toml", ok=False)
    assert done.returncode == 1
    first, last, *_apart = done.stdout.splitlines()
    assert first.startswith("marble.toml:10: never-stops craft.marble: let go at 200 px/s")
    assert last == "marble.toml: 1 finding"
    told = json.loads(cli("check", "marble.toml", "--format", "json", ok=False).stdout)
    assert [(finding["line"], finding["name"]) for finding in told] == [(10, "never-stops")]
    run = json.loads(cli("check", "marble.toml", "--format", "sarif", ok=False).stdout)["runs"][0]
    region = run["results"][0]["locations"][0]["physicalLocation"]["region"]
    assert region == {"startLine": 10}
    assert run["tool"]["driver"]["rules"][0]["id"] == run["results"][0]["ruleId"] == "never-stops"
    noted = cli("check", "marble.toml", "--format", "github", ok=False).stdout
    assert noted.startswith("::warning file=marble.toml,line=10,title=never-stops::craft.marble:")
    assert cli("check", "marble.toml", "--ignore", "never-stops").returncode == 0
    for why in ("# allows never-stops: it rolls on glass\n", "\n\n# allows never-stops: glass\n"):
        path.write_text(why + FILE.replace("HERE", ""))
        assert "marble.toml: no findings\n" in cli("check", "marble.toml").stdout
    path.write_text(
        FILE.replace("[[craft]]", "[[craft]] # allows never-stops: glass").replace("HERE", "")
    )
    assert cli("check", "marble.toml").returncode == 0
    path.write_text(FILE.replace("HERE", " # allows never-stops: glass"))  # elsewhere
    assert cli("check", "marble.toml", ok=False).returncode == 1
    for wrong, said in (("never-stops", "give a reason"), ("never-stop: glass", "did you mean")):
        path.write_text(f"# allows {wrong}\n" + FILE.replace("HERE", ""))
        refused = cli("check", "marble.toml", ok=False)
        assert (refused.returncode, said in refused.stderr) == (2, True)


def test_each_check_explains_itself(cli: Cli) -> None:
    told = cli("check", "--explain", "all").stdout
    assert all(f"{name}\n" in told for name in ALL)
    assert set(CASES) == set(ALL)
    refused = cli("check", "--explain", "tunels", ok=False)
    assert "did you mean 'tunnels'?" in refused.stderr


DEMOS = {
    "sparrow": {"counted-in-frames", "crosses-edge", "pushes-into-wall"},
    "marble": {"pointer-beats-limit"},
    "popgun": {"tunnels"},
}
"""What is found in the demos: each is what they show, or meant."""


@pytest.mark.parametrize("demo", demo_names())
def test_demos_have_the_documented_findings(demo: str) -> None:
    assert {finding.name for finding in tr.check(tr.read_demo(demo))} == DEMOS.get(demo, set())


@pytest.mark.parametrize(
    ("name", "bad", "good"),
    [
        # of a lag log 2 / lag, of a terminal speed accel / terminal: 31 and 29 a second at 30 fps
        *(
            ("drag-overshoots", *(driven({**rule, key: number / rate}) for rate in (31.0, 29.0)))
            for rule, key, number in (
                ({"rule": "follow", "target": [900, 500]}, "lag", math.log(2)),
                ({"rule": "fall", "accel": 900.0}, "terminal", 900.0),
            )
        ),
        (  # a bounce along the axis that is set, and along the other
            "cannot-bounce",
            *(
                scenario({"rule": "drive", "speed": 80, "axis": "x"}, MOVE, arena={"edges": edges})
                for edges in (
                    {"left": "bounce", "right": "bounce", "top": "open", "bottom": "open"},
                    {"left": "open", "right": "open", "top": "bounce", "bottom": "bounce"},
                )
            ),
        ),
        (  # it comes to the side, and stays away
            "crosses-edge",
            *(
                scenario(
                    MOVE, arena={"edges": "wrap"}, radius=8, start={"x": 500, "y": 500, "vx": v}
                )
                for v in (300, 30)
            ),
        ),
        (
            "rules-undo-each-other",
            driven(THRUST, {"rule": "drive", "speed": 80}),
            driven({"rule": "fall", "accel": 90}, {"rule": "drive", "speed": 80, "axis": "x"}),
        ),
    ],
)
def test_checks_cover_further_rules(name, bad, good):
    assert name in {found.name for found in tr.check(bad, rates=[30, 60])}
    assert name not in {found.name for found in tr.check(good, rates=[30, 60])}


def test_a_new_scenario_passes_its_checks(cli):
    cli("new", "starter")
    told = cli("check", "starter.toml").stdout
    assert "no findings" in told
    far = max(run.farthest[1] for run in tr.compare(tr.read_scenario("starter.toml")).runs)
    assert f"Its runs are up to {far:.3g} px apart" in told  # which is what to look at next


def test_an_old_name_of_a_check_is_answered_with_the_new_one(tmp_path):
    with pytest.raises(tr.UnknownNameError, match="renamed to 'never-pressed'"):
        tr.check(tr.read_demo("rocket"), select=["nobody-presses"])
    text = demo_text("rocket").replace("[arena]", "[arena] # allows nobody-presses: by design", 1)
    (tmp_path / "rocket.toml").write_text(text)
    with pytest.raises(tr.UnknownNameError, match="renamed to 'never-pressed'"):
        tr.check_file(tmp_path / "rocket.toml")
