"""One small game that logs itself in many manners: each is read right, or refused with its cure."""

import json
import math

import numpy as np
import pandas as pd
import pytest

import tinrocket as tr

from .conftest import THRUST, scenario

WIDTH, HEIGHT, SECONDS = 320.0, 240.0, 3.0


def play(rate, seconds=SECONDS, until=2.0):
    """A game in plain Python that forgot about dt: a row after each of its frames."""
    x, y, vx, vy, rows = 50.0, 60.0, 0.0, 0.0, []
    for frame in range(round(seconds * rate)):
        thrust = int(0.5 <= frame / rate + 1e-9 < until)
        vx += thrust * math.cos(math.radians(20)) * 5.0
        vy += thrust * math.sin(math.radians(20)) * 5.0
        vx, vy = vx * 0.99, vy * 0.99
        x, y = (x + vx / rate) % WIDTH, (y + vy / rate) % HEIGHT
        event = "fire|puff" if frame == round(0.8 * rate) else ""
        rows.append(
            {"n": frame + 1, "t": (frame + 1) / rate, "dt": 1 / rate, "x": x, "y": y}
            | {"vx": vx, "vy": vy, "h": 20.0, "thrust": thrust, "event": event}
        )
    return rows


def like_the_game(**rest):
    drag = {"rule": "drag", "keep": 0.99, "timing": "frame"}
    rules = (THRUST | {"timing": "frame"}, drag, {"rule": "move", "timing": "dt"})
    arena = {"width": WIDTH, "height": HEIGHT, "edges": "wrap", "y_axis": "down"}
    arena["angles"] = {"zero": "right", "positive": "clockwise"}
    start = {"x": 50, "y": 60, "heading": 20}
    return scenario(*rules, start=start, arena=arena, duration=SECONDS, **rest)


def table(rows, *cells, header=None, between=",", decimals=".", before=()):
    """Lines of text: each cell is a format of a row."""
    names = header if header is not None else [cell.split(":")[0].strip("{}") for cell in cells]
    told = (
        between.join(cell.format(**row).replace(".", decimals) for cell in cells) for row in rows
    )
    return "\n".join([*before, *([between.join(names)] if names else []), *told]) + "\n"


def clocked(row):
    t = 3600 * 13 + 60 * 59 + 58 + row["t"]  # past the hour
    return f"{int(t // 3600):02d}:{int(t % 3600 // 60):02d}:{t % 60:09.6f}"


