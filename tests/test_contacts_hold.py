"""What comes after the first touch: pushing, squeezing, sliding, resting, many at once."""

import math

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import tinrocket as tr

from .conftest import MOVE, world

UP = {"width": 2000, "height": 2000, "edges": "open", "y_axis": "up"}
HALF = {"rule": "move", "method": "half"}
BALL = {"kind": "circle", "radius": 6.0}


def box(width, height):
    return {"kind": "box", "width": width, "height": height}


def toy(name, x, y, vx=0.0, vy=0.0, shape=BALL, rules=(MOVE,), **rest):
    start = {"x": x, "y": y, "vx": vx, "vy": vy}
    return {"name": name, "start": start, "shape": shape, "rules": list(rules)} | rest


def fall(accel=900.0):
    return {"rule": "fall", "accel": accel}


def bench(*crafts, **rest):
    return world(*crafts, **({"arena": UP, "timing": "exact"} | rest))


def kinds(flown):
    return flown.events["kind"].value_counts().to_dict()


def states(flown, names):
    each = [flown.of(name)[["x", "y", "vx", "vy"]].to_numpy() for name in names]
    return np.stack(each)


SHAPES = {
    "crate": box(20, 20),
    "ball": {"kind": "circle", "radius": 10.0},
    "diamond": {"kind": "diamond", "width": 20, "height": 20},
}


@pytest.mark.parametrize("rate", [30, 60, 144])
@pytest.mark.parametrize("shape", SHAPES)
@pytest.mark.parametrize("response", ["block", "bounce"])
def test_a_slide_along_flush_boxes_loses_nothing(shape, response, rate):
    """90 px/s for 3 s over planks whose joints are no round numbers, pressed on by gravity."""
    planks = {"name": "plank", "at": [90, 100], "shape": box(30.1, 20), "columns": 12}
    planks |= {"step": [30.1, 0]}
    slider = toy("slider", 100, 120, vx=90, shape=SHAPES[shape], rules=[fall(), MOVE])
    contact = [{"between": ["slider", "plank"], "response": response, "restitution": 0.4}]
    last = tr.simulate(bench(slider, obstacle=[planks], contact=contact, duration=3), rate=rate)
    end = last.frames.iloc[-1]
    assert (end["x"], end["vx"]) == pytest.approx((370, 90), rel=1e-9)
    assert end["y"] == pytest.approx(120, abs=1e-6)
    parted = kinds(last).pop("separation", 0)
    assert kinds(last)[response] - parted in (1, 2)  # what began lasts, or is over


@pytest.mark.parametrize("rate", [30, 60, 144])
@pytest.mark.parametrize("slope", [10.0, 23.7, 45.0])
@pytest.mark.parametrize("move", [MOVE, HALF])
def test_down_a_ramp_a_crate_slides_by_its_own_arithmetic(slope, rate, move):
    """Along the ramp it is a plain loop with g sin a."""
    a, long, h = math.radians(slope), 400, 10
    cos_a, sin_a = math.cos(a), math.sin(a)
    ramp = [[0, 0], [long * cos_a, -long * sin_a], [0, -long * sin_a]]
    turned = [
        [x * cos_a + y * sin_a, y * cos_a - x * sin_a]
        for x, y in ((-h, -h), (h, -h), (h, h), (-h, h))
    ]
    x, y = 100 + 40 * cos_a + h * sin_a, 100 - 40 * sin_a + h * cos_a
    crate = toy("crate", x, y, shape={"kind": "polygon", "points": turned}, rules=[fall(), move])
    below = [{"name": "ramp", "at": [100, 100], "shape": {"kind": "polygon", "points": ramp}}]
    contact = [{"between": ["crate", "ramp"], "response": "block"}]
    flown = tr.simulate(bench(crate, obstacle=below, contact=contact, duration=0.8), rate=rate)
    way, speed = 0.0, 0.0
    for _ in range(len(flown.frames) - 1):
        before = speed
        speed += 900 * sin_a / rate
        way += (speed if move is MOVE else (before + speed) / 2) / rate
    end = flown.frames.iloc[-1]
    assert math.dist((x, y), (end["x"], end["y"])) == pytest.approx(way, rel=1e-9)
    assert kinds(flown) == {"block": 1}


