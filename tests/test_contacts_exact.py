"""Contacts beside exact geometry: parabolas, rest, rows, what is lost, and images beyond a seam."""

import itertools

import numpy as np
import pytest

import tinrocket as tr

from .conftest import HALF, MOVE, world

DOWN = {"width": 400.0, "height": 300.0, "edges": "open", "y_axis": "down"}
FLOOR = {"name": "floor", "at": [200, 310], "shape": {"kind": "box", "width": 9000, "height": 20}}
SHAPES = {
    "marble": {"radius": 9.0},
    "crate": {"shape": {"kind": "box", "width": 16, "height": 12}},
    "wedge": {"shape": {"kind": "polygon", "points": [[-8, -6], [9, -4], [2, 10]]}},
    "comb": {"shape": {"kind": "mask", "rows": ["###", "#..", "###"], "scale": 5}},
}
FALL = {"rule": "fall", "accel": 900.0}


def body(name, at, v=(0.0, 0.0), rules=(MOVE,), **rest):
    start = dict(zip(("x", "y", "vx", "vy"), map(float, (*at, *v)), strict=True))
    shape = {} if "shape" in rest or "radius" in rest else {"radius": 8.0}
    return {"name": name, "start": start, "groups": ["all"], "rules": list(rules)} | shape | rest


def bench(*bodies, contact=(), **rest):
    told = [{"between": ["all", "all"]} | dict(each) for each in contact]
    return world(*bodies, **{"contact": told, "arena": DOWN} | rest)


def gaps(flown, names, sizes=16.0):
    """Return the least gap of marbles of radius 8 in all frames."""
    at = {name: np.stack([flown.track(name)["x"], flown.track(name)["y"]]) for name in names}
    pairs = itertools.combinations(names, 2)
    return min((np.hypot(*(at[a] - at[b])) - sizes).min() for a, b in pairs)


@pytest.mark.slow
@pytest.mark.parametrize("wall", ["peg", "corner", "side", "crate"])
def test_parabolas_meet_targets_at_the_brute_force_time(wall, seeds):
    """2,500 marbles thrown at each, flat ones among them, beside a search of 20,001 places."""
    rng, count, rate, g = np.random.default_rng(17), seeds(2500), 2.0, 900.0
    at = np.stack([rng.uniform(-90, 90, count), rng.uniform(-120, -20, count)], axis=1)
    lands, when = rng.uniform(-30, 30, (count, 2)), rng.uniform(0.05, 0.45, count)
    v = (lands - at) / when[:, None] - np.array([0.0, 0.5 * g]) * when[:, None]
    shape = {"kind": "circle", "radius": 12.0}
    if wall == "corner":
        shape = {"kind": "polygon", "points": [[-15, 10], [12, 14], [3, -16]]}
    elif wall == "crate":
        shape = {"kind": "box", "width": 30, "height": 18}
    target = {"name": "target", "at": [0.0, 0.0], "shape": shape}
    if wall == "side":
        target = target | {"at": [0.0, 30.0], "shape": {"kind": "box", "width": 1e5, "height": 60}}
    balls = [
        body(f"b{n}", at[n], v[n], [FALL, HALF], groups=["balls"], radius=6.0) for n in range(count)
    ]
    rest = {"contact": [{"between": ["balls", "target"], "response": "stop"}], "duration": 0.5}
    flown = tr.simulate(world(*balls, arena=DOWN, obstacle=[target], **rest), rate=rate)
    met = flown.events[flown.events["kind"] == "stop"].set_index("craft")["t"]
    t = np.linspace(0.0, 0.5, 20001)
    for n in range(count):
        x = at[n, 0] + v[n, 0] * t
        y = at[n, 1] + (v[n, 1] + 0.5 * g * t) * t
        room = room_of(wall, x, y) - 6.0
        hit = met.get(f"b{n}", np.inf)
        if room[0] < 1e-3 or abs(room.min()) < 1e-3:
            continue  # it begins inside, or hardly touches
        inside = np.flatnonzero(room < 0)
        expected = t[inside[0]] if inside.size else np.inf
        assert hit == pytest.approx(expected, abs=2.6e-5), (n, room.min())


def room_of(wall, x, y):
    """Return how far a place is from the outline of a target, below zero inside."""
    if wall == "peg":
        return np.hypot(x, y) - 12.0
    if wall == "side":
        return -y
    if wall == "crate":
        dx, dy = np.abs(x) - 15.0, np.abs(y) - 9.0
        return np.hypot(np.maximum(dx, 0), np.maximum(dy, 0)) + np.minimum(np.maximum(dx, dy), 0)
    corners = np.array([[-15.0, 10.0], [12.0, 14.0], [3.0, -16.0]])
    far, inside = np.full(x.shape, np.inf), np.ones(x.shape, dtype=bool)
    turn = np.sign(np.linalg.det([corners[1] - corners[0], corners[2] - corners[1]]))
    for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True):
        px, py, (ex, ey) = x - a[0], y - a[1], b - a
        share = np.clip((px * ex + py * ey) / (ex * ex + ey * ey), 0.0, 1.0)
        far = np.minimum(far, np.hypot(px - share * ex, py - share * ey))
        inside &= turn * (ex * py - ey * px) >= 0
    return np.where(inside, -far, far)


