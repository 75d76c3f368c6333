"""The scenario file that a command works on, and how it is flown."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from tinrocket.cli import completion

if TYPE_CHECKING:
    from tinrocket.scenario.clock import Clock
    from tinrocket.scenario.scenario import Scenario
    from tinrocket.scenario.vary import Value

USUAL_RATES = "30,60,144"

ScenarioFile = Annotated[
    Path, typer.Argument(help="A scenario file (TOML), or an update function: FILE.py:NAME.")
]
Rates = Annotated[str, typer.Option(help="Frame rates [1/s].", metavar="R,R")]
Rate = Annotated[
    float | None,
    typer.Option(help="Frames per second (default: those of the scenario's clock)."),
]
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
        autocompletion=completion.paths,
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
        "--allow-outside", help="Allow files outside the scenario's folder that it names."
    ),
]
TapeFile = Annotated[
    Path | None,
    typer.Option(
        metavar="FILE.csv", help="A tape (t,action,value) to fly instead of the scenario's own."
    ),
]
Duration = Annotated[
    float | None, typer.Option(help="Seconds to fly (default: the scenario's duration).")
]
FreeNumbers = Annotated[
    list[str],
    typer.Option(
        "--free",
        metavar="PATH[=FROM:TO]",
        help="A number that may change, and its range; may be repeated.",
        autocompletion=completion.paths,
    ),
]
Port = Annotated[int, typer.Option(help="Port to listen on (default: any free one).")]
InBrowser = Annotated[bool, typer.Option(help="Open the page in the browser.")]
AsJson = Annotated[bool, typer.Option("--json", help="Print JSON and nothing else.")]
OfCraft = Annotated[
    str | None, typer.Option(help="Craft to show (default: all).", autocompletion=completion.craft)
]
Tolerance = Annotated[float, typer.Option(help="Distance that still counts as the same [px].")]


@dataclass(frozen=True)
class Session:
    """A scenario file with the options for reading and flying it.

    Attributes
    ----------
    file
        The scenario file.
    rules
        Python file with custom motion rules, executed before the scenario is read.
    allow_outside
        Whether files that the scenario names may lie outside of its folder.
    rates, rate
        Frame rates as they are typed; or a single one, of a command that flies once.
    frame_times
        Files of captured frame times.
    vary
        Values to try, as they are typed.
    tape
        A tape (CSV) that is flown instead of the scenario's own.
    duration
        Time to fly [s], instead of the scenario's duration.
    """

    file: Path
    rules: Path | None = None
    allow_outside: bool = False
    rates: str = USUAL_RATES
    rate: float | None = None
    frame_times: Sequence[Path] | None = None
    vary: Sequence[str] | None = None
    tape: Path | None = None
    duration: float | None = None

    def load_rules(self) -> None:
        """Execute the file with motion rules, if there is one."""
        load_rules(self.rules)

    @cached_property
    def scenario(self) -> "Scenario":
        """The scenario, read once."""
        self.load_rules()
        return self._played(self.read())

    def _played(self, scenario: "Scenario") -> "Scenario":
        """Return the scenario with another tape or duration, if they are asked for."""
        from tinrocket.scenario.vary import with_value

        if self.tape is not None:
            from tinrocket.scenario.hands import with_tape

            scenario = with_tape(scenario, self.tape)
        if self.duration is not None:
            scenario = with_value(scenario, "duration", self.duration)
        return scenario

    def read(self, file: Path | None = None) -> "Scenario":
        """Read the scenario anew, or another file as it is read.

        A name such as ``game.py:update`` is an update function; its assumptions go to stderr.
        """
        from tinrocket.own_update.loading import is_own_update

        if is_own_update(file or self.file):
            from tinrocket.cli.output import echo
            from tinrocket.own_update.own_scenario import read_update

            own = read_update(str(file or self.file))
            echo(f"assuming: {'; '.join(own.own.assumptions)}", err=True)
            return own
        from tinrocket.scenario.toml_file import read_scenario

        return read_scenario(file or self.file, allow_outside=self.allow_outside)

    @cached_property
    def parsed_rates(self) -> list[float]:
        """The frame rates [1/s]."""
        from tinrocket.cli.output import parse_rates

        return parse_rates(self.rates)

    @cached_property
    def clocks(self) -> "list[Clock]":
        """A clock for each file of captured frame times."""
        return captured(self.frame_times)

    @cached_property
    def varied(self) -> "dict[str, list[Value]]":
        """Values to try, by their paths."""
        from tinrocket.scenario.vary import parse_vary

        return parse_vary(self.vary or ())

    @cached_property
    def clock(self) -> "Clock | None":
        """The one clock of a command that flies once; None for that of the scenario.

        Raises
        ------
        OptionError
            If a rate and frame times are given, or several files of them.
        """
        from tinrocket.cli.output import parse_rates
        from tinrocket.errors import OptionError

        if self.frame_times:
            if self.rate is not None or len(self.frame_times) > 1:
                raise OptionError("give one --rate or one --frame-times; 'compare' takes several")
            return self.clocks[0]
        if self.rate is None:
            return None
        return self.scenario.clock.at_rate(parse_rates(f"{self.rate:g}", "--rate")[0])

    def variants(self) -> "list[tuple[str, Scenario]]":
        """Return each combination of the values to try: its label, and the scenario with it."""
        from tinrocket.scenario.vary import combinations, label

        return [
            (label(changed), scenario)
            for changed, scenario in combinations(self.scenario, self.varied)
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
        If it cannot be read, or raises an error.
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
    except Exception as error:  # whatever the file raises is printed in one line
        raise FileError(f"{path}: {type(error).__name__}: {error}") from None
