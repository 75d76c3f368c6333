"""Many bodies at once, rising frame rates, and files in another order."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import tinrocket as tr
from tinrocket.compile import broad_phase_tables
from tinrocket.flight import memory

from .conftest import HALF, MOVE, tool, world

FORCE = {"rule": "force", "y": 400}


def crowd(count, rate, restitution, rules=(FORCE, MOVE), seconds=4.0):
    side = int(np.ceil(count**0.5))
    balls = {"name": "balls", "start": {"x": 20, "y": 20, "vx": 130, "vy": 70}, "radius": 6}
    balls |= {"grid": {"columns": side, "rows": side, "step": [24, 24]}, "rules": [*rules]}
    size = side * 24 + 40
    edges = {"kind": "bounce", "restitution": 0.9}
    data = {
        "duration": seconds,
        "timing": "exact",
        "craft": [balls],
        "arena": {"width": size, "height": size, "edges": edges},
        "contact": [{"between": ["balls", "balls"], "restitution": restitution}],
    }
    return tr.simulate(tr.Scenario.from_data(data), rate=rate), size


@pytest.mark.parametrize("restitution", [0.3, 0.95])
def test_a_pile_of_marbles_has_no_overlap(restitution):
    flown, size = crowd(64, 30, restitution, seconds=2.5)
    places = flown.frames[["x", "y"]].to_numpy().reshape(64, -1, 2)
    assert places.min() >= 6 - 1e-9
    assert places.max() <= size - 6 + 1e-9
    squeezed = flown.events[flown.events["kind"] == "squeeze"]
    names = list(flown.craft)
    for frame in range(0, places.shape[1], 10):
        apart = places[:, None, frame] - places[None, :, frame]
        gaps = np.hypot(*np.moveaxis(apart, -1, 0)) - 12
        np.fill_diagonal(gaps, 1.0)
        lately = squeezed[squeezed["frame"].between(frame - 8, frame)]
        told = {names.index(name) for name in (*lately["craft"], *lately["other"]) if name}
        deep = np.argwhere(gaps < -1e-6).tolist()
        assert all(told & set(pair) for pair in deep), (frame, deep, told)
    middle = places[:, :, 1].mean(axis=0)
    assert middle[-1] > size / 2  # it lies at the bottom


def thrown(rate, moves, restitution=0.8):
    """A marble thrown off a floor and a wall, under gravity and drag; where it is after 2 s."""
    drag = [{"rule": "drag", "rate": 0.6}] if moves == "euler" else []
    move = MOVE if moves == "euler" else HALF
    ball = {"name": "ball", "start": {"x": 40, "y": 150, "vx": 210, "vy": -90}, "radius": 5}
    ball |= {"rules": [{"rule": "fall", "accel": 500}, *drag, move]}
    wall = {"name": "wall", "at": [330, 150], "shape": {"kind": "box", "width": 20, "height": 400}}
    floor = {
        "name": "floor",
        "at": [180, 310],
        "shape": {"kind": "box", "width": 400, "height": 20},
    }
    contact = [
        {"between": ["ball", name], "restitution": restitution} for name in ("wall", "floor")
    ]
    arena = {"width": 400, "height": 400, "edges": "open"}
    data = {"duration": 2.0, "arena": arena, "craft": [ball], "obstacle": [wall, floor]}
    flown = tr.simulate(tr.Scenario.from_data(data | {"contact": contact}), rate=rate)
    assert len(flown.events) >= 2
    return flown.frames[["x", "y"]].iloc[-1].to_numpy()


def test_at_rising_rates_it_converges_by_the_order_of_its_arithmetic():
    """By halves it is the parabola itself, through every bounce; by Euler's rule of first order."""
    exact = thrown(1000, "half")
    for rate in (10, 30, 60, 144):
        np.testing.assert_allclose(thrown(rate, "half"), exact, atol=1e-6)
    rates = np.array([60, 120, 240, 480, 960])
    limit = thrown(15360, "euler")
    far = np.array([np.hypot(*(thrown(rate, "euler") - limit)) for rate in rates])
    order = -np.polyfit(np.log(rates), np.log(far), 1)[0]
    assert 0.8 < order < 1.25
    assert far[-1] < 1.0


