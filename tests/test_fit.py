"""Numbers fitted to logs, against plain loops that printed them."""

import json

import numpy as np
import pandas as pd
import pytest

import tinrocket as tr

BASE = {
    "duration": 5.0,
    "timing": "dt",
    "arena": {"width": 4000, "height": 4000, "edges": "open"}
    | {"angles": {"zero": "right", "positive": "counterclockwise"}},
    "craft": [
        {
            "name": "boat",
            "start": {"x": 120, "y": 400, "heading": 60},
            "rules": [
                {"rule": "turn", "rate": 140.0},
                {"rule": "thrust", "accel": 420.0},
                {"rule": "drag", "keep": 0.99, "timing": "exact"},
                {"rule": "move"},
            ],
        }
    ],
}
FREE = {
    "boat.thrust.accel": (100.0, 1500.0),
    "boat.drag.keep": (0.9, 0.999),
    "boat.turn.rate": (50.0, 300.0),
}


def boat(**changes):
    return tr.Scenario.from_data(BASE | changes)


def printed(accel, keep, turn, rate=60, seconds=4.0, seed=0, bad=0.01, whole=True, counted=False):
    """Return what a game prints: places in whole pixels, and the keys of the frame."""
    random, dt = np.random.default_rng(seed), 1.0 / rate
    x, y, vx, vy, heading = 120.0, 400.0, 0.0, 0.0, 60.0
    rows = [(0.0, x, y, 0, 0, 0)]
    for n in range(round(seconds * rate)):
        t = n * dt
        thrust, left = 0.3 <= t < 1.8 or 2.5 <= t < 3.6, 0.9 <= t < 1.4 or 3.0 <= t < 3.3
        right = 2.0 <= t < 2.3
        heading += turn * dt * (left - right)
        push = accel * thrust * (1.0 / 60.0 if counted else dt)
        vx += push * np.cos(np.radians(heading))
        vy -= push * np.sin(np.radians(heading))
        kept = keep ** (60.0 * dt)
        vx, vy = vx * kept, vy * kept
        x, y = x + vx * dt, y + vy * dt
        rows.append((t + dt, x, y, int(thrust), int(left), int(right)))
    log = pd.DataFrame(rows, columns=["t", "x", "y", "in.thrust", "in.left", "in.right"])
    if whole:
        log[["x", "y"]] = log[["x", "y"]].round()
    wrong = random.random(len(log)) < bad
    log.loc[wrong, "x"] += random.uniform(-200, 200, wrong.sum())
    log.insert(0, "craft", "boat")
    return log


def test_exact_places_give_the_numbers_back():
    log = printed(500.0, 0.98, 150.0, bad=0.0, whole=False)
    found = tr.fit(boat(), log, FREE)
    assert [one.value for one in found.numbers] == pytest.approx([500.0, 0.98, 150.0], rel=1e-6)
    assert found.spread < 1e-4


@pytest.mark.slow
def test_intervals_hold_what_was_hidden(seeds):
    """Whole pixels and one bad row in a hundred: 95 of 100 intervals hold the number."""
    random, held, count = np.random.default_rng(7), 0, seeds(20, part=10)
    for seed in range(count):
        hidden = random.uniform([200, 0.96, 80], [900, 0.99, 220])
        found = tr.fit(boat(), printed(*hidden, seed=seed), FREE, starts=2)
        assert 0.2 < found.spread < 0.4  # of whole pixels it is 0.29
        held += sum(
            one.low <= value <= one.high for one, value in zip(found.numbers, hidden, strict=True)
        )
    share, numbers = held / (3 * count), 3 * count
    assert abs(share - 0.95) < 3.0 * np.sqrt(0.95 * 0.05 / numbers) + 0.01


def test_numbers_that_a_log_cannot_tell_are_named():
    rules = [*BASE["craft"][0]["rules"]]
    rules[3:3] = [{"rule": "limit", "speed": 5000.0}]
    fast = boat(craft=[BASE["craft"][0] | {"rules": rules}])
    free = FREE | {"boat.limit.speed": (4000.0, 9000.0)}
    found = tr.fit(fast, printed(500.0, 0.98, 150.0, seconds=2.5), free, starts=1)
    assert not found.numbers[3].bounded
    assert "does not say what boat.limit.speed is" in str(found)
    assert ("boat.thrust.accel", "boat.drag.keep") in found.alike


@pytest.mark.slow
def test_the_timing_is_told_where_logs_can_tell_it():
    """A push that counts frames, printed at two rates; and at one, where numbers make up for it."""
    several = [printed(500.0, 0.98, 150.0, rate, 3.0, counted=True) for rate in (30, 60)]
    free = {path: FREE[path] for path in ("boat.thrust.accel", "boat.turn.rate")}
    base = tr.with_value(boat(), "boat.drag.keep", 0.98)
    best = tr.fit(base, several, free, timings=True, starts=1).better_timings
    # a push that counts frames moves the boat as a move that counts frames does
    assert {one.name for one in best} == {"boat.thrust frame", "boat.move frame"}
    alone = tr.fit(base, several[:1], free, timings=True, starts=1)
    assert alone.better_timings == []
    assert "cannot tell the timing as written from" in str(alone)


def test_where_the_model_fails_is_told():
    log = printed(500.0, 0.98, 150.0, bad=0.0)
    log.loc[log["t"].between(2.0, 2.6), "y"] += 40.0
    found = tr.fit(boat(), log, FREE, starts=1)
    ((craft, begin, end),) = found.failures
    assert craft == "boat"
    assert (begin, end) == (pytest.approx(2.0, abs=0.1), pytest.approx(2.6, abs=0.1))


def test_the_command_fits_writes_and_draws(cli, tmp_path):
    tr.write_scenario(boat(), tmp_path / "boat.toml")
    printed(500.0, 0.98, 150.0).to_csv(tmp_path / "game.csv", index=False)
    free = [part for path in FREE for part in ("--free", f"{path}={FREE[path][0]}:{FREE[path][1]}")]
    command = ("fit", "boat.toml", "--log", "game.csv", *free)
    done = cli(*command, "--apply", "fitted.toml", "--plot", "fitted.png")
    assert "Fitted to 241 places" in done.stdout
    fitted = tr.read_scenario(tmp_path / "fitted.toml")
    assert fitted.craft[0].rules[1].accel == pytest.approx(500.0, rel=2e-3)
    assert (tmp_path / "fitted.png").read_bytes().startswith(b"\x89PNG")
    told = json.loads(cli(*command, "--json").stdout)
    assert [one["path"] for one in told["numbers"]] == list(FREE)
