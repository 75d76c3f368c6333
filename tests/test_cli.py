"""The command line, run as a user would."""

import json
import math
import os
import subprocess
import sys

import pandas as pd
import pytest
import tomli_w

import tinrocket as tr
from tinrocket.demos import demo_text

from .conftest import Cli

FILES = [
    "drift.csv",
    "drift.png",
    "events.csv",
    "paths.png",
    "series.png",
    "timeline.png",
    "trajectories",
    "variants.png",
]


@pytest.mark.slow
def test_demo_writes_its_files_and_names_them(cli: Cli, tmp_path):
    done = cli("demo")
    out = tmp_path / "tinrocket-out"
    assert sorted(path.name for path in out.iterdir()) == [".tinrocket-files.json", *FILES]
    for name in FILES:
        assert f"wrote {os.path.join('tinrocket-out', name)}" in done.stdout  # noqa: PTH118
    table = pd.read_csv(out / "drift.csv")
    assert len(table) == 9
    assert "outcome differs" in done.stdout
    assert (
        "5 of 9 runs agree with the run tuned at 60 fps within 2 px; 2 drift, 2 with" in done.stdout
    )
    assert "\x1b" not in done.stdout  # no colour into a pipe
    runs = pd.read_csv(out / "trajectories" / "runs.csv").set_index(["variant", "clock"])
    assert len(runs) == 9
    read = tr.read_trajectory(out / "trajectories" / runs["file"]["timing=exact", "144 fps"])
    again = tr.simulate(tr.read_demo("rocket").with_timing("exact"), rate=144)
    assert read.frames.equals(again.frames)


@pytest.mark.slow
def test_new_run_and_compare(cli: Cli, tmp_path):
    assert "wrote Käfer.toml" in cli("new", "Käfer").stdout
    before = (tmp_path / "Käfer.toml").read_text(encoding="utf-8")
    assert before.count("#") > 10
    assert 'title = "Käfer"' in before
    refused = cli("new", "Käfer", ok=False)
    assert (refused.returncode, refused.stdout) == (2, "")
    assert "exists already and is left as it is" in refused.stderr
    assert (tmp_path / "Käfer.toml").read_text(encoding="utf-8") == before
    cli("new", "mine", "--from", "rocket")
    assert tr.read_scenario(tmp_path / "mine.toml").craft == tr.read_demo("rocket").craft

    done = cli("run", "mine.toml", "--rate", "30", "--csv", "mine.csv", "--plot", "mine.svg")
    assert "mine: 330 frames in 11 s, 30 fps" in done.stdout
    assert tr.read_trajectory(tmp_path / "mine.csv").rate == 30
    assert (tmp_path / "mine.svg").stat().st_size > 1000
    assert tr.read_scenario(tmp_path / "mine.toml").title == "mine"  # the note is another file

    (tmp_path / "frames.csv").write_text("ms\n15\n18\n")
    done = cli(
        *("compare", "mine.toml", "--rates", "50", "--frame-times", "frames.csv", "--json"),
        *("--against", "fine", "--vary", "rocket.drag.half_life=0.4,0.8", "--tolerance", "5"),
        *("--out", "here/there"),
    )
    said = json.loads(done.stdout)
    assert [run["clock"] for run in said["runs"]] == ["50 fps", "frames"] * 2
    game = tr.with_value(tr.read_demo("rocket"), "rocket.drag.half_life", 0.8)
    run = tr.compare(game, [50], against="fine", tolerance=5).table.iloc[0]
    assert said["runs"][2]["drift_max"] == pytest.approx(run["drift_max"])
    assert said["tolerance"] == 5
    assert (tmp_path / "here" / "there" / "paths.png").exists()
    shown = cli("compare", "mine.toml", "--rates", "60").stdout
    assert "1 of 1 run agrees" in shown
    assert math.isnan(tr.compare(tr.read_demo("rocket"), [60]).table["diverges_at"].iloc[0])


@pytest.mark.parametrize("name", tr.demo_names())
def test_run_prints_every_craft_of_a_demo(cli: Cli, name):
    cli("new", "toy", "--from", name)
    done = cli("run", "toy.toml", "--rate", "30")
    assert all(line.startswith("warning: ") for line in done.stderr.splitlines())
    assert all(f"{craft.name}: " in done.stdout for craft in tr.read_demo(name).craft)


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["run", "none.toml"], "none.toml: cannot be read: no such file"),
        (["run", "s.toml", "--rate", "-5"], "--rate: '-5' is not a frame rate"),
        (["compare", "s.toml", "--rates", "60,x"], "'x' is not a frame rate"),
        (["compare", "s.toml", "--rates", "60", "--vary", "rocket.drg.keep=1"], "mean 'drag'"),
        (["compare", "s.toml", "--vary", "rocket.drag.keep"], "must look like rocket.drag.half"),
        (["compare", "s.toml", "--against", "fien"], "did you mean 'fine'"),
        (["compare", "s.toml", "--frame-times", "zero.csv"], "line 3: a frame's length must be"),
        (["compare", "s.toml", "--frame-times", "s.toml"], "must name one column and its unit"),
        (["compare", "s.toml", "--out", "s.toml/x"], "s.toml/x: cannot be made a directory"),
        (["run", "s.toml", "--csv", "no/where.csv"], "no/where.csv: cannot be written"),
        (["run", "s.toml", "--plot", "x.gif"], "a picture's file must end in .png"),
        (
            ["run", "s.toml", "--rate", "1000000"],
            "too long to record",
        ),
        (["demo", "rockt"], "there is no demo 'rockt'; did you mean 'rocket'?"),
        (["demo", "--out", "s.toml"], "s.toml: cannot be made a directory"),
        (
            ["new", "x", "--from", "nothing"],
            "there is no demo 'nothing'; valid: ladybird, marble, mouse",
        ),
        (["fly"], "No such command 'fly'"),
    ],
)
def test_invalid_input_prints_one_line_and_exits_with_2(cli: Cli, tmp_path, arguments, said):
    long = "36000" if "1000000" in arguments else "11.0"
    text = demo_text("rocket").replace("duration = 11.0", f"duration = {long}")
    (tmp_path / "s.toml").write_text(text)
    (tmp_path / "zero.csv").write_text("ms\n16\n0\n")
    done = cli(*arguments, ok=False)
    assert done.returncode == 2
    assert said in done.stderr
    assert "Traceback" not in done.stderr
    assert not done.stdout