@pytest.mark.slow
@pytest.mark.parametrize("floor", ["side", "obstacle"])
@pytest.mark.parametrize("move", [MOVE, HALF])
def test_a_body_at_rest_on_a_bouncing_floor_stays_at_every_rate(floor, move):
    for rate in range(20, 241):
        edges = {"left": "open", "right": "open", "top": "open"}
        edges["bottom"] = {"kind": "bounce", "restitution": 0.6} if floor == "side" else "open"
        rest = {"obstacle": [FLOOR], "contact": [{"between": ["all", "floor"]}]}
        rest["contact"][0]["restitution"] = 0.6
        ball = body("marble", (200, 292), rules=[FALL, move])
        extra = rest if floor == "obstacle" else {}
        flown = tr.simulate(world(ball, arena=DOWN | {"edges": edges}, **extra), rate=rate)
        assert np.ptp(flown.track("marble")["y"]) < 1e-9
        assert len(flown.events) <= 1


@pytest.mark.parametrize("floor", ["side", "obstacle"])
@pytest.mark.parametrize("rate", [7, 30, 144])
def test_an_elastic_ball_keeps_its_height(floor, rate):
    """The height of a hop of T seconds after t, from the rest of t / T alone."""
    edges = {"left": "open", "right": "open", "top": "open"}
    edges["bottom"] = "bounce" if floor == "side" else "open"
    rest = {"obstacle": [FLOOR], "contact": [{"between": ["all", "floor"], "restitution": 1.0}]}
    extra = rest if floor == "obstacle" else {}
    ball = body("marble", (200, 292 - 3.0), rules=[FALL, HALF])
    flown = tr.simulate(world(ball, arena=DOWN | {"edges": edges}, duration=3.0, **extra), rate)
    falls = np.sqrt(2 * 3.0 / 900.0)
    s = (flown.track("marble")["t"] + falls) % (2 * falls) - falls
    assert flown.track("marble")["y"] == pytest.approx(289 + 450.0 * s**2, abs=1e-7)


@pytest.mark.parametrize("floor", ["side", "obstacle"])
@pytest.mark.parametrize("height", [0.5, 2.0, 40.0])
def test_many_elastic_bounces_in_one_place_within_a_step_all_count(floor, height):
    """At 4 fps a ball dropped from 0.5 px bounces four times a step: at (2n + 1) sqrt(2h / g)."""
    ball = body("b", (200.0, 292.0 - height), rules=[FALL, HALF])
    if floor == "side":
        edges = {"top": "open", "left": "open", "right": "open"}
        edges |= {"bottom": {"kind": "bounce", "restitution": 1.0}}
        flown = tr.simulate(bench(ball, arena=DOWN | {"edges": edges}, duration=4.0), 4)
    else:
        contact = [{"between": ["b", "floor"], "response": "bounce", "restitution": 1.0}]
        flown = tr.simulate(bench(ball, contact=contact, obstacle=[FLOOR], duration=4.0), 4)
    bounces = flown.events.query("kind == 'bounce'")["t"].to_numpy()
    fall = np.sqrt(2.0 * height / 900.0)
    due = fall * np.arange(1.0, 4.0 / fall, 2.0)
    assert bounces == pytest.approx(due, abs=1e-6)


def heap(walls, move, seed, e):
    """Return how twelve marbles fly that drop into a box, or between sides, and their names."""
    box = ((200, 310, 600, 20), (90, -300, 20, 1400), (200, -300, 20, 1400))
    names = [f"m{n}" for n in range(12)]
    rng, contact, rest = np.random.default_rng(seed), [{"restitution": e}], {"arena": DOWN}
    left = 100.0 if walls == "boxes" else 0.0
    at = [(left + 10 + rng.uniform(0, 70), 280.0 - 22 * n) for n in range(12)]
    told = {"rules": [FALL, move], "mass": 1.0}
    marbles = [body(name, place, **told) for name, place in zip(names, at, strict=True)]
    if walls == "boxes":
        shapes = [{"kind": "box", "width": w, "height": h} for *_at, w, h in box]
        rest["obstacle"] = [
            {"name": f"w{n}", "groups": ["walls"], "at": box[n][:2], "shape": shapes[n]}
            for n in range(3)
        ]
        contact.append({"between": ["all", "walls"], "restitution": e})
    else:
        side = {"kind": "bounce", "restitution": e}
        edges = {"left": side, "right": side, "top": "open", "bottom": side}
        rest["arena"] = DOWN | {"width": 90.0, "edges": edges}
    return tr.simulate(bench(*marbles, contact=contact, duration=15.0, **rest), rate=60), names