@settings(max_examples=12)
@given(seed=st.integers(0, 10**6), turn=st.integers(1, 5), rate=st.sampled_from([24, 60, 144]))
def test_another_order_in_the_file_changes_nothing(seed, turn, rate):
    """Six bodies of three shapes meet each other and obstacles, in random order of the file."""
    draw = np.random.default_rng(seed)
    shapes = [
        {"kind": "circle", "radius": 9.0},
        {"kind": "box", "width": 22.0, "height": 14.0},
        {"kind": "diamond", "width": 24.0, "height": 18.0},
    ]
    crafts = [
        {
            "name": f"toy {n}",
            "start": {
                "x": 60.0 + 70 * (n % 3) + draw.uniform(-9, 9),
                "y": 70.0 + 90 * (n // 3) + draw.uniform(-9, 9),
                "vx": draw.uniform(-200, 200),
                "vy": draw.uniform(-200, 200),
            },
            "mass": draw.uniform(0.5, 3.0),
            "shape": shapes[n % 3],
            "groups": ["toys"],
            "rules": [MOVE],
        }
        for n in range(6)
    ]
    pegs = {"name": "pegs", "at": [40, 30], "columns": 4, "step": [70, 0]}
    pegs |= {"shape": {"kind": "circle", "radius": 7.0}}
    contacts = [
        {"between": ["toys", "toys"], "restitution": 0.9},
        {"between": ["toys", "pegs"], "restitution": 1.0},
    ]
    table = {"duration": 1.0, "arena": {"width": 280, "height": 240, "edges": "bounce"}}
    ends = []
    for times in (0, turn):
        data = table | {"craft": crafts[times:] + crafts[:times], "obstacle": [pegs]}
        data |= {"contact": contacts if times == 0 else contacts[::-1]}
        last = tr.simulate(tr.Scenario.from_data(data), rate=rate).frames.groupby(
            "craft", observed=True
        )
        ends.append(last.tail(1).set_index("craft").sort_index()[["x", "y", "vx", "vy"]])
    np.testing.assert_allclose(
        *(end.loc[[f"toy {n}" for n in range(6)]].to_numpy() for end in ends), atol=1e-4
    )


def strangers(count, seed, size=4000.0, largest=220.0, **contact):
    """Coins of many sizes and speeds, all over an arena without sides and far beyond it."""
    draw = np.random.default_rng(seed)
    spread = np.where(draw.random(count) < 0.9, 0.5, 40.0)[:, None] * size
    places, ways = draw.uniform(-1, 1, (count, 2)) * spread, draw.uniform(-400, 400, (count, 2))
    radii = draw.choice([3.0, 8.0, 0.14 * largest, largest], count, p=[0.5, 0.3, 0.19, 0.01])
    coins = [
        {
            "name": f"coin {n}",
            "start": {"x": x, "y": y, "vx": vx, "vy": vy},
            "radius": radius,
            "groups": ["coins"],
            "rules": [MOVE],
        }
        for n, ((x, y), (vx, vy), radius) in enumerate(
            zip(places.tolist(), ways.tolist(), radii.tolist(), strict=True)
        )
    ]
    arena = {"width": size, "height": size, "edges": "open"}
    about = {"between": ["coins", "coins"], "response": "count"} | contact
    data = {"duration": 2.0, "arena": arena, "craft": coins, "contact": [about]}
    return tr.Scenario.from_data(data), places, ways, radii


@pytest.mark.parametrize("rate", [20, 60])
def test_every_first_touch_of_many_bodies_is_found(rate):
    """Two coins on straight ways touch when |p + v t| = r, from the quadratic formula."""
    game, places, ways, radii = strangers(400, rate)
    begins, ends = np.triu_indices(400, 1)
    p, v = places[begins] - places[ends], ways[begins] - ways[ends]
    room = (p * p).sum(axis=1) - (radii[begins] + radii[ends]) ** 2
    b, a = (p * v).sum(axis=1), (v * v).sum(axis=1)
    root = np.sqrt(np.maximum(b * b - a * room, 0.0))
    moment = (-b - root) / a
    meets = (room > 0.0) & (b * b > a * room) & (moment > 0.0) & (moment < 2.0)
    due = {(f"coin {begins[n]}", f"coin {ends[n]}"): moment[n] for n in np.flatnonzero(meets)}
    events = tr.simulate(game, rate=rate).events
    told = events[(events["kind"] == "pass") & (events["t"] > 1.0 / rate)]
    seen = {
        tuple(sorted(row[:2], key=lambda name: int(name[5:]))): row[2]
        for row in told[["craft", "other", "t"]].itertuples(index=False)
    }
    late = {pair: at for pair, at in due.items() if at > 1.0 / rate}
    assert len(late) > 40
    assert seen.keys() == late.keys()
    assert max(abs(seen[pair] - at) for pair, at in late.items()) < 1e-9


@pytest.mark.slow
@pytest.mark.parametrize("detection", ["swept", "overlap"])
@pytest.mark.parametrize("response", ["bounce", "block", "count", "stop"])
def test_the_list_of_pairs_and_the_grid_give_the_same_bits(monkeypatch, detection, response):
    """Pegs are removed as they are hit and come back all together; a slab takes many cells."""
    peg, slab = {"kind": "circle", "radius": 4}, {"kind": "box", "width": 290, "height": 90}
    pegs = {"name": "pegs", "at": (-400, -400), "columns": 28, "rows": 28, "step": (37, 41)}
    still = [
        pegs | {"shape": peg},
        {"name": "slab", "at": (150, 170), "shape": slab},
        {"name": "far", "at": (1e9, -1e9), "shape": peg},
    ]
    gone = {"response": "remove", "removes": "second", "scores": "us", "detection": detection}
    hits = [
        {"between": ["coins", "slab"], "response": response, "detection": detection},
        {"between": ["coins", "pegs"], **gone},
    ]
    flights = []
    for listed in (10**6, 0):
        monkeypatch.setattr(broad_phase_tables, "COUPLES", listed)
        game, *_rest = strangers(60, 7, 300.0, 25.0, response=response, detection=detection)
        walled = game.replaced(arena=tr.Arena(width=300, height=300), detection=None)
        pegged = game.model_dump(mode="json", exclude_none=True)
        pegged |= {"obstacle": still, "contact": [*pegged["contact"], *hits]}
        pegged |= {"rounds": {"first_to": 90, "resets": [], "restores": ["pegs"]}}
        scenes = game, walled, tr.Scenario.from_data(pegged)
        flights.append([tr.simulate(each, rate=30) for each in scenes])
    assert set(flights[0][2].events["other"]) >= {"slab", "us"}
    for couples, grid in zip(*flights, strict=True):
        assert len(couples.events) > 20
        assert couples.recorded.block.tobytes() == grid.recorded.block.tobytes()
        assert couples.events.equals(grid.events)


def test_an_edge_met_beside_an_overlap_is_one_event():
    """A coin is thrown back by a side in a frame in which two others overlap."""
    arena = {"width": 200, "height": 100, "edges": "bounce"}
    starts = {"lone": (12, 50, -90), "left": (100, 50, 60), "right": (112, 50, -60)}
    coins = [
        {"name": name, "start": {"x": x, "y": y, "vx": vx}, "radius": 5, "groups": ["coins"]}
        | {"rules": [MOVE]}
        for name, (x, y, vx) in starts.items()
    ]
    contact = {"between": ["coins", "coins"], "detection": "overlap"}
    data = {"duration": 0.2, "arena": arena, "craft": coins, "contact": [contact]}
    events = tr.simulate(tr.Scenario.from_data(data), rate=10).events
    sides = events[events["edge"] == "left"]
    assert [*sides["craft"]] == ["lone"]
    np.testing.assert_allclose(sides["t"], 7 / 90, atol=1e-12)
    assert "bounce" in [*events[events["other"] != ""]["kind"]]


@pytest.mark.slow
def test_too_many_events_in_a_step_give_one_error(monkeypatch):
    """Coins of which some fill the whole arena push at each other without an end."""
    monkeypatch.setattr(memory, "EVENTS_A_STEP", 20)
    monkeypatch.setattr(memory, "EVENTS_A_CRAFT", 0)
    game, *_rest = strangers(60, 7, 300.0, response="bounce")
    arena, clock = tr.Arena(width=300, height=300), tr.Clock(rate=30.0)
    walled = game.replaced(arena=arena, clock=clock)
    for fly in (lambda: tr.simulate(walled), tr.Flight(walled).run):
        with pytest.raises(tr.FlightError, match=r"more than [\d,]+ events in one step"):
            fly()


def test_too_many_close_bodies_give_one_error(monkeypatch):
    monkeypatch.setattr(broad_phase_tables, "PAIRS", 10)
    monkeypatch.setattr(broad_phase_tables, "PAIRS_OF_ONE", 0)
    coins = {"name": "coins", "start": {"x": 50, "y": 50}, "radius": 5, "rules": [MOVE]}
    coins["grid"] = {"columns": 9, "rows": 1, "step": [1, 0]}
    contact = {"between": ["coins", "coins"]}
    arena = {"width": 200, "height": 100}
    data = {"duration": 1.0, "arena": arena, "craft": [coins], "contact": [contact]}
    with pytest.raises(tr.FlightError, match="more than 10 pairs of bodies.*TINROCKET_LIMITS"):
        tr.simulate(tr.Scenario.from_data(data))
    swept = tr.sweep(tr.Scenario.from_data(data), {"coins.start.vx": [0.0, 10.0]})
    assert not swept["finite"].any()


@pytest.mark.slow
def test_a_thousand_balls_bounce_in_a_box(seeds):
    """Of several masses, and elastic: all stay inside and apart, and energy is kept."""
    seconds = seeds(60)
    draw = np.random.default_rng(3)
    balls = [
        {"name": f"ball {n}", "radius": 6, "groups": ["balls"], "mass": draw.uniform(0.5, 2)}
        | {"start": {"x": 20 + 20.0 * (n % 32), "y": 20 + 20.0 * (n // 32), "vx": vx, "vy": vy}}
        | {"rules": [MOVE]}
        for n, (vx, vy) in enumerate(draw.uniform(-200, 200, (1000, 2)).tolist())
    ]
    arena = {"width": 700, "height": 700, "edges": "bounce"}
    data = {"duration": seconds, "timing": "exact", "craft": balls, "arena": arena}
    data = tr.Scenario.from_data(data | {"contact": [{"between": ["balls", "balls"]}]})
    flown = tr.simulate(data, rate=30)
    x, y, vx, vy = (flown.recorded.column(c).reshape(1000, -1) for c in ("x", "y", "vx", "vy"))
    assert min(x.min(), y.min()) >= 6 - 1e-9
    assert max(x.max(), y.max()) <= 694 + 1e-9
    masses = np.array([craft.mass for craft in data.craft])
    energy = masses @ (vx * vx + vy * vy)
    np.testing.assert_allclose(energy, energy[0], rtol=1e-12)
    assert (flown.happened["kind"] == "bounce").sum() > 1_700 * seconds
    for frame in range(0, x.shape[1], 150):
        apart = np.hypot(x[:, None, frame] - x[:, frame], y[:, None, frame] - y[:, frame])
        np.fill_diagonal(apart, 12.0)
        assert apart.min() >= 12.0 - 1e-6


def test_many_within_a_mask_meet_the_walls_of_their_own_cells():
    """A cave of cells, its mask of many parts: each marble bounces up and down in its own cell."""
    rows = ["#" * 61] + [("#" + "." * 5) * 10 + "#" for _ in range(5)]
    rows = rows * 10 + ["#" * 61]
    starts = [(4.0 * (3.5 + 6 * n), 4.0 * (3.5 + 6 * m)) for n in range(10) for m in range(10)]
    marbles = [
        {"name": f"marble {n}", "start": {"x": x, "y": y, "vy": 40.0 + n}, "radius": 2}
        | {"groups": ["marbles"], "rules": [MOVE]}
        for n, (x, y) in enumerate(starts)
    ]
    cave = {"name": "cave", "at": [122, 122], "shape": {"kind": "mask", "rows": rows, "scale": 4}}
    arena = {"width": 244, "height": 244, "edges": "open"}
    data = {
        "duration": 2.0,
        "timing": "exact",
        "arena": arena,
        "craft": marbles,
        "obstacle": [cave],
    }
    data["contact"] = [{"between": ["marbles", "cave"]}]
    flown = tr.simulate(tr.Scenario.from_data(data), rate=30)
    for n, (x, y) in enumerate(starts):
        along = (40.0 + n) * 2.0 + 8.0  # from one end of the 16 px that its place has
        folded = along % 32.0
        due = y - 8.0 + (folded if folded <= 16.0 else 32.0 - folded)
        last = flown.track(f"marble {n}")
        assert (last["x"][-1], last["y"][-1]) == pytest.approx((x, due), abs=1e-6)


CROWDS = tool("crowds")


@pytest.mark.slow
@settings(max_examples=25)
@given(seed=st.integers(0, 2**32), plainly=st.sampled_from([False] * 5 + [True]))
def test_random_crowds_have_the_same_contacts_in_every_mode(seed, plainly):
    """The same crowds as tools/crowds.py lets meet in thousands."""
    data = CROWDS.crowd(np.random.default_rng(seed))
    try:
        told = CROWDS.differs(data, plainly=plainly)
    except tr.TinRocketError:
        told = ""  # a sentence is an answer
    assert told == ""


@pytest.mark.slow
@settings(max_examples=25)
@given(seed=st.integers(0, 2**32), rate=st.sampled_from([20, 60, 144]))
def test_rooms_of_distant_craft_change_no_bit(seed, rate):
    """Where craft may leave in any step, it is asked in each of them; the bits are the same."""
    data = CROWDS.crowd(np.random.default_rng(seed))
    arena = data["arena"]
    arena |= {"width": 6 * arena["width"], "height": 6 * arena["height"]}
    asked = data | {"craft": [craft | {"lifetime": 1e6} for craft in data["craft"]]}
    try:
        flown, beside = (tr.simulate(tr.Scenario.from_data(table), rate) for table in (data, asked))
    except tr.TinRocketError:
        return  # a sentence is an answer
    for flight in flown.frames:
        np.testing.assert_array_equal(flown.frames[flight], beside.frames[flight])
    assert flown.events.equals(beside.events)


def pushed_by_the_view(speed, bodies, contacts, edges="clamp", method=None, **tin):
    """A tin that moves by no rule of its own, only by the left side of the view."""
    lead = {"name": "lead", "start": {"x": 200, "y": 50, "vx": speed}, "rules": [MOVE]}
    move = MOVE | ({"method": method} if method else {})
    tin = {"name": "tin", "start": {"x": 30, "y": 100}, "radius": 10, "rules": [move]} | tin
    data = {
        "duration": 4.0,
        "timing": "exact",
        "detection": "swept",
        "arena": {"width": 4000, "height": 200, "edges": "open"},
        "view": {"width": 400, "height": 200, "follow": "lead", "within": "arena"},
        "craft": [lead, tin | {"within": "view", "edges": edges}, *bodies.get("craft", [])],
        "obstacle": bodies.get("obstacle", []),
        "contact": contacts,
    }
    return tr.Scenario.from_data(data)


@pytest.mark.parametrize("rate", [30, 60, 144])
@pytest.mark.parametrize("detection", ["overlap", "swept"])
def test_a_tin_that_the_view_pushes_along_meets_each_pad(rate, detection):
    """The view is at its place of the last step, so everything happens one step later."""
    pads = {"name": "pads", "at": [900, 100], "columns": 4, "rows": 1, "step": [300, 0]}
    pads["shape"] = {"kind": "box", "width": 30, "height": 60}
    contact = {"between": ["tin", "pads"], "response": "count", "detection": detection}
    events = tr.simulate(pushed_by_the_view(600, {"obstacle": [pads]}, [contact]), rate=rate).events
    met = events[events["kind"] == "pass"]["t"].to_numpy()
    due = np.array([(900 + 300 * n - 15 - 10 - 10) / 600 for n in range(4)]) + 1 / rate
    if detection == "overlap":  # found when the step is over
        due = np.ceil(due * rate - 1e-9) / rate
    assert met == pytest.approx(due, abs=1e-9)


@pytest.mark.parametrize("rate", [20, 30, 60, 144])
@pytest.mark.parametrize("speed", [90, 400, 1500])
@pytest.mark.parametrize("response", ["block", "bounce", "remove"])
def test_a_body_pushed_by_the_view_is_held_by_a_post(rate, speed, response):
    """However thin the post, and however fast the view: it stays, and has one event."""
    post = {"name": "post", "at": [300, 100], "shape": {"kind": "box", "width": 2, "height": 90}}
    contact = {"between": ["tin", "post"], "response": response}
    flown = tr.simulate(pushed_by_the_view(speed, {"obstacle": [post]}, [contact]), rate=rate)
    events = flown.events.set_index("kind")["t"]
    once = {"clamp", "squeeze", response} if response != "remove" else {"clamp", "hit"}
    assert set(events.index) == once
    assert events.index.is_unique
    assert events.iloc[1] == pytest.approx((300 - 1 - 10 - 10) / speed + 1 / rate, abs=1e-9)
    assert flown.frames.query("craft == 'tin'")["x"].max() == pytest.approx(289, abs=1e-6)


@pytest.mark.parametrize("rate", [20, 30, 60, 144])
def test_a_sliding_body_pushed_by_the_view_stays_out_of_a_post(rate):
    """It falls past the post for a second, held beyond the side in all of its frames."""
    post = {"name": "post", "at": [250, 90], "shape": {"kind": "box", "width": 50, "height": 130}}
    fall = {"rules": [{"rule": "force", "y": 40}, MOVE | {"method": "half"}]}
    contact = {"between": ["tin", "post"], "response": "block"}
    game = pushed_by_the_view(150, {"obstacle": [post]}, [contact], **fall)
    flown = tr.simulate(game, rate=rate)
    tin = flown.of("tin")
    beside = (tin["y"] < 155) & (tin["x"] < 250)
    assert tin["x"][beside].max() == pytest.approx(215, abs=1e-6)
    assert (tin["view_x"] - tin["x"] + 10)[beside].max() > 20  # long after the side has passed
    events = flown.events[flown.events["y"] < 155]  # below, it goes around the corner
    assert events["kind"].tolist() == ["clamp", "block", "squeeze"]


@pytest.mark.parametrize("rate", [30, 60, 144])
def test_pushes_of_the_view_pass_through_a_row_until_it_is_blocked(rate):
    crate = {"name": "crate", "start": {"x": 150, "y": 100}, "radius": 10, "rules": [MOVE]}
    crate["edges"] = "open"
    wall = {"name": "wall", "at": [405, 100], "shape": {"kind": "box", "width": 10, "height": 90}}
    pairs = [("tin", "crate"), ("crate", "tin"), ("crate", "wall")]
    contacts = [{"between": pair, "response": "block"} for pair in pairs]
    game = pushed_by_the_view(300, {"craft": [crate], "obstacle": [wall]}, contacts)
    flown = tr.simulate(game, rate=rate)
    tin, crates = flown.of("tin"), flown.of("crate")
    assert (crates["x"] - tin["x"]).min() > 20 - 1e-6
    assert crates["x"].iloc[-1] == pytest.approx(390, abs=1e-6)
    kinds = flown.events["kind"].tolist()
    assert kinds[:4] == ["clamp", "block", "block", "squeeze"]
    met, stopped = flown.events["t"][1:3]
    assert met == pytest.approx((150 - 20 - 10) / 300 + 1 / rate, abs=1e-9)
    assert stopped == pytest.approx((390 - 20 - 10) / 300, abs=3 / rate)


@pytest.mark.parametrize("contacts", [False, True])
@pytest.mark.parametrize("method", [None, "half"])
@pytest.mark.parametrize("edges", ["clamp", "bounce"])
def test_edges_push_alike_in_every_movement_and_detection(contacts, method, edges):
    post = {"name": "post", "at": [3900, 10], "shape": {"kind": "circle", "radius": 2}}
    contact = [{"between": ["tin", "post"], "response": "block"}] if contacts else []
    game = pushed_by_the_view(300, {"obstacle": [post]}, contact, edges, method)
    flown, plain = (
        tr.simulate(each, rate=60) for each in (game, pushed_by_the_view(300, {}, [], edges))
    )
    assert flown.of("tin")["x"].to_numpy() == pytest.approx(plain.of("tin")["x"].to_numpy())
    assert (flown.of("tin")["x"] - flown.of("tin")["view_x"])[60:].min() > 10 - 2 * 300 / 60
    assert flown.events["kind"].tolist() == plain.events["kind"].tolist()


@pytest.mark.parametrize("detection", ["overlap", "swept"])
@pytest.mark.parametrize("rate", [30, 60, 144])
def test_pieces_live_from_the_moment_of_the_hit(rate, detection):
    """Found by overlap, a hit is where the step ends, whose frame shows it; so are its pieces."""
    shell = {"name": "shell", "start": {"x": 20, "y": 50, "vx": 230}, "radius": 4, "rules": [MOVE]}
    dust = {"name": "dust", "pool": 4, "radius": 1, "lifetime": 0.5, "rules": [MOVE]}
    post = {"name": "post", "at": [300, 50], "shape": {"kind": "box", "width": 60, "height": 90}}
    hit = {"between": ["shell", "post"], "response": "split", "into": "dust", "pieces": 2}
    game = world(shell, dust, obstacle=[post], contact=[hit], detection=detection, duration=3.0)
    flown = tr.simulate(game, rate=rate)
    events = flown.events.set_index("kind")
    due = (300 - 30 - 4 - 20) / 230
    if detection == "overlap":
        due = math.ceil(due * rate) / rate
        assert events.loc["split", "x"] == pytest.approx(flown.at(due, "shell")["x"], abs=1e-6)
    assert events.loc["split", "t"] == pytest.approx(due, abs=1e-9)
    assert events.loc["expire", "t"].to_numpy() == pytest.approx(due + 0.5, abs=1e-9)


@pytest.mark.parametrize("detection", ["swept", "overlap"])
@pytest.mark.parametrize(
    ("between", "who", "met", "at"),
    [
        (("tin 3", "post"), "tin 3", "post 3", (150 - 5 - 8 - 50) / 150),
        (("tin", "post 2"), "tin 2", "post 2", (150 - 5 - 8 - 50) / 150),
        (("ball", "tin 3"), "ball", "tin 3", (350 - 5 - 8 - 50) / 210),
        (("tin 3", "ball"), "tin 3", "ball", (350 - 5 - 8 - 50) / 210),
        (("tin 1", "tin 2"), None, None, None),
    ],
)
def test_a_member_of_a_grid_meets_by_its_own_name(between, who, met, at, detection):
    """Three tins side by side run at three posts and a ball; only the named tin meets a body."""
    posts = {"name": "post", "at": (150, 50), "rows": 3, "step": (0, 40)}
    tins = {"columns": 1, "rows": 3, "step": (0, 40)}
    game = tr.Scenario.from_data(
        {
            "duration": 2.0,
            "arena": {"width": 400, "height": 300, "edges": "open"},
            "detection": detection,
            "craft": [
                {"name": "tin", "grid": tins, "start": {"x": 50, "y": 50, "vx": 150}}
                | {"shape": {"kind": "circle", "radius": 8}, "rules": [MOVE]},
                {"name": "ball", "start": {"x": 350, "y": 130, "vx": -60}}
                | {"shape": {"kind": "circle", "radius": 5}, "rules": [MOVE]},
            ],
            "obstacle": [posts | {"shape": {"kind": "box", "width": 10, "height": 30}}],
            "contact": [{"between": between}],
        }
    )
    happened = tr.simulate(game).events.query("kind == 'bounce'")
    if who is None:
        assert happened.empty
        return
    first = happened.iloc[0]
    assert (first["craft"], first["other"]) == (who, met)
    assert {who, met} >= set(happened["craft"]) | set(happened["other"])
    late = 0.0 if detection == "swept" else 1 / 60  # overlap is found at the end of the step
    assert at - 1e-9 <= first["t"] <= at + late + 1e-9
