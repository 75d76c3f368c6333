"""Why runs differ: one fault is found, two share, and the line to write does what it says."""

import itertools
import json
import math
import random
import re
import tomllib
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

import tinrocket as tr
from tests.conftest import Cli, scenario, world
from tinrocket.demos import demo_names, demo_text
from tinrocket.why.parting import first_parting
from tinrocket.why.shares import USUAL, shares

RATES = (30, 60, 144, 240)
PUSHED = {"holds": {"thrust": [[0.5, 1.5]]}}
TURNED = {"holds": {"right": [[0.5, 1.0]]}}
GLIDE = {"vx": 240.0}
MOVE = {"rule": "move", "method": "half", "timing": "exact"}


def by_frame(rule: dict, *others: dict, timing: str = "frame", **rest: Any) -> tr.Scenario:
    """Return a scenario in exact timing but for one rule."""
    rest = {"start": GLIDE | {"x": 100, "y": 500}, "timing": "exact"} | rest
    return scenario({**rule, "timing": timing}, *others, MOVE, **rest)


def gun(carry: bool, cooldown: Any = 0.13) -> tr.Scenario:
    fire = {"rule": "fire", "shots": "corks", "speed": 300, "cooldown": cooldown, "carry": carry}
    gun = {"name": "gun", "start": {"x": 100, "y": 500}, "rules": [fire]}
    cork = {"name": "corks", "pool": 20, "lifetime": 9, "rules": [MOVE]}
    return world(gun, cork, tape={"holds": {"fire": [[0, 2]]}})


def wall(detection: str) -> tr.Scenario:
    ball = {"name": "ball", "start": {"x": 100, "y": 500, "vx": 700}, "radius": 4, "rules": [MOVE]}
    post = {"name": "post", "at": [508, 500], "shape": {"kind": "box", "width": 10, "height": 80}}
    return world(
        ball, obstacle=[post], contact=[{"between": ["ball", "post"], "detection": detection}]
    )


def driven() -> tr.Scenario:
    tape = {"holds": {"right": [[0.501, 1.009]]}, "sampling": "buffered"}
    return scenario({"rule": "drive", "speed": 400}, {"rule": "move"}, timing="exact", tape=tape)


LOST = {"width": 1000, "height": 1000, "edges": {"kind": "wrap", "snap": True}}
FRAME_TAPE = {"holds": {"thrust": [["30 frames", "60 frames"]]}}
THRUST = {"rule": "thrust", "accel": 300, "timing": "exact"}
FAST = {"x": 100, "y": 500, "vx": 700}