@pytest.mark.parametrize("rate", [10, 30, 144])
@pytest.mark.parametrize("speed", [50.0, 1000.0, 2003.7, 20000.0])
@pytest.mark.parametrize("drag", [0.0, 2.0])
def test_a_bat_pushes_a_marble_along(speed, rate, drag):
    rules = [{"rule": "drag", "rate": drag}, MOVE] if drag else [MOVE]
    bat = toy("bat", 100, 100, vx=speed, shape=box(20, 80))
    pushed = bench(toy("marble", 140, 110, rules=rules), bat)
    contact = [tr.Contact(between=("marble", "bat"))]
    flown = tr.simulate(pushed.replaced(contact=tuple(contact)), rate=rate)
    ahead = flown.of("marble")["x"].to_numpy() - flown.of("bat")["x"].to_numpy() - 16
    assert ahead[-1] == pytest.approx(0, abs=1e-8)
    assert ahead.min() > -1e-6
    assert kinds(flown) == {"bounce": 1}


@pytest.mark.parametrize("rate", [10, 60])
@pytest.mark.parametrize("squeeze", ["overlap", "hold"])
@pytest.mark.parametrize("wall", ["obstacle", "side"])
def test_between_a_bat_and_a_wall_a_marble_is_squeezed(wall, squeeze, rate):
    """The wall at 300 holds; the bat passes over it, or stops before it."""
    bat = toy("bat", 100, 100, vx=300, shape=box(20, 80))
    marble = toy("marble", 140, 110, vx=50)
    contact, rest = [{"between": ["marble", "bat"], "squeeze": squeeze}], {}
    if wall == "side":
        marble |= {"edges": dict.fromkeys(("left", "top", "bottom"), "open")}
        marble["edges"]["right"] = "bounce"
        rest["arena"] = UP | {"width": 300}
    else:
        contact.append({"between": ["marble", "wall"]})
        rest["obstacle"] = [{"name": "wall", "at": [310, 100], "shape": box(20, 200)}]
    flown = tr.simulate(bench(marble, bat, contact=contact, duration=1.5, **rest), rate=rate)
    met = kinds(flown)
    assert flown.of("marble")["x"].max() <= 294 + 1e-6
    assert flown.of("marble")["x"].iloc[-1] == pytest.approx(294, abs=1e-6)
    expected = 278 if squeeze == "hold" else 550
    assert flown.of("bat")["x"].iloc[-1] == pytest.approx(expected, abs=1e-6)
    assert met["squeeze"] == 1
    assert met.get("separation", 0) == (squeeze == "overlap")
    assert met["bounce"] < 10


CORNERS = st.sampled_from(["circle", "box", "diamond", "polygon"])


def shape_of(kind, r):
    return {
        "circle": {"kind": "circle", "radius": r},
        "box": box(2 * r, 1.6 * r),
        "diamond": {"kind": "diamond", "width": 2 * r, "height": 1.7 * r},
        "polygon": {"kind": "polygon", "points": [[-r, -0.6 * r], [r, -0.7 * r], [0.3 * r, r]]},
    }[kind]


