"""Logs that a game printed: written here by a plain loop, never by the library."""

import math

import numpy as np
import pandas as pd
import pytest

import tinrocket as tr

from .conftest import THRUST, scenario

WIDTH, HEIGHT, SECONDS = 320.0, 240.0, 6


def thrusting(t):
    return int(0.5 <= t < 3 or 4 <= t < 4.4)


def game(rate, frame_times=None):
    """Rows t, x, y, thrust of a game that forgot about dt, printed after each frame."""
    lengths = frame_times or [1 / rate] * int(SECONDS * rate)
    x, y, vx, vy, t = 50.0, 60.0, 0.0, 0.0, 0.0
    rows = []
    for dt in lengths:
        thrust = thrusting(t + 1e-9)
        vx += thrust * math.cos(math.radians(20)) * 5.0
        vy += thrust * math.sin(math.radians(20)) * 5.0
        vx, vy = vx * 0.99, vy * 0.99
        x, y = (x + vx * dt) % WIDTH, (y + vy * dt) % HEIGHT
        t += dt
        rows.append((t, x, y, thrust))
    return rows


def model(**rest):
    """The same game as a scenario."""
    drag = {"rule": "drag", "keep": 0.99, "timing": "frame"}
    rules = (THRUST | {"timing": "frame"}, drag, {"rule": "move", "timing": "dt"})
    bench = {"width": WIDTH, "height": HEIGHT, "edges": "wrap", "y_axis": "down"}
    bench["angles"] = {"zero": "right", "positive": "clockwise"}
    start = {"x": 50, "y": 60, "heading": 20}
    return scenario(*rules, start=start, arena=bench, duration=SECONDS, **rest)


def written(path, rows, header="t,x,y,thrust", between=",", unit=1.0, later=0.0):
    lines = [header] if header else []
    for t, *rest in rows:
        lines.append(between.join([repr((t + later) * unit), *map(repr, rest)]))
    path.write_text("\n".join(lines) + "\n", encoding="utf-8")
    return path


@pytest.mark.parametrize("rate", [30, 60, 144])
def test_a_scenario_like_the_game_agrees_with_its_log(rate, tmp_path):
    """Frames and keys of the log fly the scenario; a wrong number shows."""
    log = written(tmp_path / "game.csv", game(rate))
    vary = {"top.drag.keep": [0.99, 0.985]}
    right, wrong = tr.compare_with_logs(model(), [log], vary=vary).runs
    assert right.drifts["top"].largest < 1e-6
    assert set(right.outcomes["status"]) == {"same"}
    assert len(right.outcomes) >= 3
    assert wrong.drifts["top"].largest > 20


def test_a_flight_written_as_a_log_is_the_flight():
    """Craft that come and go, and columns of 0 and 1 that are no action of the scenario."""
    popgun = tr.read_demo("popgun")
    flown = tr.simulate(popgun)
    seen = flown.frames.reset_index(drop=True)[["t", "craft", "x", "y", "alive"]]
    log = seen.assign(blinks=seen.index % 2)
    run = tr.compare_with_logs(popgun, {"game": log}).runs[0]
    assert run.drifts["popgun"].largest < 1e-9
    pd.testing.assert_frame_equal(run.reference.events, flown.events, atol=1e-9)


def test_uneven_frames_of_a_log_pace_the_scenario(tmp_path):
    lengths = np.random.default_rng(3).uniform(0.005, 0.04, 200).tolist()
    log = written(tmp_path / "uneven.csv", game(None, lengths))
    run = tr.compare_with_logs(model(), {"mine": log}).runs[0]
    assert run.clock == "mine"
    assert run.drifts["top"].largest < 1e-6


