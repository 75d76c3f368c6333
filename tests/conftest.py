"""What the tests share: building scenarios, and running the command line."""

import gc
import importlib.util
import sys
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path
from types import ModuleType
from typing import Any

import pytest
from hypothesis import HealthCheck, settings

import tinrocket as tr
from tinrocket.cli.main import main

settings.register_profile(
    "project", deadline=None, max_examples=60, suppress_health_check=[HealthCheck.too_slow]
)
settings.load_profile("project")


def pytest_addoption(parser: pytest.Parser) -> None:
    """Add the option for long searches."""
    parser.addoption(
        "--all-seeds", action="store_true", help="search with all seeds, in some 10 minutes more"
    )


@pytest.fixture
def seeds(request: pytest.FixtureRequest) -> Callable[..., int]:
    """Return how many of so many random cases to try: a part of them unless all are asked for."""
    every = bool(request.config.getoption("--all-seeds"))
    return lambda count, part=5: count if every else -(-count // part)


BENCH = {"width": 1000, "height": 1000, "edges": "open", "y_axis": "up"}
BENCH |= {"angles": {"zero": "right", "positive": "counterclockwise"}}


def world(*craft: dict[str, Any], **rest: Any) -> tr.Scenario:
    """Return a scenario of some craft, two seconds of it on an open bench with exact timing."""
    data = {"duration": 2.0, "timing": "exact", "arena": BENCH, "craft": list(craft)}
    return tr.Scenario.from_data(data | rest)


def scenario(
    *rules: dict[str, Any],
    start: Mapping[str, float] | None = None,
    arena: dict[str, Any] | None = None,
    tape: dict[str, Any] | None = None,
    radius: float = 0.0,
    timing: str = "dt",
    **rest: Any,
) -> tr.Scenario:
    """Return a scenario with one craft, 'top', on an open bench (default)."""
    top = {"name": "top", "start": {"x": 0, "y": 0, **(start or {})}, "timing": timing}
    return tr.Scenario.from_data(
        {
            "duration": 2.0,
            "arena": BENCH | (arena or {}),
            "craft": [top | {"radius": radius, "rules": list(rules)}],
            "tape": tape or {},
        }
        | rest
    )


@dataclass(frozen=True)
class Done:
    """What a command left behind."""

    returncode: int
    stdout: str
    stderr: str


Cli = Callable[..., Done]


@pytest.fixture
def cli(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]) -> Cli:
    """Run the command line as a user would, in an empty directory, without a new process."""
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("COLUMNS", "80")

    def run(*arguments: str | Path, ok: bool = True) -> Done:
        monkeypatch.setattr(sys, "argv", ["tinrocket", *map(str, arguments)])
        capsys.readouterr()
        code: int | str | None = 0
        try:
            main()
        except SystemExit as left:
            code = left.code
        finally:
            gc.enable()
        said = capsys.readouterr()
        done = Done(int(code or 0), said.out, said.err)
        if ok:
            assert done.returncode == 0, done.stderr
        return done

    return run


MOVE = {"rule": "move"}
HALF = {"rule": "move", "method": "half"}
THRUST = {"rule": "thrust", "accel": 300}
HELD = {"holds": {"thrust": [[0, 100]]}}


def tool(name: str) -> ModuleType:
    """Return one of the project's tools as a module."""
    path = Path(__file__).parent.parent / "tools" / f"{name}.py"
    found = importlib.util.spec_from_file_location(name, path)
    assert found is not None
    assert found.loader is not None
    module = importlib.util.module_from_spec(found)
    found.loader.exec_module(module)
    return module
