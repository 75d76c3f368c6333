"""Conditions of the game, and what waits for them: spawners, contacts, outcomes, restarts."""

import math

import numpy as np
import pytest

import tinrocket as tr

MOVE = {"rule": "move"}
OPEN = {"left": "open", "right": "open", "top": "open", "bottom": "open"}


def bench(*crafts, **rest):
    arena = {"width": 400, "height": 300, "edges": "open"}
    return tr.Scenario.from_data({"duration": 4.0, "arena": arena, "craft": crafts} | rest)


def toy(name, x, y, vx=0.0, vy=0.0, rules=(MOVE,), **rest):
    start = {"x": x, "y": y, "vx": vx, "vy": vy}
    return {"name": name, "start": start, "radius": 10, "rules": [*rules]} | rest


def pool(name, count=6, **rest):
    return {"name": name, "pool": count, "radius": 5, "rules": [MOVE]} | rest


def of_kind(flight, *kinds):
    return flight.events[flight.events["kind"].isin(kinds)].reset_index(drop=True)


@pytest.mark.parametrize("rate", [30, 60, 144])
def test_a_gate_that_leaves_brings_the_next(rate):
    """200 px at 100 px/s: gone two seconds after it came, by the frame that sees it."""
    gates = pool("gates", edges=OPEN | {"left": "remove"})
    gone = {"name": "gone", "event": "remove", "of": "gates", "edge": "left"}
    about = {"spawns": ["gates"], "x": 200, "y": 50, "vx": -100}
    spawners = [{"name": "next", "on": "gone"}, {"name": "first", "every": 99, "first": 0.2}]
    game = bench(
        *(toy("cat", 0, 0), gates),
        condition=[gone],
        spawner=[spawner | about for spawner in spawners],
        duration=10.0,
    )
    t = of_kind(tr.simulate(game, rate=rate), "enter")["t"].to_numpy()
    assert len(t) == 5
    np.testing.assert_allclose(t, 0.2 + 2.0 * np.arange(5), rtol=0, atol=4.5 / rate)


@pytest.mark.parametrize("rate", [7, 30, 144])
def test_points_by_time_are_the_same_at_every_rate(rate):
    beat = {"name": "beat", "every": 0.125, "scores": "cat", "points": 3}
    flown = tr.simulate(bench(toy("cat", 0, 0), condition=[beat]), rate=rate)
    told = of_kind(flown, "condition")
    np.testing.assert_allclose(told["t"], 0.125 * np.arange(1, 33), rtol=0, atol=1e-9)
    assert set(told["rule"]) == {"beat"}
    assert flown.frames["score.cat"].iloc[-1] == 96


def busy_shelf(**rest):
    """Shots, crates at random, a score and obstacles: much that a restart must take back."""
    fire = {"rule": "fire", "shots": "corks", "speed": 300, "cooldown": 0.11}
    gun = toy("gun", 20, 150, vy=40, rules=({"rule": "turn", "rate": 90}, fire, MOVE))
    corks = pool("corks", lifetime=0.7)
    crates = pool("crates", 4, edges=OPEN | {"left": "remove"})
    tins = {"name": "tins", "at": [120, 140], "rows": 3, "step": [0, 30]}
    tins |= {"shape": {"kind": "box", "width": 10, "height": 20}}
    hit = {"between": ["corks", "tins"], "response": "remove", "removes": "both"}
    crash = {"between": ["corks", "crates"], "random_angle": 20.0, "scores": "gun"}
    sends = {"name": "sends", "spawns": ["crates"], "every": [0.2, 0.5], "at": "gun", "seed": 4}
    sends |= {"ring": [100, 150], "vx": [-90, -30], "vy": [-20, 20]}
    hands = {"fire": [[0.0, 99.0]], "left": [[0.0, 99.0]]}
    return bench(
        *(gun, corks, crates),
        obstacle=[tins],
        contact=[hit | {"scores": "gun"}, crash],
        spawner=[sends],
        tape={"holds": hands, "taps": {"reset": [1.5, 2.9]}},
        **rest,
    )


