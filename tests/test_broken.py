"""Broken files, hostile places and large numbers: a flight, or a sentence."""

import json
import os
import random
import shlex
import shutil
import stat
import subprocess
import sys
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

import tinrocket as tr
from tinrocket.files import replacing
from tinrocket.limits import VARIABLE
from tinrocket.scenario.toml_file import format_scenario, parse_scenario
from tinrocket.trajectory.check import read_columns, unquoted
from tinrocket.trajectory.csv_text import columns_of, csv_parts, write_csv

from .conftest import MOVE, scenario, tool, world

FUZZ = tool("fuzz")


@pytest.mark.slow
@pytest.mark.parametrize(
    "kind",
    ["scenario", "mixed", "named", "bytes", "tape", "frames", "flight", "pin", "log", "mask"],
)
@settings(max_examples=25)
@given(seed=st.integers(0, 2**32))
def test_any_content_of_a_file_gives_a_flight_or_an_error(kind, seed, tmp_path_factory):
    """The same mutants as tools/fuzz.py makes in thousands."""
    mutant, act = KINDS[kind](random.Random(seed), tmp_path_factory.mktemp("spoilt"))
    assert FUZZ.refused(act) == "", mutant


KINDS = FUZZ.kinds()


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (
            {"shape": {"radius": 8}},
            r"craft.top.shape: needs the key 'kind'; valid: circle",
        ),
        ({"name": "a\nb"}, r"craft.*name: must be a name that can be printed, not 'a\\nb'"),
        (
            {"shape": {"kind": "polygon", "points": [[0, 0], [8, 8], [8, 0], [0, 8]]}},
            r"is not convex at the corner",
        ),
        (
            {"shape": {"kind": "polygon", "points": [[0, 9], [5, -7], [-8, 3], [8, 3], [-5, -7]]}},
            r"crosses itself; give its corners in their order",
        ),
        ({"grid": {"columns": 1000, "rows": 1000, "step": [1, 1]}}, r"1,000,000 of them 'top'"),
        (
            {"grid": {"columns": 9, "rows": 2, "step": [60, 9]}, "start": {"x": 600, "y": 90}}
            | {"edges": "clamp"},
            r"top 8.start.x: 1020 is outside .*, and so are 3 more of 'top'; .* 0 and 1000",
        ),
    ],
)
def test_ordinary_mistakes(change, said):
    data = scenario(MOVE).model_dump(mode="json", exclude_none=True)
    data["craft"][0] |= change
    with pytest.raises(tr.ScenarioError, match=said):
        tr.Scenario.from_data(data)


@pytest.mark.parametrize(
    ("craft", "grid", "obstacles", "said"),
    [
        ("post", None, {"post": 3}, "post: something else has this name"),
        ("post 2", None, {"post": 3}, "post: something else is called 'post 2' as well as its"),
        ("post", (2, 1), {"post": 1}, "post: something else has this name"),
        ("tin", (2, 1), {"tin 2": 1}, "tin 2: something else has this name"),
        ("tin", None, {"post": 3, "post 3": 1}, "post: something else is called 'post 3'"),
        ("tin", (2, 1), {"post": 3, "tins": 2}, None),
    ],
)
def test_ambiguous_names_of_bodies_are_refused(craft, grid, obstacles, said):
    toy = {"name": craft, "start": {"x": 50, "y": 50}, "rules": [MOVE]}
    if grid:
        toy["grid"] = {"columns": grid[0], "rows": grid[1], "step": [9, 9]}
    dot = {"kind": "circle", "radius": 3}
    still = [
        {"name": name, "at": [90, 90], "rows": rows, "step": [0, 9], "shape": dot}
        for name, rows in obstacles.items()
    ]
    if said is None:
        assert len(world(toy, obstacle=still).bodies) == 7
        return
    with pytest.raises(tr.ScenarioError, match=f"obstacle.{said}"):
        world(toy, obstacle=still)


@pytest.mark.parametrize("text", ["x = " + "[" * 5000, "x = 1" + "0" * 5000, "x = {a = " * 2000])
def test_odd_toml(text, tmp_path):
    path = tmp_path / "odd.toml"
    path.write_text(text)
    with pytest.raises(tr.FileError, match=r"odd.toml: (is not TOML|cannot be read)"):
        tr.read_scenario(path)