TXY = ("{t:.6f}", "{x:.6f}", "{y:.6f}")
KEYS = (*TXY, "{thrust}")
MANNERS = {
    "commas": (lambda rows: table(rows, *KEYS), {}),
    "semicolons and decimal commas": (
        lambda rows: table(rows, *KEYS, between=";", decimals=","),
        {},
    ),
    "tabs and decimal commas": (lambda rows: table(rows, *KEYS, between="\t", decimals=","), {}),
    "spaces, decimal commas, no header": (
        lambda rows: table(rows, *TXY, header=(), between=" ", decimals=","),
        {},
    ),
    "milliseconds": (
        lambda rows: table(
            [row | {"ms": row["t"] * 1e3} for row in rows], "{ms:.4f}", *KEYS[1:]
        ).replace("ms", "t_ms", 1),
        {},
    ),
    "microseconds": (
        lambda rows: table(
            [row | {"us": row["t"] * 1e6} for row in rows], "{us:.0f}", *KEYS[1:]
        ).replace("us", "time", 1),
        {},
    ),
    "lengths of frames": (lambda rows: table(rows, "{dt:.8f}", *KEYS[1:]), {}),
    "numbers of frames": (
        lambda rows: table(rows, "{n}", *KEYS[1:]).replace("n,", "frame,", 1),
        {"rate": True},
    ),
    "numbers of frames, as t": (
        lambda rows: table(rows, "{n}", *KEYS[1:]).replace("n,", "t,", 1),
        {"rate": True},
    ),
    "a clock on the wall": (
        lambda rows: table([row | {"clock": clocked(row)} for row in rows], "{clock}", *KEYS[1:]),
        {"first_row": "end"},
    ),
    "milliseconds of each frame": (
        lambda rows: table(
            [row | {"frame_ms": 1e3 * row["dt"]} for row in rows], "{frame_ms:.6f}", *KEYS[1:]
        ),
        {},
    ),
    "one craft below the other, by lengths of frames": (
        lambda rows: table(
            [*(row | {"who": "top"} for row in rows), *(row | {"who": "cork"} for row in rows)],
            *("{dt:.8f}", "{who}"),
            *KEYS[1:],
            header=("dt", "craft", "x", "y", "thrust"),
        ),
        {},
    ),
    "two decimals": (lambda rows: table(rows, "{t:.2f}", *KEYS[1:]), {}),
    "JSON lines": (
        lambda rows: "\n".join(
            json.dumps(
                {"t": r["t"], "pos": {"x": r["x"], "y": r["y"]}, "thrust": bool(r["thrust"])}
            )
            for r in rows
        ),
        {},
    ),
    "keys by name": (
        lambda rows: "\n".join(
            json.dumps(
                {"t": r["t"], "x": r["x"], "y": r["y"], "keys": ["thrust"] * r["thrust"] + ["up"]}
            )
            for r in rows
        ),
        {"keyed": True},
    ),
    "a list in JSON": (
        lambda rows: json.dumps(
            [{"time": r["t"], "position": [r["x"], r["y"]], "in.thrust": r["thrust"]} for r in rows]
        ),
        {},
    ),
    "names and values": (
        lambda rows: table(
            rows, "[info] t={t:.6f} x={x:.6f} y={y:.6f} thrust={thrust}", header=("starting up",)
        ),
        {},
    ),
    "names and places in brackets": (
        lambda rows: table(
            rows, "t: {t:.6f} pos: ({x:.6f}, {y:.6f}) thrust: {thrust}", header=(), between=" "
        ),
        {},
    ),
    "comments": (
        lambda rows: table(rows, *KEYS, before=("# tin game 3", "// made up")).replace(
            "0.500000,", "0.500000,", 1
        ),
        {},
    ),
    "a header in a comment": (
        lambda rows: table(rows, *KEYS, header=(), before=("# t,x,y,thrust",)),
        {},
    ),
    "dotted names": (
        lambda rows: table(rows, *KEYS, header=("time", "top.pos.x", "top.pos.y", "thrust")),
        {},
    ),
    "y upward": (
        lambda rows: table([row | {"y": HEIGHT - row["y"]} for row in rows], *KEYS),
        {"y_up": True},
    ),
    "two craft in a row": (
        lambda rows: table(
            [row | {"q": 1.0} for row in rows],
            *TXY,
            "{q}",
            "{q}",
            "{thrust}",
            header=("t", "top_x", "top_y", "cork_x", "cork_y", "thrust"),
        ),
        {},
    ),
    "cut off": (lambda rows: table(rows, *KEYS)[:-9], {}),
    "radians": (
        lambda rows: table(
            [row | {"a": math.radians(20) + row["n"] / 1e4} for row in rows],
            *KEYS,
            "{a}",
            header=("t", "x", "y", "thrust", "angle"),
        ),
        {},
    ),
}


@pytest.mark.parametrize("rate", [24, 60, 144])
@pytest.mark.parametrize("manner", MANNERS)
def test_a_log_in_every_form_agrees_with_the_game(manner, rate, tmp_path):
    """Each agrees with the scenario that is the game, as far as its digits go."""
    write, reading = MANNERS[manner]
    path = tmp_path / ("log.jsonl" if "JSON" in manner else "log.txt")
    path.write_text(write(play(rate)), encoding="utf-8")
    reading = {name: rate if name == "rate" else value for name, value in reading.items()}
    # a log with keys needs no tape
    tape = {} if reading.pop("keyed", False) else {"holds": {"thrust": [[0.5, 2.0]]}}
    compared = tr.compare_with_logs(
        like_the_game(tape=tape), [path], log_format=tr.LogFormat(**reading)
    )
    run = compared.runs[0]
    assert run.rate == pytest.approx(rate, rel=1e-4)
    assert run.drifts["top"].largest < 0.01
    assert run.drifts["top"].t[-1] == pytest.approx(SECONDS, abs=1.1 / rate)
    assert compared.agrees


@pytest.mark.parametrize(
    ("lines", "reading", "said"),
    [
        (lambda rows: table(rows, "{n}", *KEYS[1:]).replace("n,", "frame,", 1), {}, "--rate 60"),
        (lambda rows: table(rows, "{n}", *KEYS[1:]).replace("n,", "t,", 1), {}, "--rate 60"),
        (
            lambda rows: table(rows, "{dt:.4f}", *KEYS[1:]).replace("dt,", "frame,", 1),
            {},
            "--columns dt=frame",
        ),
        (lambda rows: table(rows, *KEYS), {"rate": 50.0}, "at 50 frames per second, but at 60"),
        (
            lambda rows: table(rows, *KEYS, between=";", decimals=",").replace("50,0", "50.0", 1),
            {},
            "points alone, or with commas alone",
        ),
    ],
)
def test_unknown_facts_of_a_log_are_requested(lines, reading, said, tmp_path):
    path = tmp_path / "log.csv"
    path.write_text(lines(play(60)))
    with pytest.raises(tr.TrajectoryError, match=said):
        tr.read_log(path, tr.LogFormat(**reading))


