"""Who enters, leaves, marches, and when a round is over: against plain loops and arithmetic."""

import numpy as np
import pytest

import tinrocket as tr
from tinrocket.scenario.toml_file import format_scenario, parse_scenario

from .conftest import MOVE, world

RATES = [24, 60, 144]
CRATE = {"name": "crate", "pool": 60, "rules": [MOVE], "edges": "open"}
CRATE |= {"start": {"x": 0, "y": 0, "vx": 90}}
TOP = {"name": "top", "start": {"x": 500, "y": 500}, "rules": [MOVE]}


def of_kind(flown, *kinds):
    return flown.events[flown.events["kind"].isin(kinds)]


def spawn(rate, crate=None, craft=(), timing="exact", duration=6.0, **spawner):
    sent = {"name": "belt", "spawns": ["crate"], "x": 10, "y": 20, "every": 0.7} | spawner
    game = world(*craft, CRATE | (crate or {}), spawner=[sent], timing=timing, duration=duration)
    return tr.simulate(game, rate=rate)


@pytest.mark.parametrize("rate", RATES)
def test_spawners_are_on_time_and_exact_ones_put_ahead(rate):
    flown = spawn(rate, first=0.3)
    entered = of_kind(flown, "enter")
    due = np.arange(0.3, 6.0 + 1e-9, 0.7)
    assert entered["t"].to_numpy() == pytest.approx(due)
    last = flown.frames[flown.frames.index == flown.frames.index.max()]
    x = np.sort(last["x"][last["alive"] == 1])[::-1]
    np.testing.assert_allclose(x, 10 + 90 * (last["t"].iloc[0] - due), atol=1e-9)
    late = of_kind(spawn(rate, timing="dt"), "enter")  # at 10 px when the step ends
    assert set(late["x"]) == {10.0}
    counted = of_kind(spawn(rate, every="30 frames"), "enter")
    assert counted["t"].to_numpy() == pytest.approx(30 / rate * np.arange(1, len(counted) + 1))


@pytest.mark.parametrize("rate", RATES)
def test_a_ramp_shortens_the_interval_as_time_goes_on(rate):
    """From 0.7 s to 0.2 s over four seconds; each interval by when the one before began."""
    due, t = [], 0.7
    met = of_kind(spawn(rate, ramp={"to": 0.2, "over": 4.0}), "enter")["t"].to_numpy()
    while t <= 6.0 + 1e-9:
        due.append(t)
        t += 0.7 - 0.5 * min(t / 4.0, 1.0)  # between frames too: it is exact
    assert met == pytest.approx(due)


def test_random_places_keep_clear_of_craft_and_full_pools():
    """Nothing within 150 px of the top; without such a place there is an event."""
    flown = spawn(60, craft=[TOP], x=[400, 600], y=[400, 600], clear_of=["top"], clearance=120)
    entered = of_kind(flown, "enter")
    far = np.hypot(entered["x"] - 500, entered["y"] - 500)
    assert far.min() >= 120 - 2  # put ahead by less than a step
    assert far.max() <= 100 * 2**0.5 + 2
    crowded = spawn(60, craft=[TOP], x=500, y=520, clear_of=["top"], clearance=120)
    assert set(crowded.events["kind"]) == {"spawn_blocked"}
    full = spawn(60, crate={"pool": 3})
    assert full.events["kind"].tolist() == ["enter"] * 3 + ["pool_empty"] * 5
    freed = spawn(60, crate={"pool": 3, "lifetime": 1.5})
    assert "pool_empty" not in set(freed.events["kind"])


@pytest.mark.parametrize("rate", RATES)
def test_a_march_steps_turns_and_comes_down(rate):
    """As in a plain loop: no tin may pass 60 or 200, and the whole shelf turns."""
    tins = {"name": "tin", "start": {"x": 80, "y": 300}, "rules": [MOVE]}
    tins |= {"grid": {"columns": 3, "rows": 2, "step": [30, -20]}}
    march = {"name": "shelf", "moves": "tin", "every": 0.25, "step": 16, "down": 7}
    march |= {"between": [60, 200]}
    flown = tr.simulate(world(tins, march=[march], duration=12.0), rate=rate)
    x, y, way, places = np.array([80.0, 110, 140]), 300.0, 16.0, []
    for _ in range(48):
        if (x + way).max() > 200 or (x + way).min() < 60:
            way, y = -way, y - 7
        else:
            x = x + way
        places.append((x[2], y))
    steps = of_kind(flown, "march_step", "march_turn")
    assert steps["t"].to_numpy() == pytest.approx(0.25 * np.arange(1, 49))
    last = flown.of("tin 3")
    shown = [
        last[last["t"] <= 0.25 * n + 0.125].iloc[-1][["x", "y"]].tolist() for n in range(1, 48)
    ]
    assert shown == pytest.approx(np.array(places[:47]))
    hurried = tr.simulate(world(tins, march=[march | {"every": 1e-9}], duration=3.0), rate=rate)
    due = of_kind(hurried, "march_step", "march_turn")["t"]
    assert due.min() > 0.0  # never a rounding before the run
    assert due.max() <= 1.000001e-9 * due.size


