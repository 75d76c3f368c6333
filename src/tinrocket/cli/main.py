"""The `tinrocket` command."""

import gc
import logging
import os
import sys
import warnings
from collections.abc import Sequence
from contextlib import suppress
from typing import Annotated

import typer

from tinrocket import __version__
from tinrocket.cli.check import check
from tinrocket.cli.choose import choose
from tinrocket.cli.compare import compare
from tinrocket.cli.demo import demo
from tinrocket.cli.explore import explore
from tinrocket.cli.feel import feel
from tinrocket.cli.fit import fit
from tinrocket.cli.new import new
from tinrocket.cli.pin import pin
from tinrocket.cli.play import play
from tinrocket.cli.report import report
from tinrocket.cli.run import run
from tinrocket.cli.schema import schema
from tinrocket.cli.solve import solve
from tinrocket.cli.terminal import flushed, make_printable, open_closed
from tinrocket.cli.trace import trace
from tinrocket.cli.watch import watch
from tinrocket.cli.why import why
from tinrocket.errors import TinRocketError
from tinrocket.texts import safe_line

RENAMED = {"--screen": "--view"}
"""Options that were called otherwise before."""

app = typer.Typer(
    name="tinrocket",
    help="Tune arcade motion and see how it feels at every frame rate.",
    no_args_is_help=True,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
)
COMMANDS = (
    *(demo, run, compare, why, feel, solve, fit, explore, choose, report, play),
    *(pin, check, watch, trace, new, schema),
)
for command in COMMANDS:
    app.command()(command)


INTERRUPTED = 130
"""The exit code of a command that Ctrl-C ended, as shells have it."""


def _version(requested: bool) -> None:
    if requested:
        typer.echo(f"tinrocket {__version__}")
        raise typer.Exit


@app.callback()
def options(
    version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Print the version.")
    ] = False,
) -> None:
    """Tune arcade motion and see how it feels at every frame rate."""


def main() -> None:
    """Run the command line; invalid input prints a one-line error and exits with 2."""
    open_closed()
    make_printable()
    for old, now in RENAMED.items():
        if old in sys.argv[1:]:
            print(f"tinrocket: there is no option {old}; it is called {now} now", file=sys.stderr)
            sys.exit(2)
    os.environ["MPLBACKEND"] = "agg"  # pictures are files here, whatever else is set
    logging.getLogger("matplotlib").setLevel(logging.ERROR)  # nor does its own cache matter
    warnings.showwarning = _as_a_line
    gc.disable()  # looking for cycles is a quarter of a short command's time, and it ends soon
    code: int | str | None = 0
    wrong: list[str] = []
    try:
        if _draws(sys.argv[1:]):  # that takes longest to load, and begins before all else
            from tinrocket.cli.draw.pool import prepare

            prepare()
        app()
    except SystemExit as left:
        code = left.code
    except TinRocketError as error:
        wrong = str(error).splitlines()
    except RuntimeError as error:  # Python wraps an interrupt in `__set_name__`
        if not isinstance(error.__cause__, KeyboardInterrupt):
            raise
        code = INTERRUPTED
    except MemoryError:
        wrong = ["there is not enough memory for that; shorten the scenario, or record less of it"]
    except OSError as error:
        wrong = _unwritable(error)
        code = 1 if isinstance(error, BrokenPipeError) else 0
    lost = flushed()
    if lost is not None and not wrong and not isinstance(lost, BrokenPipeError):
        wrong = _unwritable(lost)
    with suppress(OSError):  # with stderr closed, the exit code still reports it
        for line in wrong:
            print(f"tinrocket: {safe_line(line)}", file=sys.stderr)
    sys.exit(2 if wrong else code)


def _as_a_line(message: Warning | str, *_where: object, **_more: object) -> None:
    """Print a warning of the library beside the results, without the place in its code."""
    with suppress(OSError):
        print(f"warning: {safe_line(str(message))}", file=sys.stderr)


def _draws(arguments: Sequence[str]) -> bool:
    """Whether a command will have pictures drawn beside itself."""
    out = any(argument.split("=")[0] == "--out" for argument in arguments)
    requested = arguments[:1] == ["demo"] or (out and arguments[0] in ("compare", "watch"))
    return requested and "--help" not in arguments


def _unwritable(error: OSError) -> list[str]:
    """Return why output cannot be written; an empty text if the reader has closed the pipe."""
    if isinstance(error, BrokenPipeError):
        return []
    return [f"the output cannot be written: {(error.strerror or str(error)).lower()}"]