@settings(max_examples=25)
@given(
    rate=st.sampled_from([10.0, 30.0, 240.0]),
    pen=st.sampled_from(["none", "obstacles", "sides"]),
    top=st.sampled_from([400.0, 1e5]),
    bodies=st.lists(
        st.tuples(CORNERS, st.floats(6, 20), st.floats(0.3, 5), st.floats(0, 1), st.floats(0, 7)),
        min_size=2,
        max_size=12,
    ),
)
def test_momentum_and_energy_are_conserved_in_a_pen(rate, pen, top, bodies):
    crafts = []
    for n, (kind, size, mass, share, angle) in enumerate(bodies):
        speed = top * (0.1 + 0.9 * share) if pen != "none" else 400 * share
        at = 100.0 + 60 * (n % 4), 100.0 + 60 * (n // 4)
        flies = speed * math.cos(angle), speed * math.sin(angle)
        shape = shape_of(kind, size)
        crafts.append(toy(f"b{n}", *at, *flies, shape=shape, mass=mass, groups=["all"]))
    contact, rest = [{"between": ["all", "all"]}], {}
    if pen == "obstacles":
        slabs = ((200, 20, 600, 40), (200, 380, 600, 40), (20, 200, 40, 600), (380, 200, 40, 600))
        rest["obstacle"] = [
            {"name": f"w{n}", "groups": ["walls"], "at": [x, y], "shape": box(w, h)}
            for n, (x, y, w, h) in enumerate(slabs)
        ]
        contact.append({"between": ["all", "walls"]})
    elif pen == "sides":
        rest["arena"] = UP | {"width": 380, "height": 380, "edges": "bounce"}
    flown = tr.simulate(bench(*crafts, contact=contact, duration=0.5, **rest), rate=rate)
    state = states(flown, [f"b{n}" for n in range(len(bodies))])
    mass = np.array([body[2] for body in bodies])[:, None, None]
    energy = (mass * state[:, :, 2:] ** 2).sum((0, 2))
    np.testing.assert_allclose(energy, energy[0], rtol=1e-9)
    if pen == "none":
        momentum = (mass * state[:, :, 2:]).sum(0)
        scale = np.abs(mass * state[:, :, 2:]).sum() / state.shape[1] + 1e-9
        assert np.abs(momentum - momentum[0]).max() <= 1e-9 * scale
    else:
        low, high = (40, 360) if pen == "obstacles" else (0, 380)
        assert state[:, :, :2].min() > low
        assert state[:, :, :2].max() < high


def test_two_of_unequal_mass_part_as_physics_says():
    """v1' = ((m1 - e m2) v1 + (1 + e) m2 v2) / (m1 + m2); an immovable body stays."""
    contact = [{"between": ["a", "b"], "restitution": 0.5}, {"between": ["b", "a"]}]
    for weight, after in ((3.0, (-12.5, 37.5)), ("immovable", (-50.0, 0.0))):
        pair = bench(toy("a", 100, 100, vx=100), toy("b", 150, 100, mass=weight), contact=contact)
        state = states(tr.simulate(pair, rate=60), ["a", "b"])
        assert state[:, -1, 2] == pytest.approx(after)
    cradle = [toy(f"c{n}", 100 + 12 * n, 100, groups=["row"]) for n in range(5)]
    cradle[0]["start"] |= {"x": 50, "vx": 90}
    swing = bench(*cradle, contact=[{"between": ["row", "row"]}])
    speeds = states(tr.simulate(swing, rate=60), [f"c{n}" for n in range(5)])[:, -1, 2]
    assert speeds == pytest.approx([0, 0, 0, 0, 90], abs=1e-9)


@pytest.mark.parametrize("rate", [30, 60, 144])
@pytest.mark.parametrize("floor", ["side", "obstacle"])
@pytest.mark.parametrize("way", ["half", "closed form", "euler"])
def test_a_ball_dropped_comes_back_to_its_height(way, floor, rate):
    """From 100 px, restitution 1, for a minute; adding speeds up it may miss by v dt."""
    rules = [fall(), HALF if way == "half" else MOVE]
    ball = toy("ball", 100, 106, rules=rules)
    if way == "closed form":
        ball["stepping"] = "closed_form"
    rest = {}
    if floor == "side":
        ball["edges"] = {"left": "open", "right": "open", "top": "open", "bottom": "bounce"}
    else:
        rest["obstacle"] = [{"name": "floor", "at": [100, -10], "shape": box(400, 20)}]
        rest["contact"] = [{"between": ["ball", "floor"]}]
    frames = tr.simulate(bench(ball, duration=60, **rest), rate=rate).frames
    y, vy = frames["y"].to_numpy() - 6, frames["vy"].to_numpy()
    energy = y + vy**2 / 1800
    assert y.min() >= -1e-6
    if way == "euler":
        assert y.max() <= 100 + math.sqrt(2 * 900 * 100) / rate
    else:
        np.testing.assert_allclose(energy, 100, rtol=1e-9)


@pytest.mark.parametrize("lid", ["side", "obstacle", "crate"])
@pytest.mark.parametrize("depth", [1e-4, 0.02, 0.2])
@pytest.mark.parametrize("rate", [20, 29.97])
@pytest.mark.parametrize("way", ["half", "closed form"])
def test_a_ball_meets_a_lid_at_the_top_of_its_parabola(way, rate, depth, lid):
    """Within a step it is at the lid and back: on the parabola, not at the ends of the step."""
    for speed in np.arange(200.0, 300.0, 9.7):
        height = 50 + speed**2 / 1800 - depth + 6
        rules = [fall(), HALF if way == "half" else MOVE]
        ball = toy("ball", 100, 50, vx=30, vy=float(speed), rules=rules)
        if way == "closed form":
            ball["stepping"] = "closed_form"
        rest = {"contact": [{"between": ["ball", "lid"], "restitution": 0.5}]}
        if lid == "side":
            ball["edges"] = {"left": "open", "right": "open", "top": "bounce", "bottom": "open"}
            rest = {"arena": UP | {"height": height}}
        elif lid == "obstacle":
            rest["obstacle"] = [{"name": "lid", "at": [200, height + 10], "shape": box(600, 20)}]
        crates = [toy("lid", 200, height + 10, shape=box(600, 20), rules=[MOVE])]
        craft = [ball, *(crates if lid == "crate" else [])]
        flown = tr.simulate(bench(*craft, duration=speed / 900 + 0.1, **rest), rate=rate)
        assert flown.events["kind"].tolist()[:1] == ["bounce"]
        due = (speed - math.sqrt(1800 * depth)) / 900
        assert flown.events["t"].iloc[0] == pytest.approx(due, abs=1e-6)


@pytest.mark.parametrize("rate", [30, 60, 144])
@pytest.mark.parametrize("move", [MOVE, HALF])
def test_a_ball_comes_to_rest_and_a_stack_stays(move, rate):
    """Bounces die out; then nothing happens any more, and crates lie flush on each other."""
    crates = [toy(f"c{n}", 60 + n, 52 + 22 * n, shape=box(20, 20)) for n in range(5)]
    crates.append(toy("ball", 150, 160))
    for crate in crates:
        crate |= {"rules": [fall(), move], "groups": ["all"]}
    floor = {"name": "floor", "at": [100, 20], "shape": box(600, 40)}
    contact = [{"between": ["all", name], "restitution": 0.3} for name in ("all", "floor")]
    flown = tr.simulate(bench(*crates, obstacle=[floor], contact=contact, duration=6), rate=rate)
    state = states(flown, [placed["name"] for placed in crates])
    assert np.abs(state[:, -rate:, 2:]).max() < 1e-6
    heights = [50.0, 70.0, 90.0, 110.0, 130.0, 46.0]
    assert state[:, -1, 1].tolist() == pytest.approx(heights, abs=1e-5)
    assert flown.events["t"].max() < 5
    assert kinds(flown).keys() <= {"bounce", "separation"}


@pytest.mark.parametrize("rate", [4, 30])
def test_bodies_and_sides_act_in_one_order_of_time(rate):
    """A shot that a side would take hits the tin before it; one that wraps meets a wall first."""
    sides = {"left": "remove", "right": "remove", "top": "open", "bottom": "open"}
    shot = toy("shot", 100, 50, vx=4000, shape={"kind": "circle", "radius": 2.0}, edges=sides)
    tin = {"name": "tin", "at": [290, 50], "shape": box(8, 30)}
    hit = [{"between": ["shot", "tin"], "response": "remove"}]
    gone = tr.simulate(
        bench(shot, obstacle=[tin], contact=hit, arena=UP | {"width": 300}), rate=rate
    )
    assert kinds(gone) == {"hit": 1}
    assert gone.events["t"].iloc[0] == pytest.approx((290 - 4 - 2 - 100) / 4000)
    arena = UP | {"width": 300}
    around = toy("ball", 100, 50, vx=1000, edges="wrap")
    wall = {"name": "wall", "at": [250, 50], "shape": box(4, 100)}
    back = [{"between": ["ball", "wall"]}]
    flown = tr.simulate(
        bench(around, obstacle=[wall], contact=back, arena=arena, duration=0.5), rate=rate
    )
    # onto the wall at 242, back and around by the left side, onto its back at 258, around again
    assert flown.events["kind"].tolist() == ["bounce", "wrap", "bounce", "wrap"]
    assert flown.events["t"].tolist() == pytest.approx([0.142, 0.384, 0.426, 0.468])
    last = flown.frames.iloc[-1]
    assert last["x"] == pytest.approx(1000 * (last["t"] - 0.468), abs=1e-6)


@pytest.mark.parametrize("restitution", [1.0, 0.7])
def test_a_snapping_bounce_is_the_plain_loop(restitution):
    """As a plain loop does it: y = floor and vy = -e vy, to the last bit."""
    onto = {"kind": "bounce", "restitution": restitution, "snap": True}
    bean = toy("bean", 100, 20.0, vx=1.3, rules=[fall(0.31), MOVE])
    bean["edges"] = {"left": "open", "right": "open", "top": "open", "bottom": onto}
    game = {"units": "per_frame", "timing": "frame", "arena": UP, "duration": 3.0}
    flown = tr.simulate(world(bean, **game), rate=60)
    y, vy, expected = 20.0, 0.0, [20.0]
    for _ in range(180):
        vy -= 0.31
        y += vy
        if y < 6.0:
            y, vy = 6.0, -restitution * vy
        expected.append(y)
    assert flown.frames["y"].tolist() == expected


def test_pieces_fan_out_evenly_or_at_random_at_their_own_speed():
    bits = {"name": "bits", "pool": 6, "rules": [MOVE]}
    pin = [{"name": "pin", "at": [200, 100], "shape": box(10, 50)}]
    hit = {
        "between": ["pot", "pin"],
        "response": "split",
        "into": "bits",
        "pieces": 6,
        "spread": 360,
    }
    for more, turns in (({}, 60.0), ({"directions": "random", "seed": 3}, None)):
        contact = [hit | {"piece_speed": 80} | more]
        flown = tr.simulate(
            bench(toy("pot", 100, 100, vx=500), bits, obstacle=pin, contact=contact)
        )
        last = states(flown, [f"bits {n}" for n in range(1, 7)])[:, -1]
        assert np.hypot(last[:, 2], last[:, 3]) == pytest.approx(80)
        ways = np.sort(np.degrees(np.arctan2(last[:, 3], last[:, 2])) % 360)
        if turns:
            np.testing.assert_allclose(np.diff(ways), turns)
        else:
            assert len(set(ways.round(6))) == 6
            assert not np.allclose(np.diff(ways), 60)
    varied = [hit | {"piece_speed": 80, "piece_speed_deviation": 0.25, "seed": 3}]
    flown = tr.simulate(bench(toy("pot", 100, 100, vx=500), bits, obstacle=pin, contact=varied))
    last = states(flown, [f"bits {n}" for n in range(1, 7)])[:, -1]
    speeds = np.hypot(last[:, 2], last[:, 3])
    assert len(set(speeds.round(9))) == 6
    assert ((speeds >= 60) & (speeds <= 100)).all()
    ways = np.sort(np.degrees(np.arctan2(last[:, 3], last[:, 2])) % 360)
    np.testing.assert_allclose(np.diff(ways), 60)


@pytest.mark.parametrize("units", ["per_second", "per_frame"])
def test_a_hit_adds_along_an_axis_and_only_a_hard_one_has_effects(units):
    scale = 1 / 60 if units == "per_frame" else 1.0
    speeds = {"vx": -200 * scale}

    def after(contact, bat=0.0):
        ball = toy("ball", 160, 110, **speeds)
        other = toy("bat", 100, 100, vx=bat * scale, shape=box(20, 80))
        data = {"between": ["ball", "bat"]} | contact
        end = tr.simulate(bench(ball, other, contact=[data], units=units, duration=1), rate=60)
        return end.of("ball").iloc[-1][["vx", "vy"]].tolist()

    assert after({"adds_x": 30 * scale, "adds_y": -7 * scale}) == pytest.approx([230, -7])
    picks = {after({"adds_y": [-40 * scale, 40 * scale], "seed": n})[1] for n in range(8)}
    assert sorted(picks) == pytest.approx([-40, 40])
    for bat, faster in ((20.0, 200.0), (60.0, 300.0)):
        hard = {"speed_factor": 1.5, "effects_above": 50 * scale}
        assert after(hard, bat)[0] == pytest.approx(faster)
        soft = {"speed_factor": 1.5, "effects_below": 50 * scale}
        assert after(soft, bat)[0] == pytest.approx(500 - faster)


@pytest.mark.parametrize("detection", ["overlap", "swept"])
def test_a_piercing_shot_takes_all_and_contacts_end_rounds(detection):
    tins = [toy(f"tin {n}", 200 + 3 * n, 100, shape=box(6, 20), groups=["tins"]) for n in range(3)]
    for pierces, left in ((False, 2), (True, 0)):
        hit = {
            "between": ["shot", "tins"],
            "response": "remove",
            "removes": "both",
            "detection": detection,
        }
        game = bench(toy("shot", 20, 100, vx=1800), *tins, contact=[hit | {"pierces": pierces}])
        flown = tr.simulate(game, rate=10)
        alive = [flown.of(f"tin {n}")["alive"].iloc[-1] for n in range(3)]
        assert sum(alive) == left
        assert flown.of("shot")["alive"].iloc[-1] == 0
    wall = [{"name": "wall", "at": [200, 100], "shape": box(10, 90)}]
    for ends, told in (("life", ["life_lost"] * 2 + ["over"]), ("round", []), ("game", ["over"])):
        meets = [{"between": ["toy", "wall"], "detection": detection, "ends": ends}]
        rounds = {"lives": 2, "lives_of": "toy", "resets": []}
        back = toy("toy", 100, 100, vx=300, edges="bounce")
        game = bench(back, obstacle=wall, contact=meets, rounds=rounds, duration=5)
        events = tr.simulate(game, rate=60).events
        kind, hits = events["kind"], (events["other"] == "wall").sum()
        assert kind[kind.isin(["life_lost", "over"])].tolist() == told
        assert (kind == "round").sum() == {"life": 1, "round": hits, "game": 0}[ends]
        assert hits > 3 if ends == "round" else hits == len(told) - (ends == "life")


@pytest.mark.parametrize("move", [MOVE, HALF])
@pytest.mark.parametrize("rows", [2, 3])
def test_a_heap_of_marbles_comes_to_rest_where_geometry_says(rows, move):
    """Three of radius 8 on the floor of a tray 50 px wide, the others in the gaps above them."""
    r, wide, heap = 8.0, 50.0, []
    for row in range(rows):
        for n in range(3 - row):
            x, y = 48.4 + 16.8 * n + 8.2 * row, 49 + 17 * row
            marble = toy(f"m{row}{n}", x, y, shape={"kind": "circle", "radius": r})
            heap.append(marble | {"rules": [fall(), move], "groups": ["all"]})
    slabs = (
        ("floor", 150, 20, 600, 40),
        ("near", 20, 300, 40, 800),
        ("far", 60 + wide, 300, 40, 800),
    )
    tray = [
        {"name": name, "groups": ["tray"], "at": [x, y], "shape": box(w, h)}
        for name, x, y, w, h in slabs
    ]
    contact = [{"between": ["all", name], "restitution": 0.5} for name in ("all", "tray")]
    flown = tr.simulate(bench(*heap, obstacle=tray, contact=contact, duration=5), rate=60)
    state = states(flown, [coin["name"] for coin in heap])
    assert np.abs(state[:, -60:, 2:]).max() < 1e-6
    assert flown.events["t"].max() < 4
    places = state[:, -1, :2]
    apart = np.linalg.norm(places[:, None] - places[None], axis=2) + 1e3 * np.eye(len(heap))
    assert apart.min() > 2 * r - 1e-6
    assert places[:3, 1] == pytest.approx(48, abs=1e-6)  # the lowest are on the floor
    for count in range(3, len(heap)):  # every other one lies on two below it
        below = (places[:, 1] < places[count, 1] - 1) & (apart[count] < 2 * r + 1e-3)
        assert below.sum() == 2


@pytest.mark.parametrize("rate", [30, 50, 144, 240])
def test_a_row_that_a_ruler_presses_against_a_rim_holds_it_up(rate):
    """Six balls 22 px wide before the rim at 608: none jumps out, and the ruler is held at 469."""
    game, tuned = tr.read_demo("tray"), tr.simulate(tr.read_demo("tray"), rate=60)
    flown = tr.simulate(game, rate=rate)
    assert kinds(flown)["squeeze"] == 1
    names = list(flown.craft)
    for moment in (3.0, 5.0, 7.0):
        for name in names:
            here, there = flown.at(moment, name), tuned.at(moment, name)
            assert math.dist((here["x"], here["y"]), (there["x"], there["y"])) < 2
    assert flown.of("ruler")["x"].iloc[-1] == pytest.approx(608 - 6 * 22 - 7, abs=1e-4)


@pytest.mark.parametrize("rate", [30, 60, 144])
@pytest.mark.parametrize("move", [MOVE, HALF])
def test_bodies_come_to_rest_on_a_stopped_body(move, rate):
    """A marble sticks to a post in mid-air, under its own weight; crates fall onto it and stay."""
    post = [{"name": "post", "at": [150, 100], "shape": box(20, 60)}]
    stuck = toy("marble", 100, 100, vx=300, rules=(fall(), move), groups=["sticky"])
    crate = toy("crate", 134, 180, shape=box(12, 12), rules=(fall(), move), groups=["loose"])
    contact = [
        {"between": ["sticky", "post"], "response": "stop"},
        {"between": ["loose", "sticky"], "restitution": 0.0},
    ]
    flown = tr.simulate(bench(stuck, crate, obstacle=post, contact=contact), rate=rate)
    x, y, vx, vy = (flown.track("marble")[name][-1] for name in ("x", "y", "vx", "vy"))
    met = flown.events[flown.events["kind"] == "stop"].iloc[0]
    assert (x, y, vx, vy) == (met["x"], met["y"], 0.0, 0.0)  # and so it stays
    radius = BALL["radius"]
    assert x == pytest.approx(140.0 - radius, abs=1e-9)
    above = flown.track("crate")
    assert above["y"][-1] == pytest.approx(y + radius + 6.0, abs=1e-6)
    assert abs(above["vy"][-1]) < 1e-9


def test_a_blow_up_in_a_contact_names_the_contact():
    """A marble between two pegs that make it a thousand million times faster at each hit."""
    pegs = [{"name": "pegs", "at": [90, 50], "columns": 2, "step": [-80, 0], "shape": box(10, 40)}]
    contact = [{"between": ["marble", "pegs"], "speed_factor": 1e9}]
    marble = toy("marble", 50, 50, vx=100, shape={"kind": "circle", "radius": 4})
    game = bench(marble, obstacle=pegs, contact=contact, timing="frame")
    with pytest.raises(tr.FlightError, match="'marble' left the range.* as it met") as told:
        tr.simulate(game)
    assert told.value.rule == ""


@pytest.mark.parametrize("slower", [0.001, 0.004])
def test_close_flying_bodies_do_not_freeze_at_the_top(slower):
    """There they are slower than any push makes them, and yet nothing holds them up."""
    push = 900.0 / 60.0
    up = (20.0 + slower) * push
    coins = [
        toy(
            f"coin {n}", 100 + 8.6 * n, 100 + 8.6 * n, vy=up, rules=(fall(), MOVE), groups=["coins"]
        )
        for n in range(2)
    ]
    contact = [{"between": ["coins", "coins"], "restitution": 0.5}]
    flown = tr.simulate(bench(*coins, contact=contact), rate=60)
    y, vy = 108.6, up
    for seen in flown.track("coin 1")["y"]:
        assert seen == pytest.approx(y, abs=1e-9)
        vy -= push
        y += vy / 60.0


@pytest.mark.parametrize("rate", [30, 50, 60, 144])
@pytest.mark.parametrize("edge", ["bounce", "clamp", "remove", {"kind": "bounce", "snap": True}])
@pytest.mark.parametrize("speed", [60.0, 120.0, 97.3])
def test_an_edge_reached_at_a_steps_end_is_met_once(edge, speed, rate):
    """A coin has the same events with edges beside a contact as without one: 46 and 392 px off."""
    coin = toy("coin", 100, 350, vy=speed, shape={"kind": "circle", "radius": 4})
    arena = {"width": 640, "height": 400, "edges": edge}
    game = bench(coin, toy("other", 300, 350), arena=arena, duration=9.0)
    beside = game.replaced(contact=(tr.Contact(between=("coin", "other")),))
    flights = [tr.simulate(each, rate=rate) for each in (game, beside)]
    moments = [flown.events[flown.events["craft"] == "coin"]["t"].tolist() for flown in flights]
    if edge == "bounce":
        due = np.arange(46.0, 9.0 * speed, 392.0) / speed
        assert moments[1] == pytest.approx(due[due < 9.0 - 1e-9].tolist(), abs=1e-9)
    assert moments[1] == pytest.approx(moments[0], abs=1e-9)
    places = [flown.track("coin")["y"] for flown in flights]
    np.testing.assert_allclose(*places, atol=1e-9)
