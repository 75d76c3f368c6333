"""What files, folders and caches from strangers can and cannot do."""

import contextlib
import io
import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import tinrocket as tr
from tinrocket.cli.output import echo
from tinrocket.cli.results import LIST, result_folder
from tinrocket.cli.safe_console import SafeConsole
from tinrocket.files import replacing, replacing_all
from tinrocket.language import cache
from tinrocket.ownership import seal
from tinrocket.texts import json_text

from .conftest import MOVE, Cli, scenario

COMMAND = shutil.which("tinrocket", path=Path(sys.executable).parent)
FLY = "import tinrocket as tr; print(tr.simulate(tr.read_demo('rocket')).frames.x.sum())"


@pytest.mark.slow
@pytest.mark.parametrize(
    "arguments", [["demo"], ["compare", "toy.toml", "--out", "out"], ["why", "toy.toml"]]
)
def test_no_module_of_the_current_folder_is_executed(tmp_path, arguments):
    assert COMMAND is not None
    planted = f"open({str(tmp_path / 'executed')!r}, 'a').write(__name__)\n"
    for name in ("multiprocessing", "numpy", "matplotlib", "tinrocket", "signal", "socket"):
        (tmp_path / f"{name}.py").write_text(planted)
    tr.write_scenario(tr.read_demo("rocket"), tmp_path / "toy.toml")
    subprocess.run([COMMAND, *arguments], cwd=tmp_path, check=True, capture_output=True)
    assert not (tmp_path / "executed").exists()


def planted_folder(tmp_path: Path) -> tuple[Path, list[Path]]:
    """Return a folder of results, and files in it and outside that no run has written."""
    out, victim = tmp_path / "out", tmp_path / "victim"
    victim.mkdir()
    with result_folder(out) as written:
        written.append(out / "old.csv")
        written[0].write_text("old")
    mine = [victim / "precious.csv", victim / "run-1.csv", out / "changed.csv", out / "kept.csv"]
    mine += [out / ".notes.partial.csv", out / f".x-{'0' * 28}.partial.csv"]
    for path in mine:
        path.write_text("old")
    (out / "link").symlink_to(victim)
    (out / "file.csv").symlink_to(victim / "precious.csv")
    return out, [*mine, out / "link", out / "file.csv"]


def test_only_what_a_run_has_written_is_deleted_and_never_through_a_link(tmp_path):
    out, mine = planted_folder(tmp_path)
    files = json.loads((out / LIST).read_text())["files"]
    (digest,) = files.values()
    names = ["link/precious.csv", "file.csv", "link", "../victim/run-1.csv", "kept.csv/../kept.csv"]
    planted = files | dict.fromkeys(names, digest) | {"changed.csv": "0" * 64, "kept.csv": ["old"]}
    (out / LIST).write_text(json.dumps({"files": planted}))
    with replacing(out / "killed.csv") as partial:
        left = out / partial.name.replace("killed", "left")
        left.write_text("half")
    with result_folder(out):
        pass
    assert all(path.exists() for path in mine)
    assert not (out / "old.csv").exists()  # which the list named with its digest
    assert not left.exists()  # half-written by this user's own run


def test_nothing_is_written_through_a_linked_folder(tmp_path, cli: Cli):
    out, mine = planted_folder(tmp_path)
    (out / "trajectories").symlink_to(tmp_path / "victim")
    cli("new", "toy", "--from", "rocket")
    done = cli("compare", "toy.toml", "--rates", "30", "--out", "out", ok=False)
    assert done.returncode == 2
    assert "trajectories: is a link; results are neither written nor deleted" in done.stderr
    assert sorted(path.name for path in (tmp_path / "victim").iterdir()) == [
        "precious.csv",
        "run-1.csv",
    ]
    assert all(path.read_text() == "old" for path in mine if path.is_file())


