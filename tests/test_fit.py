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


def printed(
    accel, keep, turn, rate=60, seconds=4.0, seed=0, bad=0.01, whole=True, truth="", jitter=0.0
):
    """Return what a game prints: places in whole pixels, and the keys of the frame.

    `truth` is a timing or order that differs from the scenario, as `fit` names it.
    """
    random = np.random.default_rng(seed)
    x, y, vx, vy, heading, t = 120.0, 400.0, 0.0, 0.0, 60.0, 0.0
    rows = [(t, x, y, 0, 0, 0)]
    for n in range(round(seconds * rate)):
        dt = 1.0 / rate + random.uniform(-jitter, jitter)
        thrust, left = 0.3 <= t < 1.8 or 2.5 <= t < 3.6, 0.9 <= t < 1.4 or 3.0 <= t < 3.3
        right = 2.0 <= t < 2.3
        step = {
            rule: 1.0 / 60.0 if truth == f"boat.{rule} frame" else dt
            for rule in ("turn", "thrust", "drag", "move")
        }
        if truth == "boat.move first":
            x, y = x + vx * dt, y + vy * dt
        heading += turn * step["turn"] * (left - right)
        push = accel * thrust * step["thrust"]
        vx += push * np.cos(np.radians(heading))
        vy -= push * np.sin(np.radians(heading))
        kept = keep ** (60.0 * step["drag"])
        vx, vy = vx * kept, vy * kept
        if truth != "boat.move first":
            x, y = x + vx * step["move"], y + vy * step["move"]
        t = t + dt if jitter else (n + 1) * dt
        rows.append((t, x, y, int(thrust), int(left), int(right)))
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
    assert [number.value for number in found.numbers] == pytest.approx(
        [500.0, 0.98, 150.0], rel=1e-6
    )
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
            number.low <= value <= number.high
            for number, value in zip(found.numbers, hidden, strict=True)
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


TRUTHS = (
    "",
    "boat.move first",
    "boat.thrust frame",
    "boat.drag frame",
    "boat.turn frame",
    "boat.move frame",
)


@pytest.mark.slow
def test_the_timing_and_order_are_named_where_logs_can_tell_them(seeds):
    """Logs at two rates, whole pixels, uneven frames, bad rows: the planted one is named."""
    free = {path: FREE[path] for path in ("boat.thrust.accel", "boat.turn.rate")}
    base = tr.with_value(boat(), "boat.drag.keep", 0.98)
    count = seeds(12, part=3)
    named = []
    for seed in range(count):
        truth = TRUTHS[seed % len(TRUTHS)]
        accel, turn = np.random.default_rng([5, seed]).uniform([300.0, 80.0], [900.0, 220.0])
        logs = [
            printed(accel, 0.98, turn, rate, 3.0, 10 * seed + rate, truth=truth, jitter=0.002)
            for rate in ((30, 60), (48, 90))[seed % 2]
        ]
        best = tr.fit(base, logs, free, timings=True, starts=1).better_timings
        named.append(truth in [each.name for each in best] if truth else not best)
    assert sum(named) >= 0.95 * count


def test_one_log_at_one_steady_rate_cannot_tell_a_timing():
    """Another acceleration makes up for a push that counts frames."""
    free = {path: FREE[path] for path in ("boat.thrust.accel", "boat.turn.rate")}
    log = printed(500.0, 0.98, 150.0, 30, 3.0, truth="boat.thrust frame")
    alone = tr.fit(tr.with_value(boat(), "boat.drag.keep", 0.98), log, free, timings=True, starts=1)
    assert alone.better_timings == []
    assert "cannot tell the timing as written from" in str(alone)


def drop_keys(log):
    return log[["craft", "t", "x", "y"]]


def test_a_time_offset_is_found_with_its_interval():
    """The log's clock starts 80 ms before the tape of the scenario."""
    log = drop_keys(printed(500.0, 0.98, 150.0, rate=120, bad=0.0))
    moved = pd.concat(
        [
            log.iloc[:1].assign(t=0.0),
            log.assign(t=log["t"] + 0.08),
        ]
    )
    tape = {
        "holds": {
            "thrust": [[0.3, 1.8], [2.5, 3.6]],
            "left": [[0.9, 1.4], [3.0, 3.3]],
            "right": [[2.0, 2.3]],
        }
    }
    base = boat(tape=tape, clock={"rate": 120})
    found = tr.fit(base, moved, FREE, time_offset=(-0.1, 0.3), starts=2)
    (offset,) = found.offsets
    assert offset.low <= 0.08 <= offset.high
    assert offset.value == pytest.approx(0.08, abs=1e-3)
    assert [each.value for each in found.numbers] == pytest.approx([500.0, 0.98, 150.0], rel=5e-3)
    assert "time offset" in str(found)
    blind = tr.fit(base, moved, FREE, starts=2)
    assert blind.spread > 5.0 * found.spread
    with pytest.raises(tr.OptionError, match="from at most 0 to at least 0 s"):
        tr.fit(base, moved, FREE, time_offset=(0.1, 0.3))


@pytest.mark.parametrize("real", ["polled", "buffered"])
def test_polled_and_buffered_taps_are_told_apart(real):
    """Of taps of 5 ms a game at 30 fps sees few if it polls, and all if it buffers them."""
    taps = [0.21, 0.532, 0.87, 1.11, 1.49, 1.93, 2.31, 2.66]
    hopper = BASE | {
        "craft": [
            {
                "name": "boat",
                "start": {"x": 120, "y": 400},
                "rules": [
                    {"rule": "flap", "speed": 200.0},
                    {"rule": "fall", "accel": 500.0},
                    {"rule": "move"},
                ],
            }
        ],
        "clock": {"rate": 30},
        "duration": 3.0,
    }
    tape = {"taps": {"flap": taps}, "tap_length": 0.005, "sampling": real}
    rows, down, v, y = [(0.0, 120.0, 400.0)], set(), 0.0, 400.0
    for tap in taps:  # a frame sees a tap that is down at its beginning, or since the last one
        frame = int(np.ceil(tap * 30.0 - 1e-9))
        if real == "buffered" or frame / 30.0 < tap + 0.005:
            down.add(frame)
    for n in range(90):
        v = -200.0 if n in down else v
        v += 500.0 / 30.0
        y += v / 30.0
        rows.append(((n + 1) / 30.0, 120.0, y))
    log = pd.DataFrame(rows, columns=["t", "x", "y"]).round({"y": 0})
    wrong = tr.Scenario.from_data(
        hopper | {"tape": tape | {"sampling": "buffered" if real == "polled" else "polled"}}
    )
    found = tr.fit(wrong, log, ["boat.fall.accel=100:2000"], timings=True, starts=1)
    assert found.better_timings[0].name == f"input {real}"
    right = tr.fit(
        tr.Scenario.from_data(hopper | {"tape": tape}),
        log,
        ["boat.fall.accel=100:2000"],
        timings=True,
        starts=1,
    )
    assert right.better_timings == []


def test_the_span_in_which_the_model_fails_is_named():
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
    data = json.loads(cli(*command, "--time-offset=-0.05:0.05", "--json").stdout)
    assert [number["path"] for number in data["numbers"]] == list(FREE)
    (offset,) = data["time_offsets"]
    assert offset["low"] <= 0.0 <= offset["high"]
