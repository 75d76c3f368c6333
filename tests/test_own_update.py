"""Update functions of a user's: found faults, patches, flights beside plain loops, bad input."""

import json
import math
import pickle
import random
import subprocess
import textwrap
from pathlib import Path
from typing import Any

import numpy as np
import pytest

import tinrocket as tr
from tests.conftest import Cli
from tests.own_games import FAULTS, Game
from tinrocket.own_update.patching import changed_line
from tinrocket.own_update.reading import read_lines
from tinrocket.why.explain import Causes

PROJECT = Path(__file__).parent.parent
TAPE = {"right": [(0.5, 1.0)], "ahead": [(0.5, 2.0)], "fire": [(0.25, 1.9)], "flap": [0.5, 1.0]}
NAMES = "x=100.0, y=100.0, vx=60.0, vy=0.0, a=30.0, n=0, cool=0, t=0.0, goal=400.0, score=0"
HEAD = f"""
import cmath, math, random, types
import numpy as np
from dataclasses import dataclass, field, replace
def start():
    return types.SimpleNamespace({NAMES})
"""


def written(folder: Path, body: str, **declared: Any) -> str:
    """Write a file with an update and its declaration; return how it is named."""
    lines = textwrap.dedent(body).strip()
    given = {"tape": TAPE, "duration": 2.0} | declared
    text = f"{HEAD}\n{lines}\n\nFLIGHT = {given!r}\n"
    if "start" not in declared:
        text += 'FLIGHT["start"] = start\n'
    file = folder / "game.py"
    file.write_text(text, encoding="utf-8")
    return f"{file}:update"


def generated(folder: Path, seed: int, *faults: str) -> tuple[Game, tr.OwnScenario]:
    game = Game(seed, *faults)
    file = folder / f"tug{seed}.py"
    file.write_text(game.text, encoding="utf-8")
    return game, tr.read_update(f"{file}:update")


def of_lines(causes: Causes) -> list[Any]:
    """Return what statements take away in the worst run."""
    worst = max(causes.runs, key=lambda run: run.whole)
    named = [cause for cause in worst.causes if cause.suspect.name.startswith("line ")]
    return [part for part in named if part.suspect.kind != "moves"]


def guilty_first(folder: Path, seed: int, fault: str) -> bool:
    game, scenario = generated(folder, seed, fault)
    line = game.lines[fault]
    found = [finding.line for finding in scenario.own.findings if finding.kind != "moves"]
    assert found == [line], game.text
    causes = tr.explain(scenario, [30, 144], tolerance=0.01, whole_run=fault == "count")
    first, *others = of_lines(causes)
    explained = sum(run.amount for run in (first, *others))
    return first.suspect.name == f"line {line}" and first.amount >= 0.9 * explained


@pytest.mark.parametrize("fault", FAULTS)
def test_a_single_fault_is_found_and_blamed(fault, tmp_path):
    assert all(guilty_first(tmp_path, seed, fault) for seed in (7, 8))


@pytest.mark.slow
@pytest.mark.parametrize("fault", FAULTS)
def test_thirty_games_with_each_fault(fault, tmp_path, seeds):
    count = seeds(30)
    blamed = sum(guilty_first(tmp_path, seed, fault) for seed in range(100, 100 + count))
    assert blamed >= count - count // 30


def test_a_hundred_right_updates_have_no_finding(tmp_path):
    for seed in range(100):
        file = tmp_path / "right.py"
        file.write_text(Game(seed).text, encoding="utf-8")
        _code, findings, unknown = read_lines(f"{file}:update")
        assert (findings, unknown) == ([], []), file.read_text()


def by_hand(text: str, rate: int, seconds: float = 2.5) -> np.ndarray:
    """Return the path of an update flown in a plain loop, as shape (frames + 1, 2)."""
    space: dict[str, Any] = {}
    exec(compile(text, "by hand", "exec"), space)
    given = space["FLIGHT"]
    state, path = given["start"](), []
    unit = 1000.0 if "dt_ms" in text else 1.0

    class Held(dict):
        def __getattr__(self, name: str) -> bool:
            return self.get(name, False)

        def __call__(self, name: str) -> bool:
            return self.get(name, False)

        def __contains__(self, name: object) -> bool:
            return bool(self.get(name, False))

    def place() -> tuple[float, float]:
        thing = getattr(state, "pos", state)
        return (thing["x"], thing["y"]) if isinstance(thing, dict) else (thing.x, thing.y)

    path.append(place())
    for frame in range(round(seconds * rate)):
        now = frame / rate
        held = {
            name: any(a - 1e-9 <= now < b - 1e-9 for a, b in spans)
            for name, spans in given["tape"].items()
        }
        space["update"](state, Held(held), unit / rate)
        path.append(place())
    return np.array(path)