def test_a_cache_keeps_to_its_own_folder_and_files(tmp_path, monkeypatch):
    monkeypatch.setenv("TINROCKET_CACHE", str(tmp_path / "photos"))
    monkeypatch.setattr(cache, "MOST_FILES", 4)
    (tmp_path / "photos").mkdir()
    photos = [tmp_path / "photos" / f"{n:040x}" for n in range(9)]
    cache.keep("0" * 40, b"code")
    photos += [cache.folder() / f"photo-{n}.jpg" for n in range(9)]
    for path in photos:
        path.write_text("a photo")
    for n in range(9):
        cache.keep(f"{n:040x}", b"code")
    assert all(path.exists() for path in photos)
    assert len(list(cache.folder().glob("*.module"))) <= 4
    assert cache.folder().stat().st_mode & 0o777 == 0o700


@pytest.fixture(scope="module")
def cached(tmp_path_factory):
    """Return a cache after a flight, and what the flight printed."""
    folder = tmp_path_factory.mktemp("cached") / "cache"
    environment = os.environ | {"TINROCKET_CACHE": str(folder)}
    call = [sys.executable, "-c", FLY]
    done = subprocess.run(call, env=environment, capture_output=True, text=True, check=True)
    return folder, done.stdout


@pytest.mark.slow
@pytest.mark.parametrize(
    ("spoil", "said"),
    [
        (lambda place: place.chmod(0o775), "can be written by other users; run: chmod go-w"),
        (lambda place: place.parent.chmod(0o777), "can be written by other users"),
        (lambda place: next(place.iterdir()).chmod(0o666), "can be written by other users"),
        (lambda place: os.chown(place, 12345, -1), "belongs to another user"),
        (lambda place: os.chown(next(place.iterdir()), 12345, -1), "belongs to another user"),
        (lambda place: place.rename(place.with_name("x")).symlink_to("x"), "is a link"),
    ],
)
def test_cached_code_that_others_could_write_is_not_executed(
    spoil, said, tmp_path, monkeypatch, cached
):
    if "another user" in said and os.geteuid() != 0:
        pytest.skip("only root can give a file away")
    monkeypatch.setenv("TINROCKET_CACHE", str(tmp_path / "cache"))
    shutil.copytree(cached[0], tmp_path / "cache")
    place = cache.folder()
    if said == "is a link":
        place.rename(place.with_name("x"))
        place.symlink_to("x")
    else:
        spoil(place)
    call = [sys.executable, "-c", FLY]
    after = subprocess.run(call, capture_output=True, text=True, check=True)
    assert after.stdout == cached[1]
    assert "compiled code is not kept" in after.stderr
    assert said in after.stderr


def test_cached_code_is_sealed_for_its_name_and_user(tmp_path, monkeypatch):
    """Two entries in each other's place, and code sealed with another key, are not run."""
    monkeypatch.setenv("TINROCKET_CACHE", str(tmp_path))
    cache.keep("one", b"first")
    cache.keep("two", b"second")
    one, two = (cache.folder() / f"{name}.module" for name in ("one", "two"))
    swapped = one.read_bytes(), two.read_bytes()
    two.write_bytes(swapped[0])
    one.write_bytes(swapped[1])
    assert (cache.kept("one"), cache.kept("two")) == (None, None)
    cache.keep("one", b"first")
    mine = seal(b"x")
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "another user"))
    assert cache.kept("one") is None
    assert seal(b"x") != mine
    assert (tmp_path / "another user" / "tinrocket" / "key").stat().st_mode & 0o777 == 0o600


HOSTILE = "\x1b[31mred\x9b2J\x07\x00\r::error::no\u202e\u2028"


def is_harmless(text: str) -> bool:
    lines = text.split("\n")
    return all(line.isprintable() and not line.strip().startswith("::") for line in lines)