@pytest.mark.slow
@pytest.mark.parametrize("move", [MOVE, HALF])
@pytest.mark.parametrize("walls", ["sides", "boxes"])
def test_heaps_stay_out_of_each_other_and_come_to_rest(walls, move):
    for seed, e in itertools.product(range(6), (0.0, 0.3, 0.5)):
        flown, names = heap(walls, move, seed, e)
        tracks = [flown.track(name) for name in names]
        assert gaps(flown, names) > -1e-5
        assert max(track["y"].max() for track in tracks) < 292 + 1e-5
        assert max(np.ptp(track[axis][-30:]) for track in tracks for axis in "xy") < 1e-6
        assert max(track["speed"][-30:].max() for track in tracks) < 1e-9


@pytest.mark.parametrize("rate", [24, 30, 60, 144])
@pytest.mark.parametrize("speed", [150.0, 333.0])
@pytest.mark.parametrize("shape", ["marble", "crate"])
def test_a_body_that_slides_off_a_desk_falls_from_the_edge(shape, speed, rate):
    """A crate is on it with half its width; both fall free from then on, v^2 / r being above g."""
    desk = {"name": "desk", "at": [100, 210], "shape": {"kind": "box", "width": 160, "height": 20}}
    half, high = (0.0, 9.0) if shape == "marble" else (8.0, 6.0)
    toy_body = body("toy", (100, 200 - high), (speed, 0), [FALL, HALF], **SHAPES[shape])
    contact = [{"between": ["all", "desk"], "restitution": 0.0}]
    flown = tr.simulate(
        world(toy_body, arena=DOWN, obstacle=[desk], contact=contact, duration=1.2), rate
    ).track("toy")
    falls = np.maximum(flown["t"] - (80.0 + half) / speed, 0.0)
    assert flown["y"] == pytest.approx(200 - high + 450.0 * falls**2, abs=0.01)


@pytest.mark.parametrize("rate", [24, 59, 144])
def test_per_frame_games_have_the_same_contacts_in_each_frame(rate):
    """Marbles fall into a tray, lie on each other, and a ruler pushes them against a rim."""
    flights = []
    for fps in (60, rate):
        data = tr.read_demo("tray").model_dump(mode="json", exclude_unset=True)
        push = {"holds": {"push": [[180 / fps, 400 / fps]]}}
        data |= {"timing": "frame", "duration": 400 / fps, "tape": push}
        flights.append(tr.simulate(tr.Scenario.from_data(data), fps))
    columns = ["x", "y", "vx", "vy"]
    first, second = (flown.frames.set_index("craft", append=True)[columns] for flown in flights)
    assert first.equals(second)
    kinds = [flown.events["kind"].tolist() for flown in flights]
    assert kinds[0] == kinds[1]
    assert {"bounce", "squeeze"} <= set(kinds[0])


@pytest.mark.parametrize("response", ["block", "bounce"])
@pytest.mark.parametrize("rate", [30, 60, 144])
def test_a_bat_pushes_a_row_and_squeezes_none_of_it(response, rate):
    for count, gap, drag in itertools.product((3, 5), (0.0, 0.3, 3.0), (1.0, 0.98)):
        rules = [{"rule": "drag", "keep": drag}, MOVE]
        square = {"kind": "box", "width": 20, "height": 20}
        row = [
            body(f"c{n}", (200 + (20 + gap) * n, 100), rules=rules, shape=square)
            for n in range(count)
        ]
        ram = body("ram", (150, 100), (200, 0), shape=square, groups=["rams"])
        contact = [{"between": ["all", other], "response": response} for other in ("all", "ram")]
        if response == "bounce":
            contact = [each | {"restitution": 0.5} for each in contact]
        flown = tr.simulate(
            world(*row, ram, arena=DOWN | {"width": 2000}, contact=contact, duration=1.0), rate
        )
        x = np.stack([flown.track(name)["x"] for name in ("ram", *(cell["name"] for cell in row))])
        assert np.diff(x, axis=0).min() > 20 - 1e-6
        assert "squeeze" not in set(flown.events["kind"])