def rally(rounds=None, rate=60, duration=8.0, ball=None, paddle=(), **rest):
    """A ball that rolls at 100 px/s into a goal 150 px away, for the left side."""
    start = {"x": 300, "y": 0, "vx": 100}
    ball = {"name": "ball", "start": start, "radius": 5, "rules": [MOVE]} | (ball or {})
    goal = {"name": "goal", "at": [460, 0], "shape": {"kind": "box", "width": 10, "height": 99}}
    scored = {"between": ["ball", "goal"], "response": "count", "scores": "left"}
    table = {"rounds": rounds} if rounds is not None else {}
    game = world(
        ball, *paddle, obstacle=[goal], contact=[scored], duration=duration, **table, **rest
    )
    return tr.simulate(game, rate=rate)


@pytest.mark.parametrize("rate", RATES)
def test_rounds_pause_and_the_first_to_three_wins(rate):
    """1.5 s to the goal, seen at the end of that step, a pause of 0.8 s, and again."""
    flown = rally({"first_to": 3, "pause": 0.8}, rate)
    scores, over = of_kind(flown, "score"), of_kind(flown, "over")
    begins = of_kind(flown, "round")["t"].to_numpy()
    assert len(begins) == 2
    assert (over["other"].tolist(), len(scores)) == (["left"], 3)
    assert scores["t"].to_numpy() == pytest.approx(np.array([0, *begins]) + 1.5)
    assert np.diff([0, *begins]) == pytest.approx(2.3, abs=2 / rate)
    ball = flown.of("ball")
    stands = ball[(ball["t"] > 1.5 + 1 / rate) & (ball["t"] < begins[0] + 1e-9)]
    assert set(stands["x"]) == {300.0}
    after = ball[ball["t"] > over["t"].iloc[0]]
    assert after["x"].nunique() == 1
    assert flown.frames["score.left"].iloc[-1] == 3
    assert flown.frames["score.left"].is_monotonic_increasing
    ended = rally({"first_to": 3, "pause": 0.8, "at_end": "end"}, rate)
    assert ended.duration == pytest.approx(over["t"].iloc[0], abs=1.01 / rate)
    assert of_kind(ended, "over")["other"].tolist() == ["left"]


@pytest.mark.parametrize("rate", RATES)
def test_a_time_limit_counts_play_and_not_pauses(rate):
    flown = rally({"time_limit": 3.2, "pause": 0.8}, rate)
    paused = sum(
        begins - np.ceil(scored * rate - 1e-6) / rate
        for scored, begins in zip(
            of_kind(flown, "score")["t"], of_kind(flown, "round")["t"], strict=False
        )
    )
    over = of_kind(flown, "over").iloc[0]
    assert over["other"] == "left"
    assert over["t"] - paused == pytest.approx(3.2)
    nobody = tr.simulate(world(TOP, rounds={"time_limit": 0.5}), rate=rate)
    assert of_kind(nobody, "over")[["t", "other"]].to_numpy().tolist() == [[0.5, ""]]


@pytest.mark.parametrize("rate", RATES)
def test_lives_are_lost_and_the_craft_comes_back(rate):
    """Out of the arena after 1 s, back after another, three times; the third is the last."""
    out = {"left": "open", "right": "remove", "top": "open", "bottom": "open"}
    start = {"x": 900, "y": 0, "vx": 100}
    mouse = {"name": "mouse", "start": start, "rules": [MOVE], "edges": out}
    mouse |= {"respawn": {"after": 1.0}}
    rounds = {"lives": 3, "lives_of": "mouse", "resets": [], "by_score": False}
    flown = tr.simulate(world(mouse, rounds=rounds, duration=9.0), rate=rate)
    lost, back = of_kind(flown, "life_lost"), of_kind(flown, "respawn")["t"].to_numpy()
    assert len(lost) == 3
    assert back == pytest.approx([2, 4], abs=2.1 / rate)
    removed = of_kind(flown, "remove")["t"].to_numpy()
    assert removed == pytest.approx([1, back[0] + 1, back[1] + 1])
    assert of_kind(flown, "over")["t"].iloc[0] == pytest.approx(5, abs=4.1 / rate)
    assert flown.frames["lives"].iloc[[0, -1]].tolist() == [3, 0]
    twice = mouse | {"respawn": {"after": "12 frames", "times": 1}}
    once = tr.simulate(world(twice, duration=9.0), rate=rate)
    assert len(of_kind(once, "respawn")) == 1
    placed = tr.simulate(world(twice | {"respawn": {"after": 0.5, "at": [70, 80]}}), rate=rate)
    assert of_kind(placed, "respawn")[["x", "y"]].to_numpy().tolist() == [[70, 80]]
    assert len(of_kind(once, "remove")) == 2