def test_logs_timed_at_the_frames_beginning_get_a_hint():
    """A game that moves by dt alone, and prints t before it counts it on."""

    def drifting(rate):
        t = np.arange(3 * rate) / rate
        return pd.DataFrame({"t": t, "x": 400.0 * (t + 1 / rate), "y": 0.0})

    logs = {f"{rate}": drifting(rate) for rate in (60, 20)}
    told = tr.compare_logs(logs)
    assert not told.agrees
    assert any("--first-row end" in warning for warning in told.warnings)
    assert tr.compare_logs(logs, log_format=tr.LogFormat(first_row="end")).agrees


def test_the_command_line_previews_makes_tapes_and_compares_scenarios(cli, tmp_path):
    rows = play(60)
    (tmp_path / "game.csv").write_text(MANNERS["numbers of frames"][0](rows))
    told = cli("compare", "--preview", "game.csv", "--rate", "60").stdout
    assert "numbers of frames in 'frame' at 60 fps" in told
    assert "x from 0 to 320" in told
    cli("new", "boat", "--tape-from", "game.csv", ok=False)
    (tmp_path / "timed.csv").write_text(MANNERS["commas"][0](rows))
    cli("new", "boat", "--tape-from", "timed.csv")
    boat = tr.read_scenario(tmp_path / "boat.toml")
    ((down, up),) = boat.tape.holds["thrust"]
    assert (down, up) == (pytest.approx(0.5, abs=1e-5), pytest.approx(2.0, abs=1e-5))
    tr.write_scenario(like_the_game(tape={"holds": {"thrust": [[0.5, 2.0]]}}), tmp_path / "a.toml")
    tr.write_scenario(like_the_game(tape={"holds": {"thrust": [[0.5, 1.9]]}}), tmp_path / "b.toml")
    same = cli("compare", "a.toml", "a.toml", "--rates", "30,144").stdout
    assert "2 of 2 runs agree with the first scenario at the same rate" in same
    other = tr.compare_scenarios(
        tr.read_scenario(tmp_path / "a.toml"), {"b": tr.read_scenario(tmp_path / "b.toml")}, [60]
    )
    ways = [pd.DataFrame(play(60, until=until))[["x", "y"]] for until in (2.0, 1.9)]
    apart = (ways[0] - ways[1]).to_numpy().copy()
    apart -= np.round(apart / [WIDTH, HEIGHT]) * [WIDTH, HEIGHT]
    far = np.hypot(*apart.T).max()
    assert other.runs[0].drifts["top"].largest == pytest.approx(far, abs=1e-9)


def of(rows, **columns):

    return pd.DataFrame(rows)[["t", "x", "y"]].assign(**columns)


def test_a_craft_whose_rows_end_disappears():
    """And another outcome; so is one that is missing in between."""
    rows = play(60)
    long = [
        {"t": row["t"], "craft": craft, "x": row["x"] + at, "y": row["y"]}
        for n, row in enumerate(rows)
        for craft, at in (("top", 0), ("cork", 9))
        if craft == "top" or not 60 <= n < 90
    ]

    whole = pd.DataFrame(
        [
            {"t": r["t"], "craft": c, "x": r["x"] + a, "y": r["y"]}
            for r in rows
            for c, a in (("top", 0), ("cork", 9))
        ]
    )
    gone = tr.compare_logs({"all": whole, "gap": pd.DataFrame(long)})
    assert gone.verdicts == ("outcome differs",)
    told = gone.runs[0].outcomes[["kind", "craft", "status"]].to_numpy().tolist()
    assert ["gone", "cork", "extra"] in told
    assert ["there", "cork", "extra"] in told
    ends = whole[(whole["craft"] == "top") | (whole["t"] < 1.0)]
    early = tr.compare_logs({"all": whole, "early": ends})
    assert early.verdicts == ("outcome differs",)
    assert early.runs[0].flight.duration == pytest.approx(SECONDS)
    assert early.runs[0].drifts["cork"].gone


