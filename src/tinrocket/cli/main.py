"""The `tinrocket` command."""

import gc
import sys
from typing import Annotated

import typer

from tinrocket import __version__
from tinrocket.cli.compare import compare
from tinrocket.cli.demo import demo
from tinrocket.cli.new import new
from tinrocket.cli.run import run
from tinrocket.cli.schema import schema
from tinrocket.cli.trace import trace
from tinrocket.cli.watch import watch
from tinrocket.errors import TinRocketError

RENAMED = {"--screen": "--view"}
"""Options that were called otherwise before."""

app = typer.Typer(
    name="tinrocket",
    help="Tune arcade motion and see how it feels at every frame rate.",
    no_args_is_help=True,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
)
for command in (demo, run, compare, watch, trace, new, schema):
    app.command()(command)


def _version(asked: bool) -> None:
    if asked:
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
    """Run the command line; what is wrong with the input is a sentence and exit code 2."""
    for old, now in RENAMED.items():
        if old in sys.argv[1:]:
            print(f"tinrocket: there is no option {old}; it is called {now} now", file=sys.stderr)
            sys.exit(2)
    gc.disable()  # looking for cycles is a quarter of a short command's time, and it ends soon
    try:
        app()
    except TinRocketError as error:
        for line in str(error).splitlines():
            print(f"tinrocket: {line}", file=sys.stderr)
        sys.exit(2)
