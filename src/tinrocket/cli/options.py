"""Options that several commands take."""

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

if TYPE_CHECKING:
    from tinrocket.scenario.clock import Clock

FrameTimes = Annotated[
    list[Path] | None,
    typer.Option(
        metavar="FILE",
        help="Captured frame times (CSV, one column in s or ms), or a log; may be repeated.",
    ),
]
Varied = Annotated[
    list[str] | None,
    typer.Option(
        metavar="PATH=V,V",
        help="Values to try, such as rocket.drag.half_life=0.4,0.8 or =0.4:0.8:5; may be repeated.",
    ),
]
RulesFile = Annotated[
    Path | None,
    typer.Option(
        metavar="FILE.py",
        help="Motion rules of your own: executes this Python file before anything else.",
    ),
]


AllowOutside = Annotated[
    bool,
    typer.Option(
        "--allow-outside", help="Files that a scenario names may lie outside of its folder."
    ),
]


def captured(files: Sequence[Path] | None) -> "list[Clock]":
    """Return a clock for each file of captured frame times."""
    from tinrocket.scenario.clock import Clock

    return [Clock(name=path.stem, frame_times=_frame_times(path)) for path in files or ()]


def _frame_times(path: Path) -> tuple[float, ...]:
    """Return lengths of frames from a file of them, or from a log of a game."""
    from tinrocket.files import read_text

    if not any(mark in read_text(path).partition("\n")[0] for mark in ",;\t"):
        from tinrocket.scenario.csv_file import read_frame_times

        return read_frame_times(path)
    from tinrocket.logs.pace import clock_of
    from tinrocket.logs.read import read_log

    return clock_of(read_log(path)).frame_times or ()


def load_rules(path: Path | None) -> None:
    """Execute a Python file that registers motion rules.

    Raises
    ------
    FileError
        If it cannot be read, or breaks off.
    """
    if path is None:
        return
    from importlib.util import module_from_spec, spec_from_file_location

    from tinrocket.errors import FileError, TinRocketError

    spec = spec_from_file_location(path.stem, path)
    if spec is None or spec.loader is None or not path.is_file():
        raise FileError(f"{path}: is no Python file to execute")
    try:
        spec.loader.exec_module(module_from_spec(spec))
    except TinRocketError:
        raise
    except Exception as error:  # whatever the file raises is told in one line
        raise FileError(f"{path}: {type(error).__name__}: {error}") from None