def test_events_are_matched_by_the_columns_of_the_log():
    """Kinds that the log never names are not compared; one more or less is another outcome."""
    tape = {"holds": {"thrust": [[0.5, 2.0]]}}
    peas = {"name": "peas", "pool": 4, "lifetime": 0.3, "rules": [{"rule": "move"}]}
    game = like_the_game(tape=tape).model_dump(mode="json", exclude_none=True)
    game["craft"][0]["rules"].append(
        {"rule": "fire", "shots": "peas", "speed": 50, "when": "pressed"}
    )
    game["craft"].append(peas)
    game["tape"]["taps"] = {"fire": [0.8, 1.6]}
    scene = tr.Scenario.from_data(game)
    rows = play(60)
    shots = [row | {"event": "Fire" if row["n"] in (49, 97) else ""} for row in rows]
    for told, status in (
        (of(rows), set()),
        (of(rows, event=""), set()),
        (of(rows, event=[row["event"] for row in shots]), {"same"}),
        (of(rows, event=[row["event"] for row in shots[:60] + rows[60:]]), {"same", "missing"}),
        (of(rows, event=[row["event"] for row in rows]), {"same", "missing"}),
    ):
        run = tr.compare_with_logs(scene, {"log": told}).runs[0]
        fired = run.outcomes[run.outcomes["kind"] == "fire"]
        assert set(fired["status"]) == status
        assert not set(run.outcomes["kind"]) & {"enter", "expire", "puff"}
    two = tr.read_log(of(rows, event=[row["event"] for row in rows])).events
    assert two["kind"].tolist()[:2] == ["fire", "puff"]


def test_missing_rows_and_short_logs_are_reported():
    """Missing rows are flown as frames if their numbers show it; a short log is reported."""
    rows = play(60)
    tape = {"holds": {"thrust": [[0.5, 2.0]]}}
    some = [row for row in rows if row["n"] % 7 != 3]
    counted = of(some, frame=[row["n"] for row in some])
    run = tr.compare_with_logs(like_the_game(tape=tape), {"some": counted}).runs[0]
    assert run.drifts["top"].largest < 0.4  # between rows the way bends
    assert any("frames of the game are not printed" in warning for warning in run.flight.warnings)
    uncounted = tr.compare_with_logs(like_the_game(tape=tape), {"some": of(some)}).runs[0]
    assert any("if the log leaves rows out" in warning for warning in uncounted.flight.warnings)
    half = tr.compare_with_logs(like_the_game(tape=tape), {"half": of(rows[:90])})
    assert any("ends at 1.50 s, and the scenario goes on" in warning for warning in half.warnings)
    logs = tr.compare_logs({"all": of(rows), "half": of(rows[:90])})
    assert any(
        "ends at 1.50 s, and all goes on until 3.00 s" in warning for warning in logs.warnings
    )


def test_a_column_called_held_may_be_a_key_or_a_text_of_keys():
    rows = play(60)[:8]
    key = tr.read_log(of(rows, held=[0, 1, 1, 0, 0, 0, 1, 0]))
    assert key.track()["in.held"].tolist() == [0, 1, 1, 0, 0, 0, 1, 0]
    texts = ["", "up", "up+fire", "", "", "", "fire", "nan"]
    keys = tr.read_log(of(rows, held=texts))
    assert keys.track()["in.up"].tolist() == [0, 1, 1, 0, 0, 0, 0, 0]
    assert keys.track()["in.fire"].tolist() == [0, 0, 1, 0, 0, 0, 1, 0]
    (first, second), *_rest = (tr.tape_of_log(keys).holds[key] for key in ("fire",))
    assert first == pytest.approx((2 / 60, 3 / 60))
    assert second == pytest.approx((6 / 60, 7 / 60))


def test_only_craft_that_wrap_are_folded():
    rows = play(60, 6.0)
    wide = of(rows, top_x=[row["x"] for row in rows], top_y=50.0)
    wide = wide.assign(cork_x=np.linspace(0, 9000, len(rows)), cork_y=1.0)[
        ["t", "top_x", "top_y", "cork_x", "cork_y"]
    ]
    log = tr.read_log(wide)
    assert log.seam("x", "top") == (0.0, 320.0)
    assert log.seam("x", "cork") is None
    assert log.track("cork")["x"][-1] == 9000


def test_a_beginning_by_motion_moves_the_log_to_the_scenario(tmp_path):
    """A log that was begun by hand, without keys, beside a tape that begins late."""
    rows = [row | {"t": row["t"] + 7.3} for row in play(60)[20:]]
    tape = {"holds": {"thrust": [[0.5, 2.0]]}}
    run = tr.compare_with_logs(
        like_the_game(tape=tape), {"log": of(rows)}, log_format=tr.LogFormat(align="motion")
    ).runs[0]
    assert run.drifts["top"].largest < 1e-6
    begun = [row | {"t": row["t"] - 1 / 60} for row in play(60)]  # printed before it is counted on
    hinted = tr.compare_with_logs(like_the_game(tape=tape), {"log": of(begun)})
    assert any("--first-row end" in warning for warning in hinted.warnings)
    cured = tr.compare_with_logs(
        like_the_game(tape=tape), {"log": of(begun)}, log_format=tr.LogFormat(first_row="end")
    )
    assert cured.agrees