@pytest.mark.parametrize(
    ("seed", "faults"), [(3, ("drag", "push")), (5, ("ease", "turn", "move")), (9, ("cap", "fall"))]
)
def test_every_set_of_patches_leaves_what_a_plain_loop_leaves(seed, faults, tmp_path):
    _game, scenario = generated(tmp_path, seed, *faults)
    numbers = [n for n, finding in enumerate(scenario.own.findings) if finding.kind != "moves"]
    assert len(numbers) == len(faults)
    for bits in range(2 ** len(numbers)):
        gone = [n for place, n in enumerate(numbers) if bits >> place & 1]
        mended = scenario.without(*gone)
        paths = {rate: by_hand(mended.own.patched, rate) for rate in (30, 60)}
        for rate, path in paths.items():
            flown = tr.simulate(mended, rate=rate).of("tug")[["x", "y"]].to_numpy()
            assert flown == pytest.approx(path, abs=1e-9)
        far = np.hypot(*(paths[30] - paths[60][::2]).T).max()
        drift = tr.measure_drift(
            tr.simulate(mended, rate=30), tr.simulate(mended, rate=60), "tug"
        ).largest
        assert drift == pytest.approx(far, rel=1e-9)


FORMS = [
    ("s.a -= 2.5", "s.a -= 150 * dt"),
    ("s.a = (s.a + 2) % 360", "s.a = (s.a + 120 * dt) % 360"),
    ("s.x += 3 if keys.right else -3", "s.x += (3 if keys.right else -3) * dt * 60"),
    ("s.x += 0.2 * math.cos(s.a)", "s.x += 12 * math.cos(s.a) * dt"),
    ("s.vx *= 0.98", "s.vx *= 0.98 ** (dt * 60)"),
    ("s.vx /= 1.02", "s.vx /= 1.02 ** (dt * 60)"),
    ("s.vx *= 1 - 1.2 * dt", "s.vx *= 0.98 ** (dt * 60)"),
    ("s.vx *= 1 - s.goal * dt", "s.vx *= (1 - s.goal / 60) ** (dt * 60)"),
    ("s.vx -= s.vx * 0.05", "s.vx -= s.vx * (1 - 0.95 ** (dt * 60))"),
    ("s.x += (s.goal - s.x) * 0.1", "s.x += (s.goal - s.x) * (1 - 0.9 ** (dt * 60))"),
    ("s.x += (s.goal - s.x) / 8", "s.x += (s.goal - s.x) * (1 - 0.875 ** (dt * 60))"),
    ("s.x += (s.goal - s.x) * 6 * dt", "s.x += (s.goal - s.x) * (1 - 0.9 ** (dt * 60))"),
    ("s.x = 0.9 * s.x + 0.1 * s.goal", "s.x = s.goal + (s.x - s.goal) * 0.9 ** (dt * 60)"),
    ("s.vx = min(s.vx + 5, 300)", "s.vx = min(s.vx + 300 * dt, 300)"),
    ("s.x += max(-2, min(2, s.goal - s.x))", "s.x += max(-120 * dt, min(120 * dt, s.goal - s.x))"),
    ("s.vx -= math.copysign(1.5, s.vx)", "s.vx -= math.copysign(1.5, s.vx) * dt * 60"),
    ("s.x, s.y = s.x + 2, s.y + s.vy * dt", "s.x, s.y = s.x + 120 * dt, s.y + s.vy * dt"),
    ("if random.random() < 0.05: s.a = 0", "if random.random() < 1 - 0.95 ** (dt * 60)"),
    ("if random.randrange(60) == 0: s.a = 0", "if random.random() < 1 - (1 - 1 / 60) ** (dt * 60)"),
]
RIGHT = [
    "s.x += s.vx * dt",
    "step = s.vx * dt; s.x += step",
    "s.vx *= 0.5 ** (dt / 0.4)",
    "s.vx *= math.exp(-2 * dt)",
    "k = 1 - math.exp(-5 * dt); s.x += (s.goal - s.x) * k",
    "s.vx = 200 if keys.right else 0",
    "s.vx *= 120 / max(1, math.hypot(s.vx, s.vy))",
    "s.x = (s.x + 90 * dt) % 600",
    "s.n += 1",
    "s.vy = -200 if keys.pressed.flap else s.vy + 400 * dt",
    "s.best = max(s.goal, s.x)",
]


