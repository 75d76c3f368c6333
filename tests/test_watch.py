"""Watching a scenario, what changed against the save before, and the folder of results."""

import json
import multiprocessing
import pickle
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor

import pytest

import tinrocket as tr
from tinrocket.cli.draw.pool import Studio
from tinrocket.cli.results import LIST, result_folder
from tinrocket.comparison.changes import changes_between
from tinrocket.scenario.differences import numbers_changed
from tinrocket.show.pictures import pictures_of

from .conftest import MOVE, scenario

WALLS = {"width": 100, "height": 100, "edges": "bounce"}


def slide(vx, duration=3.0, **rest):
    return scenario(MOVE, start={"vx": vx}, arena=WALLS, duration=duration, **rest)


def test_effects_of_a_change_are_reported():
    """At 40 px/s it turns at the wall after 2.5 s and is at 80, at 60 px/s it is back at 20."""
    before, after = (tr.compare(slide(vx, timing="frame"), [30, 60]) for vx in (40, 60))
    lines = changes_between(before, after)
    assert lines[0] == "top.start.vx 40 → 60"
    assert lines[1] == "top: top speed 40 → 60 px/s, path moved by up to 60 px, by 60 at the end"
    assert not any(line.startswith("60 fps") for line in lines)
    assert changes_between(after, after) == []


def test_a_change_that_cures_is_reported():
    """It bounces at 1 and 2 s; at 45 fps only once, at 90 a third time."""
    scenarios = [slide(100, timing=timing, duration=2.5) for timing in ("frame", "exact")]
    lines = changes_between(*(tr.compare(timed, [45, 90]) for timed in scenarios))
    assert lines[0] == "top.timing frame → exact"
    assert lines[1].startswith("45 fps: outcome differs → agrees, 1 missing bounce → 0, ")
    assert lines[2].startswith("90 fps: outcome differs → agrees, 1 extra bounce → 0, ")


@pytest.mark.parametrize(
    ("path", "value", "told"),
    [
        ("rocket.drag.half_life", 0.7, ("rocket.drag.half_life", "–", "0.7")),
        ("rocket.start.x", 7, ("rocket.start.x", "120", "7")),
        ("arena.width", 900, ("arena.width", "800", "900")),
        ("title", "x" * 60, ("title", "Tin rocket over the workbench", "x" * 39 + "…")),
    ],
)
def test_numbers_that_changed(path, value, told):
    game = tr.read_demo("rocket")
    changed = numbers_changed(game, tr.with_value(game, path, value))
    assert told in changed
    assert all(name.startswith(path.rpartition(".")[0]) for name, _old, _new in changed)
    assert numbers_changed(game, game) == []


def test_everything_pickles():
    compared = tr.compare(tr.read_demo("marble"), [30], vary={"timing": ["exact"]})
    again = pickle.loads(pickle.dumps(compared))
    assert again.table.equals(compared.table)
    assert again.events.equals(compared.events)
    assert again.warnings == compared.warnings
    assert again.runs[0].flight.trace(until=0.1).equals(compared.runs[0].flight.trace(until=0.1))
    assert again.base.frames.equals(compared.base.frames)


@pytest.mark.slow
def test_pictures_drawn_beside_are_the_same(tmp_path):
    compared = tr.compare(tr.read_demo("rocket"), [30])
    names = pictures_of(compared)
    for folder, beside in (("here", False), ("both", True)):
        (tmp_path / folder).mkdir()
        with Studio(beside=beside) as studio:
            studio.draw(compared, names, tmp_path / folder)
            studio.finish()
    for name in names:
        one, other = (
            (tmp_path / folder / f"{name}.png").read_bytes() for folder in ("here", "both")
        )
        assert one == other
    with Studio() as studio:
        studio.draw(compared, names, tmp_path / "nowhere")
        with pytest.raises(tr.FileError, match="cannot be written"):
            studio.finish()
    with Studio() as studio:  # a killed drawing process: the rest is drawn here
        studio.draw(compared, ["drift"], tmp_path)
        studio.finish()
        for hand in multiprocessing.active_children():
            hand.kill()
        studio.draw(compared, names, tmp_path)
        studio.finish()
    assert (tmp_path / "series.png").read_bytes() == (tmp_path / "here" / "series.png").read_bytes()
    for asked_before in (0.0, 0.05, 0.1, 0.2, 0.4):  # and while they are started, or draw
        with Studio() as studio:
            studio.draw(compared, ["drift"] * 3, tmp_path)
            time.sleep(asked_before)
            for hand in multiprocessing.active_children():
                hand.kill()
            studio.finish()
    assert (tmp_path / "drift.png").read_bytes() == (tmp_path / "here" / "drift.png").read_bytes()


