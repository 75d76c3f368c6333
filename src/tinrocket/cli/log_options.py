"""Options that say how a game's logs are to be read."""

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Literal

import typer

if TYPE_CHECKING:
    from tinrocket.logs.read import Align as Aligned
    from tinrocket.logs.read import LogFormat

ENDINGS = (".csv", ".tsv", ".txt", ".log", ".parquet")

Columns = Annotated[
    list[str] | None,
    typer.Option(
        metavar="T=NAME,X=NAME",
        help="Columns of logs: t, dt, craft, x, y, vx, vy, heading, event, in.ACTION.",
    ),
]
WrapX = Annotated[
    str | None, typer.Option(metavar="LOW:HIGH", help="Where x wraps in the logs, such as 0:640.")
]
WrapY = Annotated[str | None, typer.Option(metavar="LOW:HIGH", help="Where y wraps in the logs.")]
Align = Annotated[
    Literal["start", "motion", "keys"],
    typer.Option(help="Where the time of a log begins: its start, first motion, or first key."),
]
YUp = Annotated[bool, typer.Option("--y-up", help="In the logs y grows upward.")]


def is_log(path: Path) -> bool:
    """Whether a file is a log, by its ending."""
    return path.suffix.lower() in ENDINGS


def log_format(
    columns: Sequence[str] | None,
    wrap_x: str | None,
    wrap_y: str | None,
    align: "Aligned",
    *,
    y_up: bool,
) -> "LogFormat":
    """Return how logs are to be read, as options say it.

    Raises
    ------
    OptionError
        If an option is not of its form.
    """
    from tinrocket.errors import OptionError
    from tinrocket.logs.read import LogFormat

    told = {}
    for part in ",".join(columns or ()).split(","):
        meaning, equals, name = part.partition("=")
        if part and not (meaning.strip() and equals and name.strip()):
            raise OptionError(f"--columns: '{part}' is not of the form t=time,x=px")
        if part:
            told[meaning.strip()] = name.strip()
    return LogFormat(told, _range(wrap_x, "--wrap-x"), _range(wrap_y, "--wrap-y"), align, y_up=y_up)


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