@pytest.mark.parametrize(("line", "mended"), FORMS)
def test_each_form_is_mended_in_its_own_words(line, mended, tmp_path):
    named = written(tmp_path, f"def update(s, keys, dt):\n    {line}\n    s.t += s.n\n")
    code, findings, _unknown = read_lines(named)
    lines = {changed_line(code, finding)[1] for finding in findings if finding.target != "s.t"}
    assert lines == {mended}


@pytest.mark.parametrize("line", RIGHT)
def test_right_lines_are_left_alone(line, tmp_path):
    named = written(tmp_path, f"def update(s, keys, dt):\n    {line}\n")
    assert read_lines(named)[1:] == ([], [])


def test_a_clamp_of_dt_is_blamed_where_it_acts(tmp_path):
    """A clamp of 1/40 s drops a sixth of a 30 fps frame, and nothing at 60."""
    body = "def update(s, keys, dt):\n    dt = min(dt, 0.025)\n    s.x += s.vx * dt"
    scenario = tr.read_update(written(tmp_path, body))
    assert read_lines(str(scenario.own.path) + ":update")[1] == []
    causes = tr.explain(scenario, [30, 60])
    assert [run.whole for run in causes.runs] == pytest.approx([60 * 2 * (1 - 0.75), 0.0])
    (cause,) = causes.runs[0].causes
    assert (cause.suspect.kind, cause.share) == ("clamp", pytest.approx(1.0))
    assert tr.find_cures(causes, felt=False).cured.own.patched.count("dt = dt") == 1


COUNTERS = {
    "blinks": "s.n += 1\nif s.n == 20:\n    s.n = 0\n    s.vx = -s.vx",
    "beats": "s.n += 1\nif s.n % 12 == 0:\n    s.vx = -s.vx",
    "cools": "if s.cool > 0:\n    s.cool -= 1\nif keys.fire and s.cool == 0:\n    s.cool = 24\n"
    "    s.vx = -s.vx",
}
TURN = "    s.vx = -s.vx\n    s.n += 1\ns.x += s.vx * dt + 0 * s.n"
TIMERS = {
    "up": f"s.t += dt\nif s.t >= 0.13:\n    s.t = 0\n{TURN}",
    "down": f"s.t -= dt\nif s.t <= 0:\n    s.t = 0.13\n{TURN}",
}


@pytest.mark.parametrize("body", COUNTERS.values(), ids=COUNTERS)
def test_a_counter_with_its_tests_and_resets_is_mended_as_one(body, tmp_path):
    """Turning round every so often: at every rate as often as tuned, and tuned as before."""
    inner = textwrap.indent(f"{body}\ns.x += s.vx * dt", "    ")
    scenario = tr.read_update(written(tmp_path, f"def update(s, keys, dt):\n{inner}\n"))
    (number,) = (n for n, finding in enumerate(scenario.own.findings) if finding.kind != "moves")
    mended = scenario.without(number)
    tuned = tr.simulate(scenario, rate=60)
    again = tr.simulate(mended, rate=60)
    assert np.array_equal(tuned.recorded.block, again.recorded.block, equal_nan=True)
    for rate in (30, 120, 240):
        drift = tr.measure_drift(tr.simulate(mended, rate=rate), tuned, "s").largest
        assert drift <= 2 * 60.0 / 60 + 1e-6  # turned round a tuned frame earlier