@given(text=st.text())
def test_output_has_no_effect_on_terminals_and_build_servers(text):
    for hostile in (
        text,
        HOSTILE,
        f"::warning::{text}",
        f"  ::x::\n::{text}",
        f"a\n##[error]{text}",
    ):
        screen = io.StringIO()
        with contextlib.redirect_stdout(screen):
            echo(hostile)
        SafeConsole(file=screen).print(hostile, markup=False, highlight=False, soft_wrap=True)
        said = screen.getvalue()
        assert is_harmless(said)
        assert "##[" not in said
        assert json.loads(json_text({"x": hostile})) == {"x": hostile}
        assert is_harmless(json_text([hostile]))


def test_texts_of_files_are_escaped_wherever_they_are_shown(tmp_path, cli: Cli):
    game = scenario(MOVE, start={"vx": 40}, title=HOSTILE)
    tr.write_scenario(game, tmp_path / "one.toml")
    log = "t,x,y,event\n" + "\n".join(f'{n / 60},{n},0,"{HOSTILE}"' for n in range(1, 30))
    (tmp_path / "log.csv").write_text(log, newline="")
    cli("pin", "one.toml", "--rates", "60")
    pin = (tmp_path / "one.pin.toml").read_text()
    (tmp_path / "other.pin.toml").write_text(pin.replace("top", "t\\u001B[31mop"))
    for arguments in (
        ["run", "one.toml", "--csv", "one.csv", "--plot", "one.png"],
        ["run", "one.toml", "--json"],
        ["compare", "one.toml", "--rates", "30", "--json"],
        ["compare", "one.toml", "--log", "log.csv", "--out", "out"],
        ["check", "one.toml", "--pinned", "other.pin.toml"],
        ["check", "one.toml", "--format", "json"],
        ["trace", "one.toml", "--frames", "2", "--json"],
        ["why", "one.toml", "--json"],
    ):
        done = cli(*arguments, ok=False)
        assert done.returncode in (0, 1, 2), arguments
        assert "Traceback" not in done.stderr
        assert is_harmless(done.stdout), arguments
        assert is_harmless(done.stderr), arguments
    flight = tr.simulate(game)
    for shown in (game, flight, tr.compare(game, [30]), tr.explain(game, [30])):
        assert is_harmless(repr(shown))
        assert is_harmless(str(shown))
    assert tr.read_trajectory(tmp_path / "one.csv").title == game.title


@pytest.mark.slow
@pytest.mark.parametrize("ending", ["csv", "trace"])
def test_no_text_of_a_table_is_a_formula(ending, tmp_path, cli: Cli):
    cli("new", "=1+1", "--from", "rocket")
    (tmp_path / "=1.csv").write_text("ms\n" + "17\n" * 700)
    if ending == "trace":
        cli("trace", "=1+1.toml", "--csv", "trace.csv", "--each-rule", "--frames", "9")
    else:
        cli("compare", "=1+1.toml", "--rates", "30", "--frame-times", "=1.csv", "--out", "out")
        cli("why", "=1+1.toml", "--rates", "30", "--frame-times", "=1.csv", "--out", "out")
        cli("feel", "=1+1.toml", "--rates", "30", "--frame-times", "=1.csv", "--out", "out")
    tables = [path for path in tmp_path.rglob("*.csv") if path.name != "=1.csv"]
    assert tables
    for path in tables:
        table = pd.read_csv(path, dtype=str, keep_default_na=False)
        for name in table.columns:
            numbers = pd.to_numeric(table[name], errors="coerce").notna()
            texts = [name, *table.loc[~numbers, name].unique()]
            assert not any(text.startswith(("=", "+", "-", "@", "\t")) for text in texts), path


def test_a_file_that_is_replaced_keeps_its_mode(tmp_path, cli: Cli):
    tr.write_scenario(scenario(MOVE, start={"vx": 40}), tmp_path / "one.toml")
    cli("pin", "one.toml")
    path = tmp_path / "one.pin.toml"
    for mode in (0o600, 0o640, 0o444):
        path.chmod(mode)
        cli("check", "one.toml", "--pinned", "one.pin.toml", "--accept")
        assert path.stat().st_mode & 0o777 == mode