def test_after_a_restart_everything_is_as_in_the_beginning():
    reset = {"name": "again", "all_of": ["reset"], "restarts": True}
    flown = tr.simulate(busy_shelf(condition=[reset], duration=4.0), rate=50)
    at = (of_kind(flown, "restart")["t"] * 50).round().astype(int).tolist()
    assert len(at) == 2
    columns = ["x", "y", "vx", "vy", "heading", "alive", "score.gun"]
    by_frame = [track[columns].to_numpy() for _frame, track in flown.frames.groupby("frame")]
    assert flown.frames["score.gun"].max() >= 1
    for begin, end in ((at[0], at[1]), (at[1], 200)):
        for k in range(end - begin):
            np.testing.assert_array_equal(by_frame[begin + k], by_frame[k])


@pytest.mark.parametrize(
    ("how", "told"),
    [
        ({"ends": "life"}, ["life_lost", "over"]),
        ({"ends": "game"}, ["over"]),
        ({"ends": "round"}, ["round"] * 3),
        ({"ends": "round", "delay": 0.5}, ["round"] * 2),
    ],
)
def test_a_condition_ends_a_life_a_round_or_the_game(how, told):
    """The cat is past 100 px one second after it begins, and back at its start with a round."""
    past = {"name": "past", "measure": "x", "of": "cat", "above": 100} | how
    rounds = {"lives": 1, "lives_of": "cat", "resets": ["cat"]}
    game = bench(toy("cat", 0, 0, vx=99), condition=[past], rounds=rounds, duration=3.5)
    flown = tr.simulate(game, rate=100)
    kinds = of_kind(flown, "life_lost", "round", "over")["kind"].tolist()
    assert kinds == told
    first = of_kind(flown, "condition")["t"].iloc[0]
    assert first == pytest.approx(100 / 99 + how.get("delay", 0.0), abs=0.0101)


def test_spawners_use_present_members_and_stop_with_their_owner():
    tins = toy("tins", 100, 40, grid={"columns": 4, "step": [50, 0]}, lifetime=99)
    corks = pool("corks", 99)
    broom = toy("broom", -60, 40, vx=100, radius=10)
    sweep = {"between": ["broom", "tins"], "response": "remove", "removes": "second"}
    drops = {"name": "drops", "spawns": ["corks"], "at": "tins", "every": 0.05, "vy": 200}
    game = bench(tins, corks, broom, contact=[sweep], spawner=[drops])
    flown = tr.simulate(game, rate=100)
    swept = {hit["x"] + 20: hit["t"] for _n, hit in of_kind(flown, "hit").iterrows()}
    assert sorted(np.round(list(swept))) == [100, 150, 200, 250]
    sent = of_kind(flown, "enter")
    last = max(swept.values())
    assert sent["t"].max() <= last < sent["t"].max() + 0.2
    assert set(sent["x"]) == {100.0, 150.0, 200.0, 250.0}
    for x, t in swept.items():
        assert (sent.loc[sent["t"] > t + 1e-9, "x"] != round(x)).all()
    out = flown.frames[flown.frames["craft"].str.startswith("corks") & (flown.frames["t"] > 3.9)]
    assert out.loc[out["alive"] != 0, "y"].max() > 300  # what is out goes on


def test_waits_speeds_and_pools_are_drawn_anew():
    pools = [pool("caps", 40), pool("cogs", 40)]
    sends = {"name": "sends", "spawns": ["caps", "cogs"], "pick": "one", "x": 0, "y": 0, "seed": 1}
    sends |= {"every": [0.1, 0.3], "vx": [10, 20], "ring": [30, 40]}
    flown = [
        tr.simulate(bench(toy("cat", 0, 0), *pools, spawner=[sends], duration=6.0), rate=rate)
        for rate in (50, 144)
    ]
    times = [of_kind(flight, "enter")["t"].to_numpy() for flight in flown]
    np.testing.assert_allclose(times[0], times[1], rtol=0, atol=1e-9)
    waits = np.diff(times[0])
    assert waits.min() >= 0.1 - 1e-9
    assert waits.max() <= 0.3 + 1e-9
    assert waits.std() > 0.03
    sent = of_kind(flown[0], "enter")
    far = np.hypot(sent["x"], sent["y"])
    assert far.between(30, 40).all()
    assert sent["speed"].between(10, 20).all()
    assert {name.split()[0] for name in sent["craft"]} == {"caps", "cogs"}
    assert (sent["x"] > 0).any()
    assert (sent["y"] < 0).any()