def test_logs_are_compared_with_each_other(tmp_path):
    """The same drift as between two tables that are interpolated by hand."""
    files = [written(tmp_path / f"{rate}.csv", game(rate)) for rate in (60, 30, 144)]
    compared = tr.compare_logs(
        files, log_format=tr.LogFormat(wrap_x=(0, WIDTH), wrap_y=(0, HEIGHT))
    )
    assert [run.clock for run in compared.runs] == ["30 fps", "144 fps"]
    tables = {rate: np.array(game(rate)) for rate in (60, 30, 144)}
    for run, rate in zip(compared.runs, (30, 144), strict=True):
        t = run.drifts["craft"].t
        apart = []
        for column, size in ((1, WIDTH), (2, HEIGHT)):
            paths = [
                np.interp(t, tables[r][:, 0], np.unwrap(tables[r][:, column], period=size))
                for r in (rate, 60)
            ]
            off = paths[0] - paths[1]
            apart.append(off - size * np.round(off / size))
        np.testing.assert_allclose(run.drifts["craft"].distance, np.hypot(*apart), atol=1e-9)
        wraps = (np.abs(np.diff(tables[rate][:, 1:3], axis=0)) > 100).sum()
        assert len(run.flight.events) == wraps
    same = tr.compare_logs({"one": files[0], "two": files[0]}, against="two")
    assert same.agrees
    with pytest.raises(tr.UnknownNameError, match="no log 'three'; valid: one, two"):
        tr.compare_logs({"one": files[0], "two": files[0]}, against="three")


@pytest.mark.parametrize(
    ("form", "reading"),
    [
        ({"header": "time;pos_x;pos_y;fire", "between": ";"}, {}),
        ({"header": "t_ms\tpx\tpy\tfire", "between": "\t", "unit": 1e3}, {}),
        ({"header": "clock x y fire", "between": " ", "unit": 1e3}, {}),
        ({"header": "when,a,b,fire"}, {"columns": {"t": "when", "x": "a", "y": "b"}}),
        ({"later": 7.25}, {"align": "motion"}),
        ({"later": 7.25}, {"align": "keys"}),
        ({"header": None}, {}),
    ],
)
def test_logs_in_many_forms(form, reading, tmp_path):
    """Alike but for when they begin: with the first row, or the frame that first moved."""
    log = tr.read_log(written(tmp_path / "log.txt", game(60), **form), tr.LogFormat(**reading))
    rows = np.array(game(60))
    if "align" in reading:  # thrust begins in the frame that begins at 0.5 s, the 31st
        rows = rows[29:] - [0.5, 0, 0, 0]
    np.testing.assert_allclose(log.frames["t"], rows[:, 0], atol=1e-9)
    np.testing.assert_allclose(log.frames[["x", "y"]], rows[:, 1:3], atol=1e-9)
    if form.get("header", "") is not None:
        held = [name for name in log.frames if name.startswith("in.")]
        np.testing.assert_array_equal(log.frames[held[0]], rows[:, 3])
    assert any("is assumed to wrap from 0 to 320" in warning for warning in log.warnings)
    assert any("milliseconds" in warning for warning in log.warnings) == ("clock" in str(form))


def test_frame_times_several_craft_events_and_absences():
    """A table with the length of each frame, two craft, what happened, and gaps."""
    rows = []
    for n in range(4):
        rows.append({"dt": 0.02, "name": "tin", "x": 3.0 * n, "y": 1.0, "event": ""})
        gone = n == 3
        rows.append({"dt": 0.02, "name": "cork", "x": np.nan if gone else 5.0 - n, "y": 2.0})
        rows[-1]["event"] = "hit" if gone else ""
    log = tr.read_log(pd.DataFrame(rows))
    assert log.craft == ("tin", "cork")
    assert log.of("tin")["t"].tolist() == pytest.approx([0.02, 0.04, 0.06, 0.08])
    assert log.of("tin")["vx"].tolist() == pytest.approx([150] * 4)
    assert log.of("cork")["alive"].tolist() == [1, 1, 1, 0]
    assert log.events[["kind", "craft", "t", "frame"]].to_numpy().tolist() == [
        ["hit", "cork", pytest.approx(0.08), 3]
    ]


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "log.csv: is empty"),
        ("t,x,y,a\n", "no rows below its columns"),
        ("t,x\n0,1\n", r"no column for y among t, x; .* --columns y=t"),
        ("t,x,y\n0,1\n", "log.csv:2: has 2 columns, and the first line has 3"),
        ("t,x,y\n0,1,fast\n.1,2,3\n", "column 'y' holds 'fast' in row 1"),
        ("t,x,y\n0,1,1\n0,2,3\n", "'craft' does not go on from 0 s to 0 s"),
        (
            "t,x,y\n0,1,1\n.5,2,3\n" * 2,
            "'craft' begins anew after 0.5 s; does the file hold several",
        ),
        ("t,x,y\n0,1,1\n", "fewer than two frames"),
        ("t,x,x\n0,1,1\n", "two columns have the same name"),
        ("t,x,y\n0,,\n.1,,\n", "'craft' has no position in any row"),
        ("t,x,y\n0,inf,1\n.1,2,2\n", "column 'x' holds 'inf' in row 1"),
    ],
)
def test_invalid_logs_are_refused(text, said, tmp_path):
    path = tmp_path / "log.csv"
    path.write_text(text)
    with pytest.raises(tr.TrajectoryError, match=said):
        tr.read_log(path)