@pytest.mark.parametrize("body", TIMERS.values(), ids=TIMERS)
def test_a_timer_that_keeps_its_remainder_runs_at_the_same_pace_everywhere(body, tmp_path):
    named = written(
        tmp_path,
        f"def update(s, keys, dt):\n{textwrap.indent(body, '    ')}\n",
        duration=26.0,
        craft={"turns": "s"},
        x="n",
        y="y",
    )
    scenario = tr.read_update(named)
    (number,) = (
        n for n, finding in enumerate(scenario.own.findings) if finding.kind == "remainder"
    )
    turns = {}
    for rate in (24, 30, 60, 144):
        for gone in ((), (number,)):
            turns[rate, gone] = tr.simulate(scenario.without(*gone), rate=rate).at(26.0)["x"]
    assert [turns[rate, (number,)] for rate in (24, 30, 60, 144)] == pytest.approx([200] * 4, abs=1)
    assert turns[144, ()] - turns[24, ()] > 30


STYLES = {
    "method": (
        """
        @dataclass
        class Cart:
            x: float = 0.0
            y: float = 5.0
            def update(self, keys, dt):
                self.x += 3
        """,
        "Cart.update",
        {"start": None},
    ),
    "global": ("x, y = 0.0, 5.0\ndef update(keys, dt):\n    global x\n    x += 3", "update", {}),
    "complex": (
        "def update(s, dt):\n    s['p'] += 3",
        "update",
        {"start": {"p": 0j + 5j}},
    ),
    "vector": (
        "def update(s, dt):\n    s['pos'][0] += 3",
        "update",
        {"start": {"pos": [0.0, 5.0]}},
    ),
    "returned": (
        """
        @dataclass(frozen=True)
        class Cart:
            x: float = 0.0
            y: float = 5.0
        def update(cart, keys, dt):
            return replace(cart, x=cart.x + 3)
        FLIGHT = {}
        """,
        "update",
        {"start": None},
    ),
    "array": (
        "def update(s, dt):\n    s['p'][:, 0] += 3",
        "update",
        {"start": {"p": [[0.0, 5.0], [0.0, 9.0]]}},
    ),
    "state of keys": (
        """
        class World:
            def __init__(self):
                self.inputs, self.x, self.y = {}, 0.0, 5.0
            def update(self, dt):
                if self.inputs.get("always"):
                    self.x += 3
        """,
        "World.update",
        {"start": None, "tape": {"always": [(0, 9)]}},
    ),
    "slots and super": (
        """
        class Body:
            __slots__ = ("x", "y")
            def __init__(self):
                self.x, self.y = 0.0, 5.0
            def step(self):
                self.x += 3
        class Fast(Body):
            __slots__ = ()
            def step(self):
                super().step()
        def update(world, dt):
            for body in world["bodies"].values():
                body.step()
        """,
        "update",
        {"start": None},
    ),
    "frames": ("def update(s):\n    s['x'] += 3", "update", {"start": {"x": 0.0, "y": 5.0}}),
    "milliseconds": (
        "def update(s, dt_ms):\n    s['x'] += 0.18 * dt_ms\n    s['x'] += 0 * 3",
        "update",
        {"start": {"x": 0.0, "y": 5.0}},
    ),
}


@pytest.mark.parametrize("style", STYLES)
def test_every_style_of_state_flies(style, tmp_path):
    body, name, declared = STYLES[style]
    named = written(tmp_path, body, **declared).replace(":update", f":{name}")
    if style == "returned":
        text = (tmp_path / "game.py").read_text()
        (tmp_path / "game.py").write_text(text + 'FLIGHT["start"] = Cart\n')
    if style in ("array", "slots and super"):
        made = "{'p': np.array([[0.0, 5.0], [0.0, 9.0]])}"
        made = made if style == "array" else "{'bodies': {'fast': Fast()}}"
        text = (tmp_path / "game.py").read_text()
        (tmp_path / "game.py").write_text(f'{text}FLIGHT["start"] = lambda: {made}\n')
    scenario = tr.read_update(named)
    for rate in (30, 60):
        flight = tr.simulate(scenario, rate=rate)
        path = flight.of(flight.craft[0])["x"].to_numpy()
        step = 180.0 / rate if style == "milliseconds" else 3.0
        assert path == pytest.approx(step * np.arange(2 * rate + 1))
    if style not in ("milliseconds",):
        assert [changed_line(scenario.own.code, finding)[1] for finding in scenario.own.findings]
        mended = tr.simulate(scenario.without(0), rate=30)
        path = mended.of(mended.craft[0])["x"].to_numpy()
        assert path == pytest.approx(6.0 * np.arange(61))