@pytest.mark.parametrize("detection", ["swept", "overlap"])
def test_contacts_are_off_while_a_burst_lasts(detection):
    burst = {"rule": "timer", "name": "burst", "duration": 1.5, "action": "dodge"}
    cat = toy("cat", 20, 50, vx=100, rules=(burst, MOVE))
    wall = {"name": "wall", "at": [100, 50], "shape": {"kind": "box", "width": 10, "height": 90}}
    bounce = {"between": ["cat", "wall"], "detection": detection, "unless": "burst"}
    for taps, ends, met in (([], -250.0, 1), ([0.3], 420.0, 0), ([2.0], -250.0, 1)):
        game = bench(cat, obstacle=[wall], contact=[bounce], tape={"taps": {"dodge": taps}})
        flown = tr.simulate(game, rate=60)
        assert flown.frames["x"].iloc[-1] == pytest.approx(ends, abs=2)
        assert len(of_kind(flown, "bounce")) == met


@pytest.mark.parametrize("rate", [30, 60])
def test_a_condition_on_contact_slows_a_craft_in_a_puddle(rate):
    """Contact is that of the last frame, as in a game that tests before it moves."""
    drag = {"rule": "drag", "keep": 0.9, "on": "wet", "timing": "frame"}
    snail = toy("snail", 0, 50, vx=120, rules=(drag, {"rule": "force", "x": 60}, MOVE))
    puddle = {"name": "puddle", "at": [100, 50]}
    puddle |= {"shape": {"kind": "box", "width": 60, "height": 90}}
    wet = {"name": "wet", "touches": "puddle"}
    meets = {"between": ["snail", "puddle"], "response": "count", "detection": "overlap"}
    flown = tr.simulate(
        bench(snail, obstacle=[puddle], contact=[meets], condition=[wet]), rate=rate
    )
    x, vx, inside, path = 0.0, 120.0, False, []
    for _ in range(4 * rate):
        if inside:
            vx *= 0.9
        vx += 60 / rate
        x += vx / rate
        inside = abs(x - 100) < 30 + 10
        path.append((x, vx))
    np.testing.assert_allclose(flown.frames[["x", "vx"]].to_numpy()[1:], path, rtol=0, atol=1e-9)


def test_one_hit_has_several_outcomes_in_order():
    rock = toy("rock", 20, 100, vx=100)
    pools = [pool("chips", 3), pool("dust", 12)]
    wall = {"name": "wall", "at": [205, 100], "shape": {"kind": "box", "width": 10, "height": 90}}
    then = [
        {"response": "split", "into": "dust", "pieces": 8, "spread": 360, "piece_speed": 40},
        {"scores": "left", "points": 5},
        {"scores": "right", "points": -2, "ends": "game"},
    ]
    hit = {"between": ["rock", "wall"], "response": "split", "into": "chips", "pieces": 3}
    hit |= {"spread": 90, "piece_speed_factor": 0.5, "then": then}
    flown = tr.simulate(bench(rock, *pools, obstacle=[wall], contact=[hit]), rate=10)
    assert of_kind(flown, "split", "over")["kind"].tolist() == ["split", "over"]
    assert of_kind(flown, "split")["t"].item() == pytest.approx(1.7)
    last = flown.frames[flown.frames["t"] == flown.frames["t"].max()].set_index("craft")
    assert (last["score.left"].iloc[0], last["score.right"].iloc[0]) == (5, -2)
    chips, dust = (last[last.index.str.startswith(name)] for name in ("chips", "dust"))
    angles = np.degrees(np.arctan2(chips["vy"], chips["vx"]))
    np.testing.assert_allclose(sorted(angles), [-45, 0, 45], atol=1e-9)
    there = dust[dust["alive"] != 0]
    assert len(there) == 8
    np.testing.assert_allclose(np.hypot(there["vx"], there["vy"]), 40, atol=1e-9)