@pytest.mark.parametrize("step", range(6))
def test_frames_never_lie_beside_events_of_another_run(step, tmp_path, monkeypatch):
    """Killed before any move of a file, a run leaves all old files, all new, or no frames."""
    paths = [tmp_path / name for name in ("events", "note", "frames")]
    for path in paths:
        path.write_text("old")
    moves = 0

    def replace(self, target, move=Path.replace):
        nonlocal moves
        if moves == step:
            os._exit(9)
        moves += 1
        return move(self, target)

    child = os.fork()
    if child == 0:
        monkeypatch.setattr(Path, "replace", replace)
        with replacing_all(paths) as temporary:
            for file in temporary:
                file.write_text("new")
        os._exit(0)
    os.waitpid(child, 0)
    found = [path.read_text() if path.exists() else "" for path in paths]
    assert found[2] == "" or len(set(found)) == 1
    lost = {path.read_text() for path in tmp_path.iterdir() if path not in paths}
    assert found[2] == "new" or "old" in {found[2], *lost}  # the old frames are still there


ASKED = {
    "speed > 300 and vy < 0": lambda t: (t.speed > 300) & (t.vy < 0),
    "not `in.thrust` > 0 or x - 2 * y >= -50.5": lambda t: (
        ~(t["in.thrust"] > 0) | (t.x - 2 * t.y >= -50.5)
    ),
    "100 < x <= 400 != y": lambda t: (t.x > 100) & (t.x <= 400) & (t.y != 400),
    "(x // 10) % 2 == 1": lambda t: (t.x // 10) % 2 == 1,
    "-x ** 2 / 3 < -9000": lambda t: -(t.x**2) / 3 < -9000,
    "True and 1e3 > speed": lambda t: t.speed < 1e3,
}


@pytest.mark.parametrize("asked", ASKED)
def test_a_query_equals_numpy(asked):
    flight = tr.simulate(tr.read_demo("rocket"))
    so = ASKED[asked](flight.frames).to_numpy()
    spans = flight.when(asked)
    again = np.zeros_like(so)
    for frame, frames in zip(spans["frame"], spans["frames"], strict=True):
        again[frame : frame + frames] = True
    assert so.any()
    np.testing.assert_array_equal(again, so)


@pytest.mark.parametrize(
    ("asked", "said"),
    [
        ("@pd.io.common.os.system('touch x') == 0", "is not a comparison"),
        ("__import__('os').system('touch x') == 0", "cannot hold '__import__"),
        ("x.__class__ == 1", "cannot hold 'x.__class__'"),
        ("x[0] > 1", r"cannot hold 'x\[0\]'"),
        ("(lambda: 1)() > 0", "cannot hold"),
        ("[y for y in (1,)] > 0", "cannot hold"),
        ("f'{x}' == 'a'", "cannot hold"),
        ("(y := 3) > x", "cannot hold"),
        ("x in (1, 2)", "write <, <=, >"),
        ("sped > 3", "did you mean 'speed'"),
        ("speed", "compares nothing"),
        ("speed and x > 3", "'speed' is a number; compare it"),
        ("(x > 3) + 1 > 0", "is so or not, and no number"),
        ("x > " + "9" * 400, "too large"),
        ("9 ** 9 ** 9 ** 9 > x", None),
        ("(" * 4000 + "x" + ")" * 4000 + " > 1", "is not a comparison|nests too deeply"),
        ("-" * 9000 + "x > 1", "is not a comparison|nests too deeply"),
        ("x > 1" + " " * 10_000, "is longer than"),
    ],
)
def test_a_query_runs_no_code(asked, said, tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    flight = tr.simulate(scenario(MOVE, start={"vx": 40}))
    if said is None:
        flight.when(asked)
        return
    with pytest.raises(tr.OptionError, match=said):
        flight.when(asked)
    assert not list(tmp_path.iterdir())