def test_the_command_line(cli, tmp_path):
    for rate in (30, 60):
        written(tmp_path / f"{rate}.csv", game(rate), header="zeit,x,y,thrust")
    tr.write_scenario(model(), tmp_path / "model.toml")
    told = ("--columns", "t=zeit", "--wrap-x", "0:320", "--wrap-y", "0:240")
    done = cli("compare", "60.csv", "30.csv", *told, "--out", "o")
    assert "0 of 1 run agrees with the log 60 fps within 2 px" in done.stdout.replace(
        "agree ", "agrees "
    )
    assert "warning" not in done.stderr
    assert (tmp_path / "o" / "paths.png").exists()
    beside = cli("compare", "model.toml", "--log", "30.csv", *told, "--fail-on", "drift")
    assert "1 of 1 run agrees with the scenario, flown on the frames of each log" in beside.stdout
    cli("run", "model.toml", "--frame-times", "30.csv", ok=False)
    assert (
        cli("compare", "60.csv", "30.csv", *told, "--fail-on", "outcome", ok=False).returncode == 1
    )
    for wrong, said in (
        (("60.csv", "model.toml"), "a log beside a scenario is given with --log"),
        (("60.csv",), "one log cannot be compared with itself"),
        (("60.csv", "30.csv", "--vary", "a=1"), "--vary has no meaning where logs are compared"),
        (("model.toml",), "--columns is for logs, and no log is given; leave it out"),
        (("60.csv", "30.csv", "--wrap-x", "9"), "'9' is not of the form low:high"),
        (("60.csv", "30.csv", "--wrap-x", "9:1"), "x cannot wrap from 9 to 1"),
    ):
        assert said in cli("compare", *wrong, "--columns", "t=zeit", ok=False).stderr


@pytest.mark.parametrize("rate", [24.0, 48.0, 60.0])
@pytest.mark.parametrize("name", ["rocket", "sparrow", "mouse", "popgun"])
def test_a_recorded_flight_is_a_log_that_agrees(name, rate, tmp_path):
    """Its rows hold the keys of the frame that begins there, unlike what a game prints."""
    game = tr.read_demo(name)
    flown = tr.simulate(game, rate=rate)
    tr.write_trajectory(flown, tmp_path / "flown.csv")
    for log in (flown, tmp_path / "flown.csv"):
        compared = tr.compare_with_logs(game, [log])
        assert compared.verdicts == ("agrees",)
        assert all(row["drift_max"] < 1e-6 for row in compared.rows if row["drift_max"] >= 0.0)


@pytest.mark.parametrize(
    ("headings", "noted"),
    [([0.1, 0.5, 3.0], True), ([1, 2, 3], False), ([20.5, 90.0, 95.5], False)],
)
def test_few_headings_within_a_turn_of_radians_get_a_note(headings, noted):
    """Three values do not reveal their unit: they are taken as degrees, with a note."""
    log = pd.DataFrame({"t": [0.0, 0.1, 0.2], "x": [1, 2, 4], "y": 0, "heading": headings})
    flight = tr.read_log(log)
    assert flight.frames["heading"].tolist() == headings
    assert any("--heading rad" in note for note in flight.warnings) is noted