@pytest.mark.parametrize(("side", "along"), [("top", "y"), ("left", "x"), ("y", "y"), ("x", "x")])
def test_push_out_puts_a_ball_on_the_declared_side_of_a_bat(side, along):
    """If they overlap: place and speed along one axis, on the named or on the nearer side."""
    bat = toy("bat", 200, 150, shape={"kind": "box", "width": 60, "height": 20})
    ball = toy("ball", 120, 120, vx=170, vy=60, radius=8)
    hit = {"between": ["ball", "bat"], "detection": "overlap", "push_out": side}
    flown = tr.simulate(bench(ball, bat, contact=[hit], duration=1.0), rate=30).of("ball")
    x, y, vx, vy, path = 120.0, 120.0, 170.0, 60.0, []
    for _ in range(30):
        x, y = x + vx / 30, y + vy / 30
        gap_x, gap_y = max(abs(x - 200) - 30, 0.0), max(abs(y - 150) - 10, 0.0)
        if math.hypot(gap_x, gap_y) < 8:
            if along == "y":
                low = side == "top" or y < 150
                y = 150 - 18 if low else 150 + 18
                vy = -abs(vy) if low else abs(vy)
            else:
                low = side == "left" or x < 200
                x = 200 - 38 if low else 200 + 38
                vx = -abs(vx) if low else abs(vx)
        path.append((x, y, vx, vy))
    got = flown[["x", "y", "vx", "vy"]].to_numpy()[1:]
    np.testing.assert_allclose(got, path, rtol=0, atol=1e-9)


def test_numbers_ramp_with_points_and_with_how_many_are_left():
    """A point a second, and a tin gone at 1.5 s and 2.5 s: what the pushes come to, by hand."""
    by_score = {"key": "x", "to": 100.0, "over": 4, "by": "score", "of": "clock"}
    by_gone = {"key": "y", "to": 80.0, "over": 2, "by": "gone", "of": "tins"}
    push = {"rule": "force", "x": 0.0, "y": 40.0, "ramps": [by_score, by_gone]}
    tins = toy("tins", 100, 250, grid={"columns": 2, "step": [100, 0]})
    broom = toy("broom", -50, 250, vx=100)
    sweep = {"between": ["broom", "tins"], "response": "remove", "removes": "second"}
    beat = {"name": "beat", "every": 1.0, "scores": "clock"}
    parts = (toy("cat", 0, 0, rules=(push, MOVE)), tins, broom)
    flown = tr.simulate(bench(*parts, contact=[sweep], condition=[beat]), rate=100)
    vx = vy = 0.0
    gone = of_kind(flown, "hit")["t"].to_numpy()
    track = flown.of("cat")
    for n in range(400):
        begins = n / 100
        vx += 100.0 * min(np.floor(begins + 1e-9) / 4, 1.0) / 100
        vy += (40.0 + 40.0 * (gone <= begins + 1e-9).sum() / 2) / 100
        np.testing.assert_allclose(track[["vx", "vy"]].iloc[n + 1], [vx, vy], atol=1e-9)


def test_a_wait_that_begins_when_the_last_was_sent_waits_for_the_gate_to_open():
    """Every half second, while the key is down: due times go on, or begin anew."""
    about = {"spawns": ["bits"], "x": 0, "y": 0, "every": 0.5, "on": "open", "name": "sends"}
    tape = {"holds": {"open": [[0.0, 1.2], [1.8, 3.9]]}}
    for wait, due in (
        ("due", [0.5, 1.0, 2.0, 2.5, 3.0, 3.5]),
        ("sent", [0.5, 1.0, 1.81, 2.31, 2.81]),
    ):
        parts = (toy("cat", 0, 0), pool("bits", 20))
        game = bench(*parts, spawner=[about | {"wait": wait}], tape=tape)
        sent = of_kind(tr.simulate(game, rate=100), "enter")["t"].to_numpy()
        np.testing.assert_allclose(sent[: len(due)], due, atol=0.0101)