def test_craft_come_and_go_and_scores_are_events(tmp_path):
    named = written(
        tmp_path,
        """
        def update(s, keys, dt):
            if keys.pressed("flap"):
                s.corks.append(types.SimpleNamespace(x=s.x, y=s.y))
            for cork in s.corks:
                cork.x += 240 * dt
            gone = [cork for cork in s.corks if cork.x > 220]
            s.score += 10 * len(gone)
            s.corks = [cork for cork in s.corks if cork not in gone]
        """,
    )
    text = (tmp_path / "game.py").read_text().replace("score=0", "score=0, corks=[]")
    (tmp_path / "game.py").write_text(text)
    events = tr.simulate(tr.read_update(named)).events
    told = {(kind, round(t, 3)) for kind, t in zip(events["kind"], events["t"], strict=True)}
    assert told == {
        ("appear", 0.517),
        ("appear", 1.017),
        ("disappear", 1.017),
        ("disappear", 1.517),
        ("score", 1.017),
        ("score", 1.517),
    }


BAD = [
    ("def update(s, keys, dt):\n    s.x += nope", "NameError: name 'nope' is not defined"),
    ("def update(s, keys, dt):\n    raise SystemExit(3)", "called sys.exit()"),
    ("def update(s, keys, dt):\n    update(s, keys, dt)", "RecursionError"),
    ("def update(s, keys, dt):\n    yield 1", "is a generator"),
    ("def update(s, *rest):\n    pass", "takes *rest; name the parameters one by one"),
    ("import time\ndef update(s, keys, dt):\n    s.x += time.time()", "its file uses time.time"),
    (
        "import threading\ndef update(s, keys, dt):\n    threading.Timer(2, print).start()",
        "the update starts threads",
    ),
    ("def update(s, keys, dt):\n    s.x *= 1e9", "left the range of finite numbers in frame"),
    ("def update(s, keys, dt)\n    pass", "expected ':'"),
    ("1 / 0\ndef update(s, keys, dt):\n    pass", "ZeroDivisionError: division by zero"),
    (
        "import sys; sys.exit()\ndef update(s, keys, dt):\n    pass",
        "ended the program while",
    ),
    ("def updat(s, keys, dt):\n    pass", "there is no 'update'; did you mean 'updat'?"),
]


@pytest.mark.parametrize(("body", "said"), BAD)
def test_bad_updates_are_refused_with_what_to_do(body, said, tmp_path):
    with pytest.raises(tr.TinRocketError, match=r".") as caught:
        tr.simulate(tr.read_update(written(tmp_path, body)), rate=30)
    assert said in str(caught.value)
    assert "tinrocket/own_update" not in str(caught.value)


def test_a_start_that_cannot_be_copied_is_asked_for_as_a_function(tmp_path):
    body = "import threading\ndef update(s, keys, dt):\n    s.x += 1\n"
    named = written(tmp_path, body)
    text = (tmp_path / "game.py").read_text() + 'FLIGHT["start"] = {"x": 1, "l": threading.Lock()}'
    (tmp_path / "game.py").write_text(text)
    with pytest.raises(tr.OptionError, match="cannot be copied .*; give a function that makes it"):
        tr.read_update(named)


def test_all_problems_of_a_declaration_are_reported_at_once(tmp_path):
    wrong = {"tuned": 60, "duration": -1, "heading_unit": "turns", "tape": {"a": [(2, 1)]}}
    named = written(tmp_path, "def update(s, keys, dt):\n    s.x += 1", **wrong)
    with pytest.raises(tr.ScenarioError) as caught:
        tr.read_update(named)
    said = str(caught.value)
    assert said.count("\n") == 3
    for part in ("did you mean 'tuned_at'?", "positive number", "deg or rad", "ends before"):
        assert part in said