@pytest.mark.parametrize("rate", [10, 20, 60, 1000])
def test_a_shot_through_the_teeth_of_a_comb_is_counted_at_each(rate):
    shot = body("shot", (20, 100), (900, 0), radius=2.0)
    comb = {"name": "comb", "at": [100, 100]}
    comb["shape"] = {"kind": "mask", "rows": ["#..#..#"], "scale": 6}
    contact = [{"between": ["all", "comb"], "response": "count"}]
    rest = {"arena": DOWN, "obstacle": [comb], "contact": contact, "duration": 0.5}
    met = tr.simulate(world(shot, **rest), rate).events.query("kind == 'pass'")
    teeth = 100 - 21 + 18 * np.arange(3)
    assert met["t"].to_numpy() == pytest.approx((teeth - 2 - 20) / 900, abs=1e-9)


@pytest.mark.slow
@pytest.mark.parametrize("response", ["bounce", "block", "count"])
@pytest.mark.parametrize("falls", [False, True])
def test_beyond_a_seam_bodies_meet_as_on_an_open_bench(response, falls, seeds):
    """Two that meet near a seam or a corner, beside a twin for which the arena has no end."""
    rng, size, met = np.random.default_rng(3), np.array([400.0, 300.0]), 0
    for _ in range(seeds(340)):
        at = np.where(rng.random(2) < 0.7, rng.uniform(-25, 25, 2), rng.uniform(0, size)) % size
        turn, both = rng.uniform(0, 2 * np.pi), rng.uniform(-200, 200, 2)
        apart = rng.uniform(22, 60) * np.array([np.cos(turn), np.sin(turn)])
        closing = -apart / np.hypot(*apart) * rng.uniform(50, 300) + rng.normal(0, 20, 2)
        rules = [FALL | {"accel": rng.uniform(100, 600)}, HALF] if falls else [MOVE]
        kinds = rng.choice(list(SHAPES), 2)
        mass = [{}, {"mass": 3.0}][rng.integers(2)]
        rate = float(rng.choice([10, 24, 60]))
        flown = []
        for edges, places in (("wrap", (at, (at + apart) % size)), ("open", (at, at + apart))):
            two = [
                body(name, place, v, rules, **SHAPES[kind], **mass)
                for name, place, v, kind in zip(
                    "ab", places, (both - closing / 2, both + closing / 2), kinds, strict=True
                )
            ]
            contact = [{"response": response}]
            if response == "bounce":
                contact[0]["restitution"] = 0.7
            scene = bench(*two, contact=contact, arena=DOWN | {"edges": edges}, duration=0.6)
            flown.append(tr.simulate(scene, rate))
        for name in "ab":
            here, there = (
                np.stack([flight.track(name)[column] for column in ("x", "y", "vx", "vy")])
                for flight in flown
            )
            away = here - there
            away[:2] -= size[:, None] * np.round(away[:2] / size[:, None])
            assert np.abs(away).max() < 1e-6
        seen = [
            flight.events[~flight.events["kind"].isin(["wrap", "separation"])]["t"].to_numpy()
            for flight in flown
        ]
        assert seen[0] == pytest.approx(seen[1], abs=1e-9)
        met += seen[1].size > 0
    assert met > 0.88 * seeds(340)


@pytest.mark.parametrize("heading", [0.0, 180.0, 57.0])
def test_a_ray_continues_across_a_seam(heading):
    """Out at one side and in at the other, over more than one arena; a tin lies half outside."""
    cos, sin = np.cos(np.radians(heading)), np.sin(np.radians(heading))
    arena = {"width": 400.0, "height": 300.0, "edges": "wrap", "y_axis": "up"}
    arena |= {"angles": {"zero": "right", "positive": "counterclockwise"}}
    places = [(n * 400.0 - 4.0, m * 300.0 + 104.0) for n in range(-3, 4) for m in range(-3, 4)]
    ahead = [((x - 200) * cos + (y - 100) * sin, x, y) for x, y in places]
    hits = [
        along - np.sqrt(25.0**2 - off**2)
        for along, x, y in ahead
        if along > 0 and abs(off := (x - 200) * sin - (y - 100) * cos) < 25
    ]
    for sight in (min(hits) - 0.01, min(hits) + 0.01):
        fire = {"rule": "fire", "action": "go", "range": float(sight), "cooldown": 0.2}
        gun = body("gun", (200, 100), rules=[fire, MOVE], groups=["guns"])
        gun["start"]["heading"] = heading
        tin = {"name": "tin", "at": [-4.0, 104.0], "shape": {"kind": "circle", "radius": 25}}
        contact = [{"between": ["gun", "tin"], "response": "count", "detection": "sight"}]
        rest = {"arena": arena, "obstacle": [tin], "contact": contact}
        flown = tr.simulate(world(gun, tape={"holds": {"go": [[0.5, 0.6]]}}, **rest), 50)
        assert len(flown.events.query("kind == 'pass'")) == (sight > min(hits))