def test_nothing_ages_in_a_pause():
    """A lifetime of 3 s and a crate each 1.1 s, and standing still from 1.5 s and 3.8 s on."""
    crates = CRATE | {"lifetime": 3.0}
    belt = [{"name": "belt", "spawns": ["crate"], "x": 10, "y": 200, "every": 1.1}]
    rounds = {"pause": 0.8, "resets": ["ball"]}
    flown = rally(rounds, paddle=[crates], spawner=belt, duration=6.0)
    entered, gone = of_kind(flown, "enter")["t"], of_kind(flown, "expire")["t"]
    assert entered.tolist()[:3] == pytest.approx([1.1, 2.2 + 0.8, 3.3 + 1.6], abs=2.1 / 60)
    assert gone.iloc[0] == pytest.approx(1.1 + 3.0 + 2 * 0.8, abs=2.1 / 60)


SOUND = """
duration = 2
arena = { width = 640, height = 400, edges = "bounce" }
[[craft]]
name = "mouse"
start = { x = 320, y = 200 }
rules = [{ rule = "fire", shots = "corks", speed = 9 }, { rule = "move" }]
[[craft]]
name = "corks"
pool = 3
rules = [{ rule = "move" }]
[[craft]]
name = "tins"
start = { x = 60, y = 60 }
grid = { columns = 4, step = [40, 0] }
rules = [{ rule = "move" }]
[[obstacle]]
name = "cupboard"
at = [500, 300]
shape = { kind = "box", width = 120, height = 80 }
[[contact]]
between = ["corks", "tins"]
response = "split"
into = "corks"
scores = "mouse"
[[spawner]]
name = "belt"
spawns = ["corks"]
every = 1
x = [100, 200]
y = 30
[[march]]
name = "shelf"
moves = "tins"
every = 0.5
step = 9
between = [20, 600]
[rounds]
first_to = 4
"""
WRONG = [
    (
        'shots = "corks"',
        'shots = "cork"',
        "mouse.fire.shots: there is no craft 'cork' with a 'pool'",
    ),
    ('shots = "corks"', 'shots = "tins"', "there is no craft 'tins' with a 'pool'"),
    ('shots = "corks", speed = 9', "speed = 9", "give either 'shots', the name of a pool, or 'ran"),
    ("pool = 3", "pool = 0", "pool: must be at least 1, not 0"),
    ("pool = 3", "pool = 3\nrespawn = { after = 1 }", "drop 'respawn'"),
    ("start = { x = 60, y = 60 }", "", "give a 'start'; only a pool needs none"),
    ("step = [40, 0]", "step = [240, 0]", "craft.tins 4.start.x: 780 is outside the arena"),
    ('into = "corks"', "", "a response 'split' and the pool it is split 'into' go together"),
    ('into = "corks"', 'into = "mouse"', "contact#1.into: there is no craft 'mouse' with a 'pool'"),
    ('response = "split"\ninto = "corks"', 'detection = "sight"', "not made to bounce"),
    (
        'response = "split"\ninto = "corks"',
        'detection = "sight"\nresponse = "remove"',
        "'corks' has no rule 'fire' with a 'range', so it sees nothing",
    ),
    ('spawns = ["corks"]', 'spawns = ["mouse"]', "spawner.belt.spawns: there is no craft 'mouse'"),
    ("every = 1\n", "every = 0\n", "must be longer than nothing"),
    ("every = 1\n", "every = 1\nfirst = '3 frames'\n", "all in seconds or all in frames"),
    ("x = [100, 200]", "x = [200, 100]", "the smaller number first"),
    ("x = [100, 200]\ny = 30", "x = [470, 530]\ny = 300", "lie inside of 'cupboard'"),
    ("y = 30", "y = 900", "spawner.belt.y: all of its places lie outside of the arena"),
    ("y = 30", "y = 30\nclearance = 9", "'clear_of' and 'clearance' go together"),
    (
        "y = 30",
        "y = 30\nclearance = 9\nclear_of = ['moose']",
        "unknown craft or group 'moose'; did you me",
    ),
    (
        "y = 30",
        "y = 30\nramp = { to = 1, over = 3, by = 'gone' }",
        "'gone' is counted for a march",
    ),
    (
        'moves = "tins"',
        'moves = "tin"',
        "march.shelf.moves: unknown craft or group 'tin'; did you mean",
    ),
    ("between = [20, 600]", "between = [600, 20]", "two places along x, the smaller first"),
    ('scores = "mouse"', "", "rounds.first_to: no contact has 'scores'"),
    (
        "first_to = 4",
        "lives = 3",
        "'lives' and 'lives_of', the craft they are counted of, go together",
    ),
    (
        "first_to = 4",
        "lives = 3\nlives_of = 'moose'",
        "rounds.lives_of: there is no craft 'moose'; did you mean",
    ),
    ("first_to = 4", "resets = ['moose']", "rounds.resets: unknown craft or group 'moose'"),
]


@pytest.mark.parametrize(
    ("old", "new", "said"), WRONG, ids=[new[:30] for _old, new, _said in WRONG]
)
def test_invalid_stages_are_refused(old, new, said):
    whole = parse_scenario(SOUND)
    assert parse_scenario(format_scenario(whole)) == whole
    assert SOUND.count(old) >= 1
    with pytest.raises(tr.ScenarioError) as caught:
        parse_scenario(SOUND.replace(old, new, 1))
    assert said in str(caught.value)
    assert len(caught.value.problems) == 1