def test_a_patch_is_applied_by_the_ordinary_tool(cli: Cli, tmp_path):
    game = Game(13, "drag", "fall", "move")
    (tmp_path / "tug.py").write_text(game.text, encoding="utf-8")
    diff = cli("why", "tug.py:update", "--diff").stdout
    (tmp_path / "tug.diff").write_text(diff, encoding="utf-8")
    unpatched = tr.read_update(tmp_path / "tug.py:update")
    before = tr.simulate(unpatched, rate=60)
    subprocess.run(["git", "apply", "-p1", "tug.diff"], cwd=tmp_path, check=True)
    patched = tr.read_update(tmp_path / "tug.py:update")
    assert [finding.kind for finding in patched.own.findings if finding.kind != "moves"] == []
    after = tr.simulate(patched, rate=60)
    assert after.frames["x"].to_numpy() == pytest.approx(before.frames["x"].to_numpy(), abs=1e-6)
    assert not tr.compare(unpatched, [30, 144]).agrees
    assert tr.compare(patched, [30, 60, 144]).agrees


def test_an_update_without_dt_gets_the_parameter_and_its_caller_is_named(cli: Cli, tmp_path):
    text = Game(1).text.split("def update")[0] + textwrap.dedent(
        """
        def glide(tug):
            tug["vx"] *= 0.97  # the water


        def update(tug, keys):
            glide(tug)
            tug["x"] += tug["vx"] / 60


        def main():
            while True:
                update({}, None)


        FLIGHT = {"start": {"x": 0.0, "y": 5.0, "vx": 300.0}, "tuned_at": 60, "duration": 2.0}
        """
    )
    (tmp_path / "tug.py").write_text(text)
    told = cli("why", "tug.py:update").stdout
    line = 1 + text.split("\n").index("        update({}, None)")
    assert (
        f"update gets the parameter dt [s]: pass the frame's length (tug.py: line {line})" in told
    )
    diff = cli("why", "tug.py:update", "--diff").stdout
    for row in (
        "+def glide(tug, dt):",
        '+    tug["vx"] *= 0.97 ** (dt * 60)  # the water',
        "+def update(tug, keys, dt):",
        "+    glide(tug, dt)",
        '+    tug["x"] += tug["vx"] / 60 * dt * 60',
    ):
        assert row in diff.split("\n")


def test_check_reads_and_does_not_execute(cli: Cli, tmp_path):
    body = 'open("ran", "w").close()\ndef update(s, keys, dt):\n    s.a -= 2.5\n    s.vx *= 0.98'
    written(tmp_path, body)
    for form in ("text", "json", "sarif", "github"):
        done = cli("check", "game.py:update", "--format", form, ok=False)
        assert done.returncode == 1
        assert "150 * dt" in done.stdout
    rows = json.loads(cli("check", "game.py:update", "--json", ok=False).stdout)
    assert [row["name"] for row in rows] == ["adds-without-dt", "factor-without-dt"]
    only = cli("check", "game.py:update", "--ignore", "adds-without-dt", ok=False).stdout
    assert "1 finding" in only
    wrong = cli("check", "game.py:update", "--select", "adds-without-d", ok=False)
    assert (wrong.returncode, "did you mean 'adds-without-dt'" in wrong.stderr) == (2, True)
    assert "multiply the amount by dt" in cli("check", "--explain", "adds-without-dt").stdout
    assert not (tmp_path / "ran").exists()


def test_commands_take_an_update(cli: Cli, tmp_path):
    body = "PUSH = 240\ndef update(s, keys, dt):\n    print('noise')\n    if keys.ahead:\n"
    body += "        s.vx += PUSH * dt\n    s.x += s.vx * dt\n    s.a += keys.idle"
    written(tmp_path, body)
    compared = cli("compare", "game.py:update", "--json")
    assert json.loads(compared.stdout)["warnings"][:1] == ["nothing on the tape presses 'idle'"]
    assert "assuming: 'dt' is the time step in seconds" in compared.stderr
    rows = cli("trace", "game.py:update", "--from", "0.5", "--frames", "1", "--each-rule").stdout
    assert "s.vx 60 -> 64" in rows
    assert "s.x 130 -> 131.067" in rows
    varied = json.loads(cli("run", "game.py:update", "--vary", "PUSH=0,240", "--json").stdout)
    assert [round(part["ends"]["s"]["vx"]) for part in varied] == [60, 420]
    assert cli("pin", "game.py:update").stdout.endswith("game.update.pin.toml\n")
    assert cli("check", "game.py:update", "--pinned", "game.update.pin.toml").returncode == 0
    other = cli("check", "game.py:update", "--accept", ok=False)
    assert other.returncode == 2


