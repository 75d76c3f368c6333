"""Options for reading a game's logs."""

from collections.abc import Sequence
from dataclasses import dataclass, fields
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Literal

import typer

if TYPE_CHECKING:
    from tinrocket.logs.log_format import LogFormat

ENDINGS = (".csv", ".tsv", ".txt", ".log", ".json", ".jsonl", ".ndjson", ".parquet")

Columns = Annotated[
    list[str] | None,
    typer.Option(
        metavar="T=NAME,X=NAME",
        help="Columns of logs: t, dt, craft, x, y, vx, vy, heading, event, in.ACTION.",
    ),
]
WrapX = Annotated[
    str | None,
    typer.Option(metavar="LOW:HIGH", help="Range in which x wraps in the logs, such as 0:640."),
]
WrapY = Annotated[
    str | None, typer.Option(metavar="LOW:HIGH", help="Range in which y wraps in the logs.")
]
Align = Annotated[
    Literal["start", "motion", "keys"],
    typer.Option(help="Time 0 of a log: its start, first motion, or first key."),
]
YUp = Annotated[
    bool | None,
    typer.Option(
        "--y-up/--y-down",
        help="Direction of y in the logs (default: as in the scenario).",
    ),
]
LogRate = Annotated[
    float | None,
    typer.Option(
        "--rate",
        metavar="FPS",
        help="Frames per second of logs that count frames, or round their times.",
    ),
]
HeadingUnit = Annotated[
    Literal["deg", "rad"] | None, typer.Option(help="Unit of headings in logs.")
]
FirstRow = Annotated[
    Literal["told", "start", "end"],
    typer.Option(
        help="First row of a log: the start, the end of the first frame, or the moment in its "
        "time column."
    ),
]


@dataclass(frozen=True, slots=True)
class LogOptions:
    """The options for reading logs, as typed."""

    columns: Sequence[str] | None = None
    wrap_x: str | None = None
    wrap_y: str | None = None
    align: Literal["start", "motion", "keys"] = "start"
    y_up: bool | None = None
    rate: float | None = None
    heading: Literal["deg", "rad"] | None = None
    first_row: Literal["told", "start", "end"] = "told"

    def typed(self) -> dict[str, object]:
        """Return the options that were given, by how they are typed."""
        options = {
            f"--{field.name.replace('_', '-')}": getattr(self, field.name) for field in fields(self)
        }
        usual = {f"--{field.name.replace('_', '-')}": field.default for field in fields(self)}
        return {name: True for name, value in options.items() if value not in (usual[name], [])}


def is_log(path: Path) -> bool:
    """Whether a file is a log, by its ending."""
    return path.suffix.lower() in ENDINGS


def log_format(options: LogOptions) -> "LogFormat":
    """Return the log format that the options describe.

    Raises
    ------
    OptionError
        If an option is not of its form.
    """
    from tinrocket.errors import OptionError
    from tinrocket.logs.log_format import LogFormat

    declared = {}
    for part in ",".join(options.columns or ()).split(","):
        meaning, equals, name = part.partition("=")
        if part and not (meaning.strip() and equals and name.strip()):
            raise OptionError(f"--columns: '{part}' is not of the form t=time,x=px")
        if part:
            declared[meaning.strip()] = name.strip()
    return LogFormat(
        declared,
        wrap_x=_range(options.wrap_x, "--wrap-x"),
        wrap_y=_range(options.wrap_y, "--wrap-y"),
        align=options.align,
        y_up=options.y_up,
        rate=options.rate,
        heading=options.heading,
        first_row=options.first_row,
    )


def _range(text: str | None, option: str) -> tuple[float, float] | None:
    from tinrocket.errors import OptionError

    if text is None:
        return None
    try:
        low, high = (float(part) for part in text.split(":"))
    except ValueError:
        raise OptionError(
            f"{option}: '{text}' is not of the form low:high, such as 0:640"
        ) from None
    return low, high
