"""The examples: each runs as a person would run it, and its result is what it should be."""

import math
import runpy
import shutil
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

import tinrocket as tr

EXAMPLES = Path(__file__).parent.parent / "examples"


@pytest.fixture
def run(tmp_path, monkeypatch, capsys):
    """Run an example in a copy of the folder; return what it left in its names."""
    folder = tmp_path / "examples"
    shutil.copytree(EXAMPLES, folder, ignore=shutil.ignore_patterns("*.png"))
    monkeypatch.chdir(tmp_path)

    def example(name):
        left = runpy.run_path(str(folder / f"{name}.py"), run_name="__main__")
        assert capsys.readouterr().out.endswith(f"wrote {name}.png\n")
        with Image.open(folder / f"{name}.png") as picture:
            assert picture.size == (1280, 800)
        return left

    return example


def test_every_example_is_tested():
    """Programs are run here; update functions are flown on the page about them."""
    tested = Path(__file__).read_text(encoding="utf-8")
    page = (EXAMPLES.parent / "docs" / "own.md").read_text(encoding="utf-8")
    for script in EXAMPLES.glob("*.py"):
        flown = "FLIGHT = {" in script.read_text(encoding="utf-8") and script.name in page
        assert flown or f'run("{script.stem}")' in tested


def test_a_tug_glides_as_far_as_was_wanted(run):
    """Each frame v = (v + a h) k and x += v h, for 240 frames with thrust and 960 without."""
    left = run("tune_a_tug")

    def way(half_life):
        h, k = 1 / 60, 0.5 ** (1 / 60 / half_life)
        fast = 260 * h * k * (1 - k**240) / (1 - k)
        return fast * h * k * (1 - k**960) / (1 - k)

    for half_life, glided in left["wide"].items():
        assert glided == pytest.approx(way(half_life), rel=1e-9)
    assert left["glide"](left["best"]) == pytest.approx(130, abs=0.5)
    assert not left["compared"].agrees


def test_exact_timing_cures_the_tug(run):
    left = run("five_rates")
    assert left["worst"]["timing=frame"] > 300
    assert left["worst"]["timing=exact"] < 30
    assert len(left["compared"].runs) == 12


def test_logs_reveal_the_half_life(run):
    """0.984 a frame at 60 fps is a half-life of ln 0.5 / ln 0.984 / 60 s."""
    left = run("game_logs")
    assert round(math.log(0.5) / math.log(0.984) / 60, 3) == 0.716
    assert "half_life=0.716" in left["best"]
    assert left["off"].min() < 0.5
    assert left["off"].drop(left["best"]).min() > 10
    assert {run.clock for run in left["compared"].runs} == {"30", "144"}


def test_the_owl_passes_where_it_was_tuned(run):
    """What passes at 60 fps does not at 30 in any timing, and elsewhere only by the frame not."""
    passed = run("gates")["passed"]
    assert all(passed[timing, "60 fps"] for timing in ("timing=frame", "timing=dt", "timing=exact"))
    assert not any(passed[timing, "30 fps"] for timing in ("timing=frame", "timing=exact"))
    for clock in ("120 fps", "144 fps"):
        assert passed["timing=exact", clock]
        assert not passed["timing=frame", clock]


def test_every_hit_of_the_rally_is_a_factor(run):
    left = run("rally")
    swept = {hits for (detection, _clock), hits in left["hits"].items() if "swept" in detection}
    assert swept == {10}
    assert left["hits"]["detection=overlap", "30 fps"] < 10
    fast = left["compared"].runs[-1].flight.of("ball")["speed"].max()
    assert fast == pytest.approx(math.hypot(300, 130) * 1.12**10)


def test_shots_come_at_the_end_of_each_cooldown(run):
    """From 0.2 to 5.5 s: one at once, and one after each cooldown that ends before."""
    fired = run("shots")["fired"]
    for rate in (30, 60, 144):
        counted = fired["gun.fire.cooldown=13 frames", f"{rate} fps"]
        assert counted == int(5.3 / (13 / rate)) + 1
        assert fired["gun.fire.cooldown=0.216667", f"{rate} fps"] == int(5.3 * 60 / 13) + 1