def test_empty_lists_survive_a_file():
    """An empty list is read back as empty, not as the default."""
    data = scenario(MOVE).model_dump(mode="json", exclude_none=True)
    data |= {
        "rounds": {"resets": [], "lives": 3, "lives_of": "top"},
        "tape": {"holds": {"left": []}},
    }
    game = tr.Scenario.from_data(data | {"tape": {}})
    again = parse_scenario(format_scenario(game))
    assert game.rounds is not None
    assert again.rounds is not None
    assert again.rounds.resets == game.rounds.resets == ()
    assert again == game
    assert game != tr.Scenario.from_data(
        data | {"tape": {}, "rounds": {"lives": 3, "lives_of": "top"}}
    )


NAMES = st.text(st.characters(exclude_categories=["C", "Z"]), min_size=1, max_size=8)


@given(names=st.lists(NAMES, min_size=1, max_size=3, unique=True))
@example(names=["NA", "null", "nan"])
@example(names=["001", "=1+1", "-x"])
@example(names=["'=q", "@", "1e5"])
@example(names=["µ", "μ", "²"])
@settings(max_examples=15)
def test_names_survive_a_file(names, tmp_path_factory):
    top = scenario(MOVE, duration=0.1).craft[0]
    craft = tuple(top.replaced(name=name) for name in names)
    flight = tr.simulate(scenario(MOVE, duration=0.1).replaced(craft=craft), rate=20)
    path = tmp_path_factory.mktemp("names") / "flight.csv"
    tr.write_trajectory(flight, path)
    again = tr.read_trajectory(path)
    assert again.craft == tuple(names)
    assert again.frames.equals(flight.frames)
    cells = [line.split(",")[1] for line in path.read_text(encoding="utf-8").splitlines()]
    assert not any(cell.startswith(("=", "+", "-", "@")) for cell in cells)


TEXTS = st.text(max_size=4) | st.sampled_from(['a"b', "a,b", "a\nb", " ", "\r"])
FLOATS = st.floats() | st.sampled_from([0.0, -0.0, 1e16, 1e-5, 5e-324, 1e22])


@pytest.mark.slow
@given(rows=st.lists(st.tuples(st.integers(-(2**63), 2**63 - 1), FLOATS, TEXTS), max_size=6))
@example(rows=[(1, float("nan"), ""), (2, float("inf"), "x")])
def test_tables_are_written_as_pandas_writes_them(rows):
    table = pd.DataFrame(rows, columns=["n", "x, y", "text"])
    table = table.astype({"n": "int64", "x, y": "float64", "text": "str"})
    written = "".join(csv_parts(columns_of(table)))
    formulas = table["text"].str.startswith(tuple("=+-@'\t\r\n"))
    table["text"] = table["text"].where(~formulas, "'" + table["text"])
    assert written == table.to_csv(index=False, lineterminator="\n")


def test_texts_like_formulas_are_quoted_in_csv(tmp_path):
    table = pd.DataFrame({"craft": ["=1+1", "'x", "plain", "\tx"], "t": [-1.0, 2.0, 3.0, 4.0]})
    path = write_csv(columns_of(table), tmp_path / "one.csv")
    written = read_columns(path)
    assert written["craft"].tolist() == ["'=1+1", "''x", "plain", "'\tx"]
    assert written["t"].tolist() == table["t"].tolist()
    pd.testing.assert_frame_equal(unquoted(written), table)


@pytest.mark.parametrize(
    ("clock", "said"),
    [
        ({"rate": 60, "fixed_rate": 120, "hitches": [{"at": 0.5, "length": 3e7}]}, "GiB"),
        ({"rate": 1e6, "fixed_rate": 1e6}, None),
        ({"frame_times": [1e9], "fixed_rate": 1e6}, "GiB"),
        ({"substep": 1e-9}, "too long to record"),
    ],
)
def test_sizes_are_refused_before_anything_is_allocated(clock, said, monkeypatch):
    game = scenario(MOVE, clock=clock, duration=1.0)
    if said is None:
        assert len(tr.simulate(game).frames) == 10**6 + 1
        monkeypatch.setenv(VARIABLE, "0.01")
        said = f"with more memory, set {VARIABLE}"
    with pytest.raises(tr.OptionError, match=said):
        tr.simulate(game)


