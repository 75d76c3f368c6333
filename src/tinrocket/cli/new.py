"""`tinrocket new`: a scenario file to start from."""

import json
import re
from pathlib import Path
from typing import Annotated

import typer

SCHEMA = "tinrocket.schema.json"
"""What the format is called beside a scenario; TOML editors find it by the first line."""


def new(
    name: Annotated[str, typer.Argument(help="Name of the scenario, and of its file.")],
    demo: Annotated[
        str | None, typer.Option("--from", metavar="DEMO", help="Start from a bundled scenario.")
    ] = None,
) -> None:
    """Write a commented scenario to start from, and its schema for editors beside it.

    A scenario that exists is left alone.
    """
    from tinrocket.cli.output import echo
    from tinrocket.demos import STARTER, demo_text
    from tinrocket.errors import FileError
    from tinrocket.files import write_text
    from tinrocket.scenario.schema import schema_text

    if not name.removesuffix(".toml").strip():
        raise FileError(f"'{name}': a scenario needs a name, such as rocket")
    try:
        name.encode()
    except UnicodeEncodeError:
        raise FileError(f"'{name}': a scenario's name is text in UTF-8; choose another") from None
    path = Path(name if name.endswith(".toml") else f"{name}.toml")
    if path.exists():
        raise FileError(f"{path}: exists already and is left as it is; choose another name")
    title = json.dumps(path.stem, ensure_ascii=False)
    text = re.sub(
        r"^title = .*$",
        lambda _match: f"title = {title}",
        demo_text(demo or STARTER),
        count=1,
        flags=re.M,
    )
    schema = path.parent / SCHEMA
    write_text(schema, schema_text())
    write_text(path, f"#:schema ./{SCHEMA}\n{text}")
    echo(f"wrote {path}; try: tinrocket compare {path}")