@pytest.mark.slow
def test_a_folder_keeps_nothing_of_an_earlier_run(cli, tmp_path):
    """More variants leave more flights; what is not on the list is never touched."""
    cli("new", "one", "--from", "rocket")
    cli("compare", "one.toml", "--vary", "rocket.thrust.accel=300,400", "--out", "out")
    out = tmp_path / "out"
    (out / "mine.txt").write_text("mine")
    (out / "trajectories" / "mine.csv").write_text("mine")
    assert (out / "variants.png").exists()
    cli("compare", "one.toml", "--rates", "30", "--out", "out")
    flights = sorted(path.name for path in (out / "trajectories").iterdir())
    assert flights == ["mine.csv", "run-1.about.toml", "run-1.csv", "run-1.events.csv", "runs.csv"]
    assert not (out / "variants.png").exists()
    assert (out / "mine.txt").read_text() == "mine"
    # a spoilt list leads to no other folder
    (tmp_path / "outside.txt").write_text("mine")
    outside = ["../outside.txt", str(tmp_path / "outside.txt"), 7]
    (out / LIST).write_text(json.dumps({"files": outside}))
    cli("compare", "one.toml", "--rates", "30", "--out", "out")
    (out / LIST).write_text("no list")
    cli("compare", "one.toml", "--rates", "30", "--out", "out")
    assert (tmp_path / "outside.txt").exists()
    assert json.loads((out / LIST).read_text())["complete"]


def test_the_list_reveals_a_killed_run(tmp_path):
    """While files of two runs lie side by side, the list says that it is not complete."""
    with result_folder(tmp_path) as written:
        written.append(tmp_path / "one.csv")
        written[0].write_text("t\n")
    with pytest.raises(KeyboardInterrupt), result_folder(tmp_path):
        raise KeyboardInterrupt
    told = json.loads((tmp_path / LIST).read_text())
    assert (told["complete"], list(told["files"])) == (False, ["one.csv"])


def test_watching_a_file(tmp_path):
    """Saves are reported, also mistakes, and the next save is flown again."""
    path = tmp_path / "slide.toml"
    tr.write_scenario(slide(40, timing="frame"), path)
    process = subprocess.Popen(
        [sys.executable, "-m", "tinrocket", "watch", str(path), "--rates", "30"],
        stdout=subprocess.PIPE,
        stderr=subprocess.STDOUT,
        text=True,
        encoding="utf-8",
    )
    assert process.stdout is not None
    try:
        read_until(process.stdout, "watching")
        text = path.read_text()
        path.write_text(text.replace("vx = 40.0", "vx = 60.0"))
        assert "top.start.vx 40 → 60\n" in read_until(process.stdout, " s)")
        path.write_text(text.replace("vx = 40.0", "vx = fast"))
        assert "is not TOML" in "".join(read_until(process.stdout, "tinrocket:"))
        path.write_text(text)
        assert "top.start.vx 60 → 40\n" in read_until(process.stdout, " s)")
    finally:
        process.kill()
        process.wait()
        process.stdout.close()


def test_watching_prints_a_line_of_json_for_each_save(tmp_path, monkeypatch, cli):
    path = tmp_path / "slide.toml"
    tr.write_scenario(slide(40, timing="frame"), path)

    def saves(*_paths, **_options):
        path.write_text(path.read_text().replace("vx = 40.0", "vx = 60.0"))
        yield set()

    monkeypatch.setattr("watchfiles.watch", saves)
    first, second = cli("watch", path, "--rates", "30", "--json").stdout.splitlines()
    assert json.loads(first)["changes"] == []
    assert "top.start.vx 40 → 60" in json.loads(second)["changes"]
    assert json.loads(second)["runs"]


def read_until(stream, end):
    """Read lines up to one that has this in it."""
    lines = []
    while not lines or end not in lines[-1]:
        # a thread, because reading has no timeout
        reader = ThreadPoolExecutor(1)
        coming = reader.submit(stream.readline)
        reader.shutdown(wait=False)
        lines.append(coming.result(timeout=60))
        assert lines[-1], lines
    return lines