FAULTS: dict[str, tuple[tr.Scenario, str, dict[str, Any]]] = {
    "drag by the frame": (by_frame({"rule": "drag", "keep": 0.97}), "top.drag", {}),
    "weak drag by the frame": (by_frame({"rule": "drag", "keep": 0.995}), "top.drag", {}),
    "drag times dt": (
        by_frame({"rule": "drag", "rate": 9.0}, timing="dt"),
        "top.drag",
        {"tolerance": 0.1},
    ),
    "thrust by the frame": (
        by_frame({"rule": "thrust", "accel": 400}, tape=PUSHED),
        "top.thrust",
        {},
    ),
    "turn by the frame": (
        by_frame({"rule": "turn", "rate": 90}, {"rule": "cruise", "speed": 90}, tape=TURNED),
        "top.turn",
        {},
    ),
    "a place that eases by the frame": (
        scenario({"rule": "ease", "target": [900, 300], "fraction": 0.08, "timing": "frame"}),
        "top.ease",
        {},
    ),
    "move by the frame": (
        scenario({"rule": "move", "timing": "frame"}, start=GLIDE, timing="exact"),
        "top.move",
        {},
    ),
    "a fall by the frame": (
        by_frame({"rule": "fall", "accel": 500, "terminal": 300}),
        "top.fall",
        {},
    ),
    "the order of rules": (
        scenario({"rule": "force", "y": 1500}, {"rule": "move"}, timing="exact"),
        "the order of rules",
        {},
    ),
    "a dash of whole frames": (
        scenario(
            {"rule": "dash", "speed": 700, "duration": 0.26, "after": "stop"},
            MOVE | {"method": "euler"},
            timing="dt",
            tape={"taps": {"dash": [0.5]}},
        ),
        "top.dash",
        {},
    ),
    "a place that lags by dt": (
        scenario({"rule": "follow", "target": [900, 300], "lag": 0.1, "timing": "dt"}),
        "top.follow",
        {},
    ),
    "a lifetime of frames": (
        world(
            {"name": "top", "start": FAST, "lifetime": "65 frames", "rules": [MOVE]},
        ),
        "top counted in frames",
        {"of": "outcome"},
    ),
    "a cooldown of frames": (
        gun(carry=True, cooldown="9 frames"),
        "gun.fire counted in frames",
        {"of": "outcome"},
    ),
    "an interval that carries nothing": (
        gun(carry=False),
        "gun.fire discards the timer's remainder",
        {"of": "outcome"},
    ),
    "contacts by overlap": (wall("overlap"), "contact ball/post by overlap", {"of": "outcome"}),
    "a wrap that loses": (
        scenario(MOVE, start=FAST, arena=LOST, timing="exact"),
        "edges that discard overshoot",
        {},
    ),
    "a tape of frames": (
        scenario(THRUST, {"rule": "move", "method": "half", "timing": "exact"}, tape=FRAME_TAPE),
        "a tape counted in frames",
        {},
    ),
    "when input is read": (driven(), "when input is read", {}),
    "taps that are lost": (
        scenario({"rule": "flap", "speed": 400}, MOVE, tape={"taps": {"flap": [0.507]}}),
        "missed taps",
        {"of": "outcome"},
    ),
    "no interpolation between fixed steps": (
        scenario(MOVE, start=FAST, timing="exact", clock={"fixed_rate": 10}),
        "no interpolation between fixed steps",
        {},
    ),
    "a cap of dt": (
        scenario(MOVE, start=FAST, timing="exact", clock={"max_dt": 0.018}),
        "dt clamp that drops time",
        {"rates": [30]},
    ),
    "steps that are dropped": (
        scenario(
            MOVE,
            start=FAST,
            timing="exact",
            clock={"fixed_rate": 60, "max_steps_per_frame": 1, "interpolate": True},
        ),
        "dropped steps",
        {"rates": [30]},
    ),
    "uneven frames": (
        driven(),
        "uneven frames",
        {"clocks": [tr.Clock(rate=60, hitches=[{"at": 0.4, "length": 0.3}])], "rates": []},
    ),
}


@pytest.mark.parametrize("name", FAULTS)
def test_one_fault_is_first_and_its_cure_is_enough(name: str) -> None:
    flown, suspect, options = FAULTS[name]
    causes = tr.explain(flown, **({"rates": RATES} | options))
    worst = max(causes.runs, key=lambda run: run.whole)
    assert worst.causes[0].suspect.name == suspect
    assert worst.causes[0].share >= 0.9
    told = sum(cause.amount for cause in worst.causes) + worst.unexplained
    assert told == pytest.approx(worst.whole, abs=1e-9)
    assert worst.case.left(worst.case.acting(frozenset(range(len(worst.case.suspects))))) == (
        pytest.approx(worst.unexplained, abs=1e-6)
    )
    if not worst.causes[0].suspect.cure:
        return
    if worst.causes[0].suspect.kind == "timing":  # its numbers are converted
        cured, _clock = worst.causes[0].suspect.off((flown, tr.Clock()))
        before, after = (tr.simulate(game, rate=flown.tuned_at) for game in (flown, cured))
        assert tr.measure_drift(after, before, before.craft[0]).largest < 1e-6
    number = next(n for n, tried in enumerate(worst.case.suspects) if tried.name == suspect)
    alone = worst.case.left(frozenset({number}))
    assert alone <= max(0.1 * worst.whole, 2.0 if causes.of == "drift" else 0.0)