def test_chances_are_flown_with_the_same_waits_at_every_rate(tmp_path):
    """Turns struck by chance: mended, as many at each rate; per frame, in proportion to it."""
    body = "def update(s, keys, dt):\n    if random.random() < 0.1:\n        s.n += 1\n"
    named = written(tmp_path, body + "    s.x = s.n", duration=100.0)
    scenario = tr.read_update(named)
    turns = {rate: tr.simulate(scenario, rate=rate).at(100.0)["x"] for rate in (30, 120)}
    assert turns[120] / turns[30] == pytest.approx(4.0, rel=0.25)
    for rate in (30, 60, 120):  # of several in one frame one counts
        mean = 100.0 * rate * (1.0 - 0.9 ** (60.0 / rate))
        struck = tr.simulate(scenario.without(0), rate=rate).at(100.0)["x"]
        assert struck == pytest.approx(mean, abs=3.0 * math.sqrt(mean))


def test_flights_do_not_change_the_program(tmp_path):
    random.seed(1)
    expected = random.random()
    random.seed(1)
    body = "trail = []\ndef update(s, keys, dt):\n    trail.append(random.random())\n    s.x += 1"
    scenario = tr.read_update(written(tmp_path, body))
    one, other = (tr.simulate(scenario, rate=60) for _ in range(2))
    assert one.frames.equals(other.frames)
    assert random.random() == expected
    loaded = pickle.loads(pickle.dumps(scenario))
    with pytest.raises(tr.OptionError, match="read it with read_update"):
        tr.simulate(loaded)
    with pytest.raises(tr.OptionError, match="an update function has no rules"):
        tr.Flight(scenario)


def test_feel_finds_the_keys_and_measures_as_by_formula(tmp_path):
    """Of v = (v + a h) k in each frame the limit is a h k / (1 - k)."""
    game = PROJECT / "examples" / "glide.py"
    sheet = tr.feel(tr.read_update(f"{game}:update"), rates=[30, 60])
    told = {(row.metric.name, row.clock): row.answer.value for row in sheet.rows}
    for rate in (30, 60):
        step = 190.0 / rate * 0.98
        assert told["top speed", f"{rate} fps"] == pytest.approx(step / 0.02, rel=1e-3)
        assert told["turn rate", f"{rate} fps"] == pytest.approx(1.5 * rate, rel=1e-9)
        assert told["latency", f"{rate} fps"] == pytest.approx(500.0 / rate, rel=1e-6)


@pytest.mark.parametrize("seed", range(12))
def test_code_becomes_rules_or_its_lines_are_listed(seed, cli: Cli, tmp_path):
    """The same path to rounding; only an ease of a velocity has no rule."""
    game, own = generated(tmp_path, seed, *(("turn",), ("drag",), ("linear",), ())[seed % 4])
    rows = enumerate(game.text.splitlines(), start=1)
    unruled = {
        n for n, row in rows if "60 - tug" in row or ("move(tug, " in row and "def" not in row)
    }
    made = tr.convert_update(own)
    assert set(made.lines) == unruled
    if made.scenario is None:
        refused = cli("new", "tug", "--from-code", f"tug{seed}.py:update", ok=False)
        assert f"line {min(unruled)}: " in refused.stderr
        return
    assert cli("new", "tug", "--from-code", f"tug{seed}.py:update").returncode == 0
    scenario = tr.read_scenario("tug.toml")
    for rate in (30, 60, 144):
        path, rules = (tr.simulate(one, rate=rate).frames[["x", "y"]] for one in (own, scenario))
        assert rules.to_numpy() == pytest.approx(path.to_numpy(), abs=1e-6)


@pytest.mark.slow
def test_the_whole_game_is_explained_and_patched(cli: Cli, tmp_path):
    game = PROJECT / "examples" / "whole_game.py"
    named = f"{game}:update"
    assert not tr.compare(tr.read_update(named)).agrees
    assert cli("why", named, "--apply", "cured.py").returncode == 0
    cured = tr.compare(tr.read_update(tmp_path / "cured.py:update"))
    assert cured.agrees, str(cured)
    marked = {32, 34, 44, 45, 115, 121, 122}
    assert {finding.line for finding in read_lines(named)[1]} == marked