@pytest.mark.parametrize("what", ["pipe", "folder", "nul", "outside", "missing", "large"])
def test_files_outside_of_the_folder_are_refused(what, tmp_path, cli, monkeypatch):
    """Each is refused at once; one outside of the folder is read if that is allowed."""
    home = tmp_path / "home"
    home.mkdir()
    name = {"nul": "a\\u0000b", "outside": "../tape.csv"}.get(what, "tape.csv")
    held = scenario({"rule": "thrust", "accel": 9}, MOVE, tape={"holds": {"thrust": [[0, 1]]}})
    text = format_scenario(held).replace("[tape.holds]", "[tape]\nfile = 'tape.csv'\n[x.holds]")
    text = text[: text.index("[tape]")] + f'[tape]\nfile = "{name}"\n'
    (home / "one.toml").write_text(text)
    if what == "pipe":
        os.mkfifo(home / "tape.csv")
    elif what == "folder":
        (home / "tape.csv").mkdir()
    elif what == "large":
        (home / "tape.csv").write_text("t,action,value\n")
        monkeypatch.setattr("tinrocket.files.LARGEST_TEXT", 5)
        (home / "one.toml").write_text("")  # which is too large as well: the gate is one
        (home / "one.toml").write_text("x = 1.5")
    elif what == "outside":
        tr.write_tape(held.tape, tmp_path / "tape.csv")
    said = {
        "pipe": "it is a pipe or a device",
        "folder": "it is a directory",
        "nul": "is not the name of a file",
        "outside": "lies outside of the scenario's folder",
        "missing": "no such file",
        "large": "is too large",
    }[what]
    done = cli("run", "home/one.toml", ok=False)
    assert done.returncode == 2
    assert said in done.stderr
    if what == "outside":
        assert "flew" in cli("run", "home/one.toml", "--allow-outside").stdout


def test_messages_are_lines_that_can_be_printed():
    error = tr.OptionError("a\x1b[31m\nb\x00" + "c" * 5000)
    assert str(error).startswith(r"a\x1b[31m\nb\x00ccc")
    assert len(str(error)) <= 400
    many = tr.ScenarioError([tr.Problem("x", f"is {n}") for n in range(5000)])
    assert len(str(many).splitlines()) == 41
    assert len(many.problems) == 5000


COMMANDS = [("--help",), ("run", "one.toml"), ("compare", "one.toml", "--json"), ("schema",)]


@pytest.mark.skipif(not Path("/dev/full").exists(), reason="there is no full device")
@pytest.mark.parametrize("command", COMMANDS)
def test_a_full_device_gives_a_one_line_error(command, tmp_path, cli):
    cli("new", "one", "--from", "rocket")
    with Path("/dev/full").open("w") as full:
        done = subprocess.run(
            [sys.executable, "-m", "tinrocket", *command],
            cwd=tmp_path,
            stdout=full,
            stderr=subprocess.PIPE,
            text=True,
            check=False,
        )
    assert done.returncode == 2
    assert done.stderr == "tinrocket: the output cannot be written: no space left on device\n"


@pytest.mark.slow
def test_files_are_written_though_the_reader_closes_the_pipe(tmp_path, cli):
    cli("new", "one", "--from", "rocket")
    call = [sys.executable, "-u", "-m", "tinrocket", "compare", "one.toml", "--out", "o"]
    with subprocess.Popen(
        call, cwd=tmp_path, stdout=subprocess.PIPE, stderr=subprocess.PIPE
    ) as run:
        run.stdout.close()
        assert run.stderr.read() == b""
    told = json.loads((tmp_path / "o" / ".tinrocket-files.json").read_text())
    assert told["complete"]
    assert {"drift.csv", "series.png", "trajectories/run-1.csv"} <= set(told["files"])
    assert all((tmp_path / "o" / name).is_file() for name in told["files"])
    for spoilt in ("[" * 9000, '{"files": ["", "\\u0000", "trajectories", 3]}', "{}"):
        (tmp_path / "o" / ".tinrocket-files.json").write_text(spoilt)
        cli("compare", "one.toml", "--rates", "60", "--out", "o")
        assert json.loads((tmp_path / "o" / ".tinrocket-files.json").read_text())["complete"]


@pytest.fixture(scope="module")
def usual(tmp_path_factory):
    """Return a folder with a scenario, and the results of comparing it in `usual`."""
    folder = tmp_path_factory.mktemp("usual")
    tr.write_scenario(tr.read_demo("rocket"), folder / "one.toml")
    command = [sys.executable, "-m", "tinrocket", "compare", "one.toml", "--rates", "60"]
    subprocess.run([*command, "--out", "usual"], cwd=folder, check=True, capture_output=True)
    return folder


