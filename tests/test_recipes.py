"""The recipes of CONTRIBUTING, followed to the letter in a copy of the package."""

import os
import re
import shutil
import subprocess
import sys
import textwrap
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]

USES = """
import tinrocket as tr


def van(timing, *holds, **more):
    rules = [{"rule": "thrust", "accel": 300}, {"rule": "brake", "decel": 240}, {"rule": "move"}]
    return tr.Scenario.from_data({
        "duration": 2.0,
        "timing": timing,
        "arena": {"width": 900, "height": 300},
        "tape": {"holds": dict(zip(("thrust", "brake"), ([hold] for hold in holds)))},
        "craft": [{"name": "van", "start": {"x": 50, "y": 150}, "rules": rules}],
    })


for rate in (24, 60, 144):  # as a game has it, in a plain loop
    spans = [[(n * rate - 0.5) / rate for n in span] for span in ((0.5, 1.0), (1.25, 2.5))]
    flight = tr.simulate(van("dt", *spans), rate=rate).frames
    x, v = 50.0, 0.0
    for n in range(2 * rate):
        v += 300 / rate * (rate <= 2 * n < 2 * rate)
        v -= min(v, 240 / rate) * (4 * n >= 5 * rate)
        x += v / rate
        assert abs(flight["x"][n + 1] - x) < 1e-9, (rate, n)
    assert v == 0.0
game = van("frame", [0.2, 0.8], [1.0, 2.0])
causes = tr.explain(game, rates=[30, 144])
assert "van.brake" in {suspect.name for suspect in causes.blamed}, causes
cured = tr.find_cures(causes).recommended
assert cured.enough, cured
line = tr.rule_line(game, game.craft[0], game.craft[0].rules[1])
assert (line.before, line.after) == ("v -= min(v, 240 / 60)", "v -= min(v, 240 * dt)")
sheet = tr.feel(van("dt", [0.2, 0.8], [1.0, 2.0]), rates=[24, 60, 240]).table
assert (sheet["value"].notna() & (sheet["craft"] == "van")).sum() > 9
found = tr.check(van("dt", [0.2, 0.8], [0.0, 0.1]))
assert "craft.van.brake" in {one.where for one in found if one.name == "rule-never-acts"}, found
assert "brake" in str(tr.with_value(game, "van.brake.decel", 90.0).craft[0].rules)
"""


def code_blocks(heading: str) -> list[str]:
    """Return the Python blocks below a heading of CONTRIBUTING."""
    text = (ROOT / "CONTRIBUTING.md").read_text().split(f"## {heading}\n")[1].split("\n## ")[0]
    return [textwrap.dedent(block) for block in re.findall(r" *```python\n(.*?) *```", text, re.S)]


@pytest.fixture(scope="module")
def copied(tmp_path_factory) -> Path:
    """A copy of the package with the recipe's rule in it."""
    root = tmp_path_factory.mktemp("copy")
    shutil.copytree(ROOT / "src", root / "src", ignore=shutil.ignore_patterns("__pycache__"))
    package = root / "src" / "tinrocket"
    data, kernel = code_blocks("Add a motion rule")
    speed = package / "scenario" / "rules" / "speed.py"
    text = speed.read_text().replace(
        '__all__ = [\n    "Accumulate",', '__all__ = [\n    "Accumulate",\n    "Brake",'
    )
    assert '"Brake"' in text
    speed.write_text(f"{text}\n\n{data}")
    (package / "motion" / "rules" / "brake.py").write_text(
        '"""Brake: a constant deceleration along the velocity."""\n\n'
        "from tinrocket.language.intrinsics import sqrt\n"
        "from tinrocket.language.subset import kernel\n"
        "from tinrocket.motion.binding import Bound, Context, Step, binds\n"
        "from tinrocket.motion.body import Body\n"
        f"from tinrocket.scenario import rules\n\n\n{kernel}"
    )
    return root


def run(root: Path, text: str) -> None:
    given = os.environ | {"PYTHONPATH": str(root / "src"), "TINROCKET_CACHE": str(root / "cache")}
    command = [sys.executable, "-P", "-W", "error", "-c", text]
    done = subprocess.run(command, env=given, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr


def test_a_rule_added_by_the_recipe_is_known_everywhere(copied):
    """It flies as a plain loop does, is blamed and cured, has its line, and is measured."""
    run(copied, USES)