def test_a_view_follows_a_hop_if_declared():
    hop = {"rule": "hop", "height": 40, "duration": 1.0}
    cat = toy("cat", 200, 150, rules=(hop, MOVE))
    view = {"follow": "cat", "width": 50, "height": 50, "within": "nothing"}
    for follows in (True, False):
        shown = view | {"follows_height": follows}
        game = bench(cat, view=shown, tape={"taps": {"hop": [0.5]}}, timing="exact")
        flown = tr.simulate(game, rate=50).frames
        up = flown["height"] if follows else 0.0
        np.testing.assert_allclose(flown["view_y"], 150 - 25 - up, atol=1e-9)
        assert flown["height"].max() == pytest.approx(40, abs=0.1)


@pytest.mark.parametrize(
    ("asked", "begins"),
    [
        ({"measure": "time", "above": 0.995}, 1.0),
        ({"measure": "score", "of": "clock", "above": 2}, 1.5),
        ({"measure": "count", "of": "shots", "above": 1}, 0.8),
        ({"measure": "lives", "below": 2}, 2.2),
        ({"measure": "x", "of": "cart", "above": 49.5}, 0.5),
        ({"measure": "speed", "of": "carts", "above": 99}, 0.0),
        ({"at_edge": "right", "of": "cart"}, 2.2),
        ({"none_of": ["key"]}, 0.6),
        ({"any_of": ["key", "late"]}, 0.0),
    ],
)
def test_conditions_of_the_game_act_on_rules_from_the_next_frame(asked, begins):
    """A cart at 100 px/s is removed at 220 px; shots come at 0.4 s and 0.8 s, beats each 0.5 s."""
    cart = toy("cart", 0, 50, vx=100, groups=["carts"], edges=OPEN | {"right": "remove"})
    cat = toy("cat", 0, 90, rules=({"rule": "force", "y": 100, "on": "asked"}, MOVE))
    shots = pool("shots")
    conditions = [
        {"name": "beat", "every": 0.5, "scores": "clock"},
        {"name": "late", "measure": "time", "above": 1.2},
        {"name": "down", "all_of": ["key"]},
        {"name": "asked"} | asked,
    ]
    sends = {"name": "sends", "spawns": ["shots"], "x": 0, "y": 0, "every": 0.4}
    game = bench(
        *(cart, cat, shots),
        arena={"width": 220, "height": 200, "edges": "open"},
        condition=conditions,
        spawner=[sends],
        rounds={"lives": 2, "lives_of": "cart", "by_score": False, "resets": []},
        tape={"holds": {"key": [[0.0, 0.6]]}},
        duration=3.0,
    )
    flown = tr.simulate(game, rate=100).of("cat")
    pushed = flown["t"].to_numpy()[1:][np.diff(flown["vy"]) > 0]
    assert pushed[0] == pytest.approx(begins, abs=0.0301)


@pytest.mark.parametrize("sender", ["fire", "spawner"])
def test_an_event_triggers_a_condition_once_wherever_in_the_step(sender):
    """A pool of one that stays: all but the first find it empty, each in a step of its own."""
    fire = {"rule": "fire", "shots": "corks", "speed": 1, "cooldown": 0.25, "action": "go"}
    gun = toy("gun", 0, 0, rules=(fire, MOVE))
    sends = {"name": "sends", "spawns": ["corks"], "x": 0, "y": 0, "every": 0.25}
    refused = {"name": "refused", "event": "pool_empty", "scores": "gun"}
    how = {"spawner": [sends]} if sender == "spawner" else {"tape": {"holds": {"go": [[0, 9]]}}}
    flown = tr.simulate(bench(gun, pool("corks", 1), condition=[refused], **how), rate=60)
    empty = of_kind(flown, "pool_empty")
    told = of_kind(flown, "condition")
    assert len(empty) >= 14
    seen = told["frame"].to_numpy() - (1 if sender == "spawner" else 0)
    assert seen.tolist() == empty["frame"].tolist()[: len(told)]
    assert len(empty) - len(told) <= (1 if sender == "spawner" else 0)
