"""Compiled or not, the core gives the same bits; and a cached copy never goes stale."""

import os
import subprocess
import sys
from itertools import product

import numpy as np

import tinrocket as tr
from tinrocket.core import jit
from tinrocket.core.entry import COMPILING, COMPILING_CONTACTS, COMPILING_SELDOM
from tinrocket.scenario.toml_file import parse_scenario

from .conftest import MOVE, THRUST, scenario
from .test_custom import RULES, TAPE
from .test_stage import SOUND
from .test_update_functions import GAMES, scene

SCRIPT = """
import sys
import numpy as np
import tinrocket as tr
from tests.test_jit import flights
np.save(sys.argv[1], flights())
"""


def ending(flown: tr.Trajectory) -> list[float]:
    """Return numbers in which a difference anywhere in a flight would show."""
    numbers = flown.frames.drop(columns="craft").to_numpy(dtype=float)
    return [numbers.sum(), *numbers[-1, :11], len(flown.events), flown.events["t"].sum()]


def flights() -> np.ndarray:
    """Fly dozens of scenarios with seeded numbers through every rule, edge and timing."""
    random = np.random.default_rng(2)
    ends = []
    for n in range(24):
        kind = ["wrap", "clamp", "bounce", "open"][n % 4]
        rules = [
            {"rule": "turn", "rate": random.uniform(-400, 400)},
            {"rule": "thrust", "accel": random.uniform(0, 2000), "reverse": 90},
            {"rule": "drag", "rate": random.uniform(0, 4)},
            [{"rule": "limit", "speed": 500}, {"rule": "limit", "x": 300, "y": 200}][n % 2],
            {"rule": "snap", "below": 5},
            {"rule": "move", "method": ["euler", "half"][n // 2 % 2]},
        ]
        speed = random.uniform(-1, 1) * 10.0 ** (n % 10)
        restitution = {"restitution": random.uniform(0, 1)} if kind == "bounce" else {}
        one = tr.Scenario.from_data(
            {
                "duration": 3,
                "arena": {"width": 200, "height": 90, "edges": {"kind": kind} | restitution},
                "craft": [
                    {
                        "name": "a",
                        "start": {
                            "x": 50,
                            "y": 40,
                            "vx": speed,
                            "heading": n,
                        },
                        "timing": ["frame", "scaled", "exact"][n % 3],
                        "rules": rules,
                    }
                ],
                "tape": {
                    "holds": {"thrust": [[0.2, 2]], "left": [[0.5, 1.5]], "reverse": [[2, 3]]}
                },
                "clock": {"rate": 45 + n, "jitter": 0.004, "seed": n},
            }
        )
        ends.append(ending(tr.simulate(one)))
    for number, (_update, told) in enumerate(GAMES.values()):
        for timing in ("frame", "scaled", "exact"):
            clock = tr.Clock(rate=90 + number, jitter=0.002, seed=number)
            ends.append(ending(tr.simulate(scene(told, 100.0, timing), clock=clock)))
    for n in range(9):
        drag, turn = {"rule": "drag", "rate": 0.3 * n}, {"rule": "turn", "rate": 40.0 * n}
        one = scenario(turn, THRUST, drag, MOVE, tape={"holds": {"thrust": [[0.1, 1]]}})
        one = tr.with_value(one, "top.stepping", "closed_form")
        ends.append(ending(tr.simulate(one, rate=20 + n)))
    ends.append(ending(tr.simulate(scenario(*RULES, tape=TAPE), rate=77)))
    for name, find in product(("marble", "popgun"), ("overlap", "swept")):
        demo = tr.with_value(tr.read_demo(name), "find", find).with_timing("exact")
        ends.append(ending(tr.simulate(demo, rate=50)))
    ends.append(ending(tr.simulate(parse_scenario(SOUND), rate=50)))
    return np.array(ends)


def test_the_same_bits_without_the_jit(tmp_path):
    path = tmp_path / "plain.npy"
    subprocess.run(
        [sys.executable, "-c", SCRIPT, str(path)],
        env=os.environ | {"NUMBA_DISABLE_JIT": "1"},
        check=True,
    )
    assert np.load(path).tobytes() == flights().tobytes()


def test_it_says_that_it_compiles_once_and_never_again(tmp_path):
    code = """import tinrocket as tr
for name in ("ladybird", "marble", "mouse"):
    tr.simulate(tr.read_demo(name))
"""
    said = [
        subprocess.run(
            [sys.executable, "-c", code],
            env=os.environ | {"NUMBA_CACHE_DIR": str(tmp_path)},
            check=True,
            capture_output=True,
            text=True,
        ).stderr.splitlines()
        for _ in range(2)
    ]
    assert said == [[COMPILING, COMPILING_CONTACTS, COMPILING_SELDOM], []]


def test_a_changed_source_is_compiled_anew(tmp_path, monkeypatch):
    """The fingerprint, which is part of the cache key, covers the rules that are inlined."""
    rules = tmp_path / "rules"
    rules.mkdir()
    monkeypatch.setattr(jit, "__file__", str(tmp_path / "jit.py"))
    (rules / "drag.py").write_text("kept = 1")
    before = jit.fingerprint()
    (rules / "drag.py").write_text("kept = 2")
    assert jit.fingerprint() != before