def test_a_swing_on_the_magnet_comes_back(run):
    back = run("own_rule")["back"]
    off = {rate: math.hypot(x - 60, y - 80) for rate, (x, y) in back.items()}
    assert off[240] < off[60] < off[30] < 0.2


def test_the_sweep_finds_what_single_flights_find(run):
    left = run("two_numbers")
    tr, fastest = left["tr"], left["fastest"]
    game = left["tug"]
    for path in ("tug.thrust.accel", "tug.drag.half_life"):
        game = tr.with_value(game, path, fastest[path])
    assert tr.simulate(game).of("tug")["speed"].iloc[-1] == fastest["speed"]
    assert (fastest["tug.thrust.accel"], fastest["tug.drag.half_life"]) == (400.0, 1.6)


def test_a_longer_half_life_glides_longer(run):
    """From any speed 2 % are left after log2(50) half-lives."""
    left = run("feel_of_a_tug")
    for half_life, seconds in zip(left["half_lives"], left["rest"].values(), strict=True):
        assert seconds == pytest.approx(half_life * math.log2(50), abs=1 / 60)


@pytest.mark.slow
def test_the_tug_is_cured(run):
    left = run("why_it_drifts")
    taken = left["cures"].recommended
    assert taken.agrees
    assert taken.tuned_change < 1e-9
    assert {suspect.name for suspect in left["causes"].blamed} >= {"tug.thrust", "tug.move"}


def test_the_lifter_runs_down_and_warms_up(run):
    left = run("lifter")
    flown, empty = left["flown"], left["empty"]
    # 11 turns a second from 30, of which it lifts 1.3 s, then 0.85 s, then for as long as it lasts
    assert empty[0] == pytest.approx(4.4 + 30 / 11 - 2.15, abs=0.4)
    assert flown["resource.heat"].max() == pytest.approx(40 * (0.85 + 1.3) - 25 * 0.25, abs=1.5)
    assert left["compared"].table["drift_max"].max() < 30
    assert left["careless"].table["drift_max"].max() > 200


def test_more_damping_calms_the_crab(run):
    left = run("hook")
    rope = left["tr"].simulate(left["hook"], rate=240)
    crab, crane = rope.track("crab"), rope.track("crane")
    assert crane["x"][-1] == pytest.approx(260 + 120 * math.sin(2 * math.pi * 5 / 3.2))
    assert 90 < max(y - 40 for y in crab["y"]) < 300
    assert left["calmer"].craft[1].rules[1].damping == 4.0


def test_a_hit_stops_the_time_for_four_frames(run):
    left = run("thud")
    hits = len(left["tr"].simulate(left["thud"], rate=144).events.query("other == 'bat'"))
    assert left["still"].sum() == 4 * hits
    assert left["compared"].table["drift_max"].max() < 25


def test_a_camera_shakes_after_each_bounce_and_moves_nothing_else():
    """For 0.25 s from the frame after a bounce it is 9 px off the cart; the cart flies as alone."""
    shaking = tr.read_scenario(EXAMPLES / "shake.toml")
    flown = tr.simulate(shaking)
    cart, camera = flown.track("cart"), flown.track("camera")
    off = np.hypot(camera["x"] - cart["x"], camera["y"] - cart["y"])
    bounces = flown.events.query("kind == 'bounce' and craft == 'cart'")["t"].to_numpy()
    after = cart["t"][:, None] - bounces
    shaken = ((after > 1.5 / 60) & (after < 0.25)).any(axis=1)
    still = ((after < 0.0) | (after > 0.3)).all(axis=1)
    assert len(bounces) == 2
    assert off[shaken] == pytest.approx(9.0)
    assert off[still] == pytest.approx(0.0, abs=1e-9)
    alone = shaking.replaced(craft=shaking.craft[:1], view=None)
    assert np.array_equal(tr.simulate(alone).track("cart")["x"], cart["x"])