@pytest.mark.parametrize("rate", [30, 144])
def test_two_faults_are_first_in_the_order_of_what_each_does(rate: float) -> None:
    """One acts along x and one along y, so that they hardly get in each other's way."""
    slows = {"rule": "drag", "keep": 0.995, "axis": "x", "timing": "frame"}
    falls = {"rule": "force", "y": 300, "timing": "frame"}
    flown = scenario(slows, falls, MOVE, start=GLIDE, timing="exact")
    run = tr.explain(flown, rates=[rate]).runs[0]
    assert [cause.suspect.name for cause in run.causes[:2]] == ["top.force", "top.drag"]
    assert run.causes[0].alone > run.causes[1].alone > 0
    assert run.causes[0].share + run.causes[1].share > 0.95


def test_a_right_game_has_no_causes() -> None:
    flown = scenario(THRUST, {"rule": "move", "method": "half"}, timing="exact", tape=PUSHED)
    causes = tr.explain(flown, rates=RATES)
    assert causes.blamed == ()
    assert str(causes).count("no drift above 2 px") == 4
    cures = tr.find_cures(causes)
    assert cures.recommended is None
    assert cures.cured is None


@pytest.mark.slow
@pytest.mark.parametrize(("demo", "rate"), [("rocket", 144), ("rocket", 30), ("popgun", 30)])
def test_shares_of_an_outcome_are_those_over_all_sets_of_suspects(demo, rate):
    """By Shapley's formula over every set, those without an effect by themselves among them."""
    run = tr.explain(tr.read_demo(demo), rates=[rate], of="outcome").runs[0]
    parts = range(len(run.case.suspects))
    brute = {}
    for part in parts:
        others = [one for one in parts if one != part]
        total = 0.0
        for size in parts:
            weight = 1 / (len(parts) * math.comb(len(parts) - 1, size))
            for chosen in map(frozenset, itertools.combinations(others, size)):
                total += weight * (run.case.left(chosen) - run.case.left(chosen | {part}))
        brute[run.case.suspects[part].name] = total
    told = {cause.suspect.name: cause.amount for cause in run.causes}
    for name, amount in brute.items():
        assert told.get(name, 0.0) == pytest.approx(amount, abs=1e-9), name


def spoilt(seed, count):
    """Return a game in exact timing of which some rules count frames, one without, and their names.

    Keys change where frames of 30, 60 and 144 fps begin together, so that input is no cause.
    """
    chance = random.Random(f"{count} {seed}")
    rules = [
        {"rule": "turn", "rate": chance.uniform(60, 220)},
        {"rule": "thrust", "accel": chance.uniform(150, 600)},
        {"rule": "drive", "accel": chance.uniform(150, 500)},
        {"rule": "force", "x": chance.uniform(-80, 80), "y": chance.uniform(-200, 200)},
        {"rule": "drag", "half_life": chance.uniform(0.2, 1.5)},
        {"rule": "fall", "accel": chance.uniform(100, 500)},
    ]
    rules = chance.sample(rules, chance.randint(2, 5))
    rules.append({"rule": "move", "method": chance.choice(["euler", "half"])})
    guilty = chance.sample(range(len(rules)), count)
    holds = {}
    for key in ("left", "thrust", "right", "up"):
        begin = chance.randint(1, 7)
        holds[key] = [[begin / 6, (begin + chance.randint(2, 9)) / 6]]
    listened = {"turn": ["left"], "thrust": ["thrust"], "drive": ["right", "up", "left"]}
    keys = {key for rule in rules for key in listened.get(rule["rule"], ())}
    tape = {"holds": {key: held for key, held in holds.items() if key in keys}}
    rest = {"duration": 3.0, "tape": tape, "start": {"x": 450, "y": 300, "vx": 30, "vy": -20}}
    rest["arena"] = {"edges": chance.choice(["open", "wrap", "bounce", "clamp"])}
    by_frame = [rule | ({"timing": "frame"} if n in guilty else {}) for n, rule in enumerate(rules)]
    names = {f"top.{rules[n]['rule']}" for n in guilty}
    return (scenario(*game, timing="exact", **rest) for game in (by_frame, rules)), names


