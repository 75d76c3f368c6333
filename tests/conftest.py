"""What the tests share: building scenarios, and running the command line."""

import subprocess
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, settings

import tinrocket as tr

settings.register_profile(
    "project", deadline=None, max_examples=60, suppress_health_check=[HealthCheck.too_slow]
)
settings.load_profile("project")


BENCH = {"width": 1000, "height": 1000, "edges": "open", "y_axis": "up"}
BENCH |= {"angles": {"zero": "right", "positive": "counterclockwise"}}


def world(*craft: dict[str, Any], **rest: Any) -> tr.Scenario:
    """Return a scenario of some craft, two seconds of it on an open bench with exact timing."""
    data = {"duration": 2.0, "timing": "exact", "arena": BENCH, "craft": list(craft)}
    return tr.Scenario.from_data(data | rest)


def scenario(
    *rules: dict[str, Any],
    start: dict[str, float] | None = None,
    arena: dict[str, Any] | None = None,
    tape: dict[str, Any] | None = None,
    radius: float = 0.0,
    timing: str = "scaled",
    **rest: Any,
) -> tr.Scenario:
    """Return a scenario with one craft, 'top', on an open bench unless said otherwise."""
    top = {"name": "top", "start": {"x": 0, "y": 0} | (start or {}), "timing": timing}
    return tr.Scenario.from_data(
        {
            "duration": 2.0,
            "arena": BENCH | (arena or {}),
            "craft": [top | {"radius": radius, "rules": list(rules)}],
            "tape": tape or {},
        }
        | rest
    )


Cli = Callable[..., "subprocess.CompletedProcess[str]"]


@pytest.fixture
def cli(tmp_path: Path) -> Cli:
    """Run the command line as a user would, in an empty directory."""

    def run(*arguments: str | Path, ok: bool = True) -> "subprocess.CompletedProcess[str]":
        command: Sequence[str] = [sys.executable, "-m", "tinrocket", *map(str, arguments)]
        done = subprocess.run(
            command, cwd=tmp_path, capture_output=True, text=True, encoding="utf-8", check=False
        )
        if ok:
            assert done.returncode == 0, done.stderr
        return done

    return run


MOVE = {"rule": "move"}
HALF = {"rule": "move", "method": "half"}
THRUST = {"rule": "thrust", "accel": 300}
HELD = {"holds": {"thrust": [[0, 100]]}}