@pytest.mark.slow
@pytest.mark.skipif(os.name != "posix", reason="as a POSIX shell does it")
@pytest.mark.parametrize(
    "place", ["<&-", ">&-", "2>&-", "<&- >&- 2>&-", "ulimit -v 1500000", "ulimit -v 9000000"]
)
def test_closed_streams_and_little_memory_to_reserve(place, usual):
    """A full run all the same; with less than 4 GiB of addresses the same bits, slower."""
    odd = (
        f"odd {place}".replace(" ", "-").replace("&", "and").replace(">", "out").replace("<", "in")
    )
    command = f"{shlex.quote(sys.executable)} -m tinrocket compare one.toml --rates 60 --out {odd}"
    line = f"{command} {place}" if "&" in place else f"{place}; {command}"
    subprocess.run(["sh", "-c", line], cwd=usual, check=True, capture_output=True)
    for kept in json.loads((usual / "usual" / ".tinrocket-files.json").read_text())["files"]:
        assert (usual / odd / kept).read_bytes() == (usual / "usual" / kept).read_bytes()


def test_a_terminal_of_few_letters_and_an_odd_backend(tmp_path, cli):
    """Dashes and arrows are plain letters then; the plotting library's settings do not matter."""
    cli("new", "one", "--from", "rocket")
    odd = {"PYTHONIOENCODING": "ascii", "MPLBACKEND": "nonsense", "HOME": "/nowhere"}
    done = subprocess.run(
        [sys.executable, "-m", "tinrocket", "compare", "one.toml", "--rates", "60", "--out", "o"],
        cwd=tmp_path,
        env=os.environ | odd,
        capture_output=True,
        check=True,
    )
    assert b"agrees          same              -    0.00" in done.stdout
    assert done.stderr == b""


def test_half_written_files_are_removed(tmp_path, cli):
    """Files get the permissions that files of the user's have, whatever the process's mask is."""
    cli("new", "one", "--from", "rocket")
    (tmp_path / "o").mkdir()
    with replacing(tmp_path / "o" / "drift.csv") as partial:
        shutil.copy(partial, tmp_path / "kept")
    shutil.move(tmp_path / "kept", partial)
    (tmp_path / "o" / "drift.csv").unlink()
    before = os.umask(0o027)
    try:
        cli("compare", "one.toml", "--rates", "60", "--out", "o")
    finally:
        os.umask(before)
    assert not list((tmp_path / "o").glob("*partial*"))
    assert not list((tmp_path / "o").glob(".*partial*"))
    assert stat.S_IMODE((tmp_path / "o" / "drift.csv").stat().st_mode) == 0o640


def fly_with_cache(folder):
    """Return what a process prints of a flight, with its compiled modules in a folder."""
    call = [
        sys.executable,
        "-c",
        "import tinrocket as tr; print(tr.simulate(tr.read_demo('rocket')))",
    ]
    return subprocess.run(
        call,
        env=os.environ | {"TINROCKET_CACHE": str(folder)},
        capture_output=True,
        text=True,
        check=True,
        timeout=60,
    ).stdout


@pytest.fixture(scope="module")
def cached(tmp_path_factory):
    """Return a cache after a flight, and what the flight printed."""
    folder = tmp_path_factory.mktemp("cached")
    return folder, fly_with_cache(folder)


@pytest.mark.slow
@pytest.mark.parametrize("spoilt", ["empty", "cut", "flipped", "pipe", "folder", "device"])
def test_a_spoilt_cache_is_rebuilt(spoilt, tmp_path, cached):
    """A compiled module is data with a digest: one that is not whole is not used."""
    shutil.copytree(cached[0], tmp_path, dirs_exist_ok=True)
    good = cached[1]
    (kept,) = (path for path in tmp_path.rglob("*") if path.is_file())
    data = kept.read_bytes()
    kept.unlink()
    if spoilt == "pipe":
        os.mkfifo(kept)
    elif spoilt == "folder":
        kept.mkdir()
    elif spoilt == "device":
        kept.symlink_to("/dev/zero")
    else:
        middle = len(data) // 2
        flipped = data[:middle] + bytes([data[middle] ^ 1]) + data[middle + 1 :]
        kept.write_bytes({"empty": b"", "cut": data[:middle], "flipped": flipped}[spoilt])
    assert fly_with_cache(tmp_path) == good