@pytest.mark.slow
@pytest.mark.parametrize("count", [0, 1, 2])
def test_only_the_spoilt_rules_are_blamed(count, seeds):
    """A rule is guilty if the game without the spoiling drifts otherwise; others never are."""
    asked, games = 0, seeds(20, part=3)
    for seed in range(games):
        (game, sound), names = spoilt(seed, count)
        found = [tr.explain(flown, rates=[30, 144]).runs for flown in (game, sound)]
        blamed = {
            cause.suspect.name
            for run in found[0]
            for cause in run.causes
            if abs(cause.share) >= 0.01 and cause.suspect.kind == "timing"
        }
        assert blamed <= names, seed
        whole = [[run.whole for run in runs] for runs in found]
        if max(abs(a - b) for a, b in zip(*whole, strict=True)) > 2.0:
            asked += 1
            assert blamed, seed
    assert asked >= (games // 2 if count else 0)


AMOUNTS = st.lists(st.floats(-9, 9), min_size=16, max_size=16)


@given(AMOUNTS)
def test_shares_are_the_mean_over_all_orders(amounts: list[float]) -> None:
    def left(gone: frozenset[int]) -> float:
        return amounts[sum(1 << part for part in gone)]

    found = shares(left, 4)
    orders = list(itertools.permutations(range(4)))
    for part in range(4):
        gains = []
        for order in orders:
            before = frozenset(order[: order.index(part)])
            gains.append(left(before) - left(before | {part}))
        assert found.amounts[part] == pytest.approx(sum(gains) / len(gains), abs=1e-9)
    assert sum(found.amounts) == pytest.approx(amounts[0] - amounts[15], abs=1e-9)


def test_shares_of_many_parts_are_sampled_with_an_error() -> None:
    weights = np.arange(1.0, USUAL.exact + 4)

    def left(gone: frozenset[int]) -> float:
        kept = [weight for n, weight in enumerate(weights) if n not in gone]
        return math.sqrt(sum(weight * weight for weight in kept))

    found = shares(left, len(weights))
    assert sum(found.amounts) == pytest.approx(left(frozenset()), abs=1e-9)
    again = shares(left, len(weights), seed=7)
    for one, other, error in zip(found.amounts, again.amounts, found.errors, strict=True):
        assert error > 0.0
        assert abs(one - other) < 6 * error


# The line to write, in a plain loop


def play(line: str, rate: float, seconds: float = 1.0, **names: float) -> dict[str, float]:
    """Run a line once a frame, as the update of a game does."""
    state = {
        "v": 200.0,
        "p": 50.0,
        "h": 10.0,
        "spin": 30.0,
        "target": 400.0,
        "a": 0.0,
        "vx": 0.0,
        "vy": 0.0,
        "toward": 170.0,
    } | names
    code = compile(line, "line", "exec")
    for _ in range(round(seconds * rate)):
        exec(code, {"dt": 1.0 / rate, "max": max, "min": min}, state)
    return state


LINED = [
    ({"rule": "drag", "keep": 0.97}, "frame"),
    ({"rule": "drag", "keep": 0.9, "at": 30.0}, "frame"),
    ({"rule": "drag", "half_life": 0.4}, "frame"),
    ({"rule": "drag", "rate": 2.5}, "dt"),
    ({"rule": "drag", "rate": 1.5, "of": "spin"}, "dt"),
    ({"rule": "ease", "target": [400, 0], "fraction": 0.1}, "frame"),
    ({"rule": "ease", "target": [400, 0], "half_life": 0.2}, "frame"),
    ({"rule": "ease", "target": [400, 0], "rate": 6.0}, "dt"),
    ({"rule": "follow", "target": [400, 0], "lag": 0.2}, "dt"),
    ({"rule": "follow", "target": [400, 0], "speed": 90.0}, "frame"),
    ({"rule": "thrust", "accel": 420.0}, "frame"),
    ({"rule": "drive", "accel": 300.0}, "frame"),
    ({"rule": "force", "y": 700.0}, "frame"),
    ({"rule": "lift", "accel": 900.0}, "frame"),
    ({"rule": "chase", "target": [400, 0], "accel": 80.0}, "frame"),
    ({"rule": "chase", "target": [400, 0], "speed": 80.0, "turn": 90.0}, "frame"),
    ({"rule": "aim", "at": [400, 0], "rate": 75.0}, "frame"),
    ({"rule": "force", "x": 120.0, "y": -300.0}, "frame"),
    ({"rule": "thrust", "accel": 420.0, "reverse": 90.0}, "frame"),
    ({"rule": "fall", "accel": 640.0}, "frame"),
    ({"rule": "fall", "accel": 640.0, "terminal": 420.0}, "frame"),
    ({"rule": "fall", "accel": 640.0, "terminal": 420.0}, "dt"),
    ({"rule": "turn", "rate": 140.0}, "frame"),
    ({"rule": "torque", "accel": 90.0}, "frame"),
    ({"rule": "rotate"}, "frame"),
    ({"rule": "move"}, "frame"),
    ({"rule": "turn_by", "angle": 3.0, "when": "held"}, "frame"),
    ({"rule": "move_by", "distance": 4.0, "when": "held"}, "frame"),
]


@pytest.mark.parametrize("units", ["per_second", "per_frame"])
@pytest.mark.parametrize(("rule", "timing"), LINED)
def test_the_new_line_keeps_the_tuned_effect_at_every_rate(
    rule: dict, timing: str, units: str
) -> None:
    flown = scenario({**rule, "timing": timing}, units=units, tuned_at=60.0)
    line = tr.rule_line(flown, flown.craft[0], flown.craft[0].rules[0])
    assert line is not None
    assert line.runs
    slow = {"v": 3.0} if units == "per_frame" else {}  # px a frame
    uncured, cured = (play(text, 60.0, **slow) for text in (line.before, line.after))
    for name in ("v", "p", "h", "spin", "vx", "vy"):
        assert cured[name] == pytest.approx(uncured[name], rel=1e-9, abs=1e-9)
        for rate in RATES:
            there = play(line.after, rate, **slow)[name]
            assert there == pytest.approx(uncured[name], rel=1e-9, abs=1e-6), rate
    assert any(uncured[name] != play("", 60.0, **slow)[name] for name in uncured)


def test_lines_explain_their_names():
    back = scenario({"rule": "thrust", "accel": 420.0, "reverse": 90.0, "timing": "frame"})
    line = tr.rule_line(back, back.craft[0], back.craft[0].rules[0])
    assert line.where.endswith("; and back by 90 * dt instead of 90 / 60")
    half = scenario({"rule": "move", "method": "half_new", "timing": "frame"})
    line = tr.rule_line(half, half.craft[0], half.craft[0].rules[0])
    assert "half of what the frame has added" in line.where
    dash = {"rule": "dash", "speed": 300, "duration": "9 frames", "cooldown": 0.4}
    flown = scenario(dash, MOVE, timing="exact", tape={"taps": {"dash": [0.3]}})
    told = [
        suspect.line.after
        for suspect in tr.why.suspects.suspects(flown, tr.Clock(rate=30))
        if suspect.kind == "counted"
    ]
    assert told == ["left -= dt; go on with the dash while left > 0, from left = 9 / 60 on"]


@pytest.mark.parametrize(("cooldown", "frames"), [(0.255, 16), (0.25, 15), (0.2501, 16)])
def test_a_cured_cooldown_keeps_the_tuned_interval(cooldown, frames):
    """A shot waited for the frame that begins after the interval: that is what felt right."""
    fire = {"rule": "fire", "range": 90, "cooldown": cooldown, "carry": False}
    flown = scenario(fire, MOVE, timing="exact", tape={"holds": {"fire": [[0.0, 2.0]]}})
    suspects = tr.why.suspects.suspects(flown, tr.Clock(rate=144))
    off = next(suspect for suspect in suspects if suspect.kind == "carry").off
    cured, _clock = off((flown, tr.Clock(rate=60)))
    assert cured.craft[0].rules[0].cooldown == pytest.approx(frames / 60, rel=1e-12)
    gaps = [np.diff(tr.simulate(game, 60).events["t"][:6]) for game in (flown, cured)]
    assert gaps[1] == pytest.approx(gaps[0], abs=1e-9)


@pytest.mark.parametrize("rate", RATES)
def test_the_line_of_a_half_step_keeps_the_tuned_parabola(rate: float) -> None:
    flown = FAULTS["the order of rules"][0]
    causes = tr.explain(flown, rates=[30])
    _suspect, line = next(
        (cause, cause.line) for cause in causes.blamed if cause.kind == "turns" and cause.line
    )
    tuned = play(line.before, 60.0, a=420.0)
    assert play(line.after, 60.0, a=420.0)["p"] == pytest.approx(tuned["p"], abs=1e-9)
    assert play(line.after, rate, a=420.0)["p"] == pytest.approx(tuned["p"], abs=1e-6)
    assert abs(play(line.before, 30.0, a=420.0)["p"] - tuned["p"]) > 3.0


# Cures


@pytest.mark.slow
def test_the_smallest_set_is_found_and_leaves_the_tuned_run_alone() -> None:
    causes = tr.explain(tr.read_demo("rocket"))
    cures = tr.find_cures(causes)
    assert cures.recommended is not None
    assert cures.recommended.agrees
    assert cures.recommended.tuned_change < 1e-9
    names = {one.name for one in cures.recommended.cure.suspects}
    assert names == {"rocket.turn", "rocket.thrust", "rocket.drag", "rocket.move"}
    for left_out in names:  # nothing less is enough
        fewer = [one for one in cures.recommended.cure.suspects if one.name != left_out]
        game = tr.read_demo("rocket"), tr.Clock()
        for suspect in fewer:
            game = suspect.off(game)
        assert not tr.compare(game[0]).agrees
    assert cures.cured is not None
    compared = tr.compare(cures.cured, against="tuned")
    assert compared.agrees
    alone = cures.felt("rocket.move")
    assert alone is not None
    assert alone.number("top speed", "144 fps").value == pytest.approx(330)  # as it is seen
    with pytest.raises(tr.UnknownNameError, match="did you mean"):
        cures.felt("rocket.mov")
    taken, before = cures.feel[cures.recommended.cure.name], cures.feel["as it is"]
    assert len(taken.differing) < len(before.differing)


def test_cures_are_judged_over_uneven_frames_too() -> None:
    flown = by_frame({"rule": "drag", "keep": 0.97})
    causes = tr.explain(flown, rates=[60, 144])
    rough = tr.find_cures(causes, uneven=tr.Uneven(jitter=0.003, hitch=0.2, seeds=6)).rough
    assert rough["as it is"].median > 20.0
    assert rough["top.drag"].high < 2.0
    assert rough["top.drag"].differs == 0.0


def test_the_view_is_a_suspect_of_drift_on_the_screen() -> None:
    view = {"follow": "top", "width": 300, "height": 200, "fraction": 0.1, "timing": "frame"}
    drive = {"rule": "drive", "speed": 200}
    tape = {"holds": {"right": [[0.5, 1.5]]}}
    flown = scenario(drive, MOVE, view=view, timing="exact", tape=tape, start={"x": 500, "y": 500})
    seen = tr.explain(flown, rates=[120], on_screen=True)
    assert seen.runs[0].main.suspect.name == "view"
    assert not tr.explain(flown, rates=[120]).blamed


@pytest.mark.parametrize("demo", demo_names())
def test_a_cure_is_written_into_the_file_with_its_comments(demo: str, tmp_path: Path) -> None:
    path, out = tmp_path / "toy.toml", tmp_path / "cured.toml"
    text = demo_text(demo)
    path.write_text(text, encoding="utf-8")
    flown = tr.read_scenario(path)
    whole = flown.without_counted_frames().with_timing("exact")
    tr.apply_cure(path, whole, out)
    assert tr.read_scenario(out) == whole
    written = out.read_text(encoding="utf-8")
    assert re.findall(r"#.*", written) == re.findall(r"#.*", text)
    assert (tomllib.loads(written) != tomllib.loads(text)) == (whole != flown)


def test_a_cure_of_the_whole_game_is_a_clock_of_its_own(cli: Cli) -> None:
    Path("ladybird.toml").write_text(demo_text("ladybird"), encoding="utf-8")
    cli("why", "ladybird.toml", "--apply", "cured.toml")
    written = Path("cured.toml").read_text(encoding="utf-8")
    assert written.startswith(demo_text("ladybird").rstrip())
    assert tomllib.loads(written)["clock"] == {"fixed_rate": 60.0}


def test_the_first_divergence_of_two_runs_is_located(tmp_path: Path) -> None:
    flown = by_frame({"rule": "thrust", "accel": 400}, tape=PUSHED)
    run = tr.explain(flown, rates=[30]).runs[0]
    parting = first_parting(run)
    assert parting is not None
    assert parting.rule == "thrust"
    assert (parting.since, parting.until) == pytest.approx((0.5, 0.5 + 1 / 30))
    assert (parting.run, parting.tuned) == pytest.approx((400 / 60, 2 * 400 / 60))


def test_a_feel_metric_is_explained() -> None:
    flown = by_frame(
        {"rule": "thrust", "accel": 400}, {"rule": "drag", "rate": 2.0, "timing": "exact"}
    )
    causes = tr.explain(flown, rates=[30], of="top speed")
    assert causes.unit == "px/s"
    assert causes.runs[0].main.suspect.name == "top.thrust"
    assert not tr.explain(flown, rates=[30], of="time to rest").blamed  # by no more than is seen
    with pytest.raises(tr.UnknownNameError, match="did you mean 'top speed'"):
        tr.explain(flown, of="top sped")


def test_a_comparison_is_explained_at_its_own_rates() -> None:
    compared = tr.compare(tr.read_demo("rocket"), rates=[75])
    assert [run.clock for run in tr.explain(compared).runs] == ["75 fps"]
    varied = tr.compare(tr.read_demo("rocket"), rates=[75], vary={"timing": ["dt", "exact"]})
    with pytest.raises(tr.OptionError, match="one variant"):
        tr.explain(varied)


def test_the_first_change_of_the_outcome_is_explained() -> None:
    """The ball passes through the post at 30 fps; everything after that is a consequence."""
    causes = tr.explain(wall("overlap"), rates=[30], of="outcome")
    assert causes.runs[0].whole == 1.0
    assert "30 fps, ball's bounce with post that is missing at" in str(causes)
    counted = tr.explain(wall("overlap"), rates=[30], of="events")
    assert (counted.unit, counted.runs[0].main.suspect.kind) == ("events", "detection")


@tr.motion_rule
def tugs(craft, dt, pull=90.0):
    craft.vx += pull / 60


def test_custom_rules_are_reported_as_never_switched_off() -> None:
    flown = scenario({"rule": "custom", "function": "tugs"}, MOVE, timing="exact")
    causes = tr.explain(flown, rates=[30])
    assert causes.own == ("top.custom",)
    assert causes.runs[0].unexplained > 0.9 * causes.runs[0].whole
    assert "cannot be switched off: top.custom" in str(causes)


@pytest.mark.slow
def test_the_command_explains_and_writes_the_cure(cli: Cli) -> None:
    Path("rocket.toml").write_text(demo_text("rocket"), encoding="utf-8")
    said = cli("why", "rocket.toml", "--apply", "cured.toml", "--out", "drawn").stdout
    assert "v *= 0.99\n    -> v *= 0.99 ** (dt * 60)" in said
    assert "Recommended: rocket.turn + rocket.thrust + rocket.drag + rocket.move" in said
    assert max(len(line) for line in said.splitlines() if line.startswith(("rocket", ">"))) <= 80
    assert tr.compare(tr.read_scenario("cured.toml")).agrees
    assert {path.name for path in Path("drawn").glob("*.*")} >= {"cures.png", "causes.csv"}
    told = json.loads(cli("why", "rocket.toml", "--rates", "30", "--json").stdout)
    whole = told["causes"][0]["runs"][0]["whole"]
    amounts = [row["amount"] for row in told["causes"][0]["shares"]]
    assert sum(amounts) == pytest.approx(whole, abs=1e-9)
    assert cli("why", "rocket.toml", "--craft", "rockett", ok=False).returncode == 2
    again = cli("why", "cured.toml", "--apply", "twice.toml", ok=False)
    assert (again.returncode, "nothing to cure" in again.stderr) == (2, True)


@pytest.mark.slow
@pytest.mark.parametrize("demo", ["rocket", "mouse", "marble", "wren"])
def test_compare_of_a_cured_game_reports_what_why_promised(demo, tmp_path):
    """Each cure that was tried, written into the file, and flown by `compare`."""
    game = tr.read_demo(demo)
    cures = tr.find_cures(tr.explain(game, rates=[30, 60, 144]), felt=False)
    source = tmp_path / "game.toml"
    tr.write_scenario(game, source)
    for tried in cures.tried[1:]:
        changed, clock = tried.cure.change((game, game.clock))
        cured = changed.replaced(clock=clock)
        tr.apply_cure(source, cured, tmp_path / "cured.toml")
        compared = tr.compare(tr.read_scenario(tmp_path / "cured.toml"), [30, 60, 144])
        assert max(run.farthest[1] for run in compared.runs) == pytest.approx(tried.drift, abs=1e-6)
        changes = sum(
            run.matched["status"].tolist().count(kind)
            for run in compared.runs
            for kind in ("missing", "extra")
        )
        assert changes == tried.changed
        assert compared.agrees == tried.agrees
        late = np.mean([run.flight.lag for run in compared.runs]) * 1000
        assert late == pytest.approx(tried.latency, abs=1e-9)


@pytest.mark.slow
def test_a_cure_is_chosen_by_name_and_all_lines_are_printed(cli: Cli) -> None:
    Path("rocket.toml").write_text(demo_text("rocket"), encoding="utf-8")
    chosen = ("--cure", "fixed steps of 1/60 s", "--apply", "cured.toml", "--all-lines")
    told = cli("why", "rocket.toml", *chosen).stdout
    assert tomllib.loads(Path("cured.toml").read_text())["clock"] == {"fixed_rate": 60.0}
    assert "missed taps" in told.partition("Lines of all suspects:")[2]
    assert "no cure 'a wish' was tried; valid: as it is," in (
        cli("why", "rocket.toml", "--cure", "a wish", ok=False).stderr
    )
    told = cli("why", "rocket.toml", "--of", "top speed", "--rates", "30").stdout
    assert (
        "(top speed 165, tuned 330)" in told
    )  # the speed is the same, and each frame twice as long


def test_the_whole_run_is_explained_when_asked() -> None:
    """Up to the first event that differs it is one drift, and in all another."""
    rocket = tr.read_demo("rocket")
    parts, whole = (tr.explain(rocket, rates=[30], whole_run=w).runs[0] for w in (False, True))
    assert parts.parts_at == pytest.approx(3.8, abs=0.05)
    assert whole.parts_at is None
    flight = tr.compare(rocket, [30]).runs[0]
    assert whole.whole == pytest.approx(flight.farthest[1], abs=1e-9)
    assert sum(cause.amount for cause in whole.causes) + whole.unexplained == pytest.approx(
        whole.whole
    )
