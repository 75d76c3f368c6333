"""`tinrocket schema`: the format for editors that check and complete TOML."""

from pathlib import Path
from typing import Annotated

import typer


def schema(
    out: Annotated[
        Path | None, typer.Option(help="File to write it to, instead of printing it.")
    ] = None,
) -> None:
    """Print the JSON Schema of scenario files."""
    from tinrocket.cli.output import echo
    from tinrocket.files import write_text
    from tinrocket.scenario.schema import schema_text

    if out is None:
        typer.echo(schema_text(), nl=False)
        return
    write_text(out, schema_text())
    echo(f"wrote {out}")