def test_a_recorded_flight_is_checked_whole(tmp_path):
    flight = tr.simulate(scenario(MOVE, start={"vx": 9}), rate=10)
    path = tmp_path / "flight.csv"
    for column, row, value, said in (
        ("t", 3, 0.0, "does not go on from 0.2 s to 0 s"),
        ("x", 2, np.inf, "column 'x' holds inf in row 3"),
        ("frame", 2, 2.5, "something else than whole numbers"),
        ("craft", 5, "other", "not one after the other"),
        ("craft", 5, "", "something else than names"),
    ):
        tr.write_trajectory(flight, path)
        table = pd.read_csv(path).astype({"frame": float})
        table.loc[row, column] = value
        table.to_csv(path, index=False)
        with pytest.raises(tr.TrajectoryError, match=said):
            tr.read_trajectory(path)


MISUSED = {
    "rates in a list, such as .*, not 30": lambda game: tr.compare(game, 30),
    "rates in a list, such as .*, not '30,60'": lambda game: tr.feel(game, "30,60"),
    "numbers as frame rates, .*, not '60'": lambda game: tr.explain(game, [30, "60"]),
    "numbers as frame rates, .*, not None": lambda game: tr.pin(game, [None]),
    "clocks in a list": lambda game: tr.compare(game, clocks=tr.Clock(rate=30)),
    "among its clocks, compare.. takes a Clock, not an int": lambda game: tr.compare(
        game, (), [30]
    ),
    "takes a Clock, not an int; make one": lambda game: tr.simulate(game, clock=60),
    "a dict of paths and values": lambda game: tr.compare(game, [30], vary=["rocket.radius"]),
    "give a list of values to vary it over": lambda game: tr.sweep(game, {"rocket.radius": None}),
    "the tolerance is a number": lambda game: tr.compare(game, [30], tolerance="2"),
    "write_scenario.. takes a Scenario, not a Traj": lambda game: tr.write_scenario(fly(game), "x"),
    "write_trajectory.. takes a Trajectory, not a S": lambda game: tr.write_trajectory(
        game, "x.csv"
    ),
    "find_cures.. takes a Causes, not a Scenario": tr.find_cures,
    "measure_drift.. takes a Traj": lambda game: tr.measure_drift(fly(game), game, "rocket"),
    "there is no craft '3'": lambda game: fly(game).track(3),
    "no craft '.3.'": lambda game: fly(game).at(1.0, [3]),
    "a moment is a number of seconds, or a list of some, not 'x'": lambda game: fly(game).at("x"),
    "Flight.. takes a Scenario, not the text": lambda game: tr.Flight(game.title),
    "step.. takes a Mapping, not a list": lambda game: tr.Flight(game).step(["thrust"]),
    "input 'thrust' is a number, not 'x'": lambda game: tr.Flight(game).step({"thrust": "x"}),
    "length of a step is a number": lambda game: tr.Flight(game).step({}, "x"),
    "state.. takes a str, not a list; .* valid: rocket": lambda game: tr.Flight(game).state([]),
    "a path is a text such as": lambda game: tr.Flight(game).set(3, 1.0),
    "restore.. takes a Snapshot": lambda game: tr.Flight(game).restore(game),
    "a sweep varies numbers": lambda game: tr.sweep(game, {"rocket.thrust.accel": [[1.0]]}),
    "how many threads is a number": lambda game: tr.sweep(game, {"rocket.radius": 3}, threads="x"),
    "since is a number, not 'x'": lambda game: tr.trace(game, since="x"),
    "trace.clock=.* takes a Clock, not an int": lambda game: tr.trace(game, clock=60),
    "trace.craft=.* takes a str, not a list": lambda game: tr.trace(game, ["rocket"]),
    "feel.perceptible=.* takes a Perceptible": lambda game: tr.feel(game, perceptible=5),
    "feel.uneven=.* takes an Uneven, not the text": lambda game: tr.feel(game, uneven="jitter"),
    "the tolerance is a number of px, not None": lambda game: tr.explain(game, tolerance=None),
    "names of checks in a list, not 3": lambda game: tr.check(game, select=3),
    "there is no check 'tunnel'; did you mean": lambda game: tr.check(game, select="tunnel"),
}


def fly(game):
    return tr.simulate(game)


@pytest.mark.parametrize("said", MISUSED)
def test_arguments_of_a_wrong_type_name_the_right_one(said):
    with pytest.raises(tr.TinRocketError, match=said):
        MISUSED[said](tr.read_demo("rocket"))


def test_a_single_value_counts_as_a_list_of_one():
    game = tr.read_demo("rocket")
    alone, listed = (tr.compare(game, [30], vary={"timing": how}) for how in ("dt", ["dt"]))
    assert str(alone) == str(listed)