def test_help_and_version(cli: Cli):
    assert cli("--version").stdout == f"tinrocket {tr.__version__}\n"
    words = cli("--help").stdout
    for command in ("demo", "run", "compare", "new", "--install-completion"):
        assert command in words
    heavy = ["numpy", "pandas", "numba", "matplotlib", "scipy", "pydantic"]
    code = "import sys, tinrocket.cli.main; print([m for m in sys.argv[1:] if m in sys.modules])"
    loaded = subprocess.run(
        [sys.executable, "-c", code, *heavy], capture_output=True, text=True, check=True
    )
    assert loaded.stdout.strip() == "[]"


RULES = """
import tinrocket as tr


@tr.motion_rule
def breeze(craft, dt, strength=90.0):
    craft.vx += strength * dt
"""


def test_custom_rules_are_loaded_only_with_the_option(cli: Cli, tmp_path):
    kite: dict[str, object] = {"name": "kite", "start": {"x": 0, "y": 50}}
    kite |= {"rules": [{"rule": "custom", "function": "breeze"}, {"rule": "move"}]}
    data = {"duration": 1.0, "arena": {"width": 400, "height": 100}, "craft": [kite]}
    (tmp_path / "breeze.py").write_text(RULES)
    (tmp_path / "kite.toml").write_text(tomli_w.dumps(data))
    refused = cli("run", "kite.toml", ok=False)
    assert "no motion rule 'breeze' is registered" in refused.stderr
    told = json.loads(cli("run", "kite.toml", "--rules", "breeze.py", "--json").stdout)
    assert told["ends"]["kite"]["vx"] == pytest.approx(90)
    assert told["extremes"]["kite"]["rightmost"]["t"] == 1.0
    (tmp_path / "broken.py").write_text("1 / 0")
    wrong = cli("compare", "kite.toml", "--rules", "broken.py", ok=False)
    assert wrong.stderr == "tinrocket: broken.py: ZeroDivisionError: division by zero\n"


def test_run_flies_variants_and_captured_frames_and_prints_scores(cli: Cli, tmp_path):
    (tmp_path / "sparrow.toml").write_text(demo_text("sparrow"))
    (tmp_path / "wren.toml").write_text(demo_text("wren"))
    (tmp_path / "times.csv").write_text("ms\n16\n17\n40\n")
    told = cli("run", "sparrow.toml", "--vary", "sparrow.flap.speed=200:260:3", "--json").stdout
    variants = [row["variant"] for row in json.loads(told)]
    assert variants == [f"sparrow.flap.speed={speed}" for speed in (200, 230, 260)]
    captured = cli("run", "sparrow.toml", "--frame-times", "times.csv").stdout
    assert "times" in captured.splitlines()[0]
    won = cli("run", "wren.toml", "--events").stdout
    assert "score: wren 5" in won
    assert "--events" not in won
    lost = cli("run", "wren.toml", "--rate", "30").stdout
    assert "the game is over after" in lost
    old = cli("run", "wren.toml", "--screen", ok=False)
    assert old.stderr == "tinrocket: there is no option --screen; it is called --view now\n"
    assert "no view" in cli("run", "wren.toml", "--view", ok=False).stderr


START = "import sys; sys.argv[0] = 'tinrocket'; from tinrocket.cli.main import main; main()"


@pytest.mark.parametrize(
    ("words", "completed"),
    [
        ("demo spa", ["sparrow"]),
        ("new x --from mar", ["marble"]),
        ("check rocket.toml --select off-screen,never-sto", ["off-screen,never-stops"]),
        ("trace rocket.toml --craft r", ["rocket"]),
        ("run rocket.toml --vary rocket.thrust.acc", ["rocket.thrust.accel="]),
        ("run missing.toml --vary rocket.thrust.acc", []),
        ("why rocket.toml --of outc", ["outcome"]),
    ],
)
def test_the_shell_completes_names_of_the_scenario(words, completed, tmp_path):
    (tmp_path / "rocket.toml").write_text(demo_text("rocket"))
    typed = f"tinrocket {words}"
    asking = {"COMP_WORDS": typed, "COMP_CWORD": str(len(typed.split()) - 1)}
    done = subprocess.run(
        [sys.executable, "-c", START],
        env=os.environ | asking | {"_TINROCKET_COMPLETE": "complete_bash"},
        cwd=tmp_path,
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.stdout.split() == completed, done.stderr
