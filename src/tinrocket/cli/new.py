"""`tinrocket new`: a scenario file to start from."""

import json
import re
from pathlib import Path
from typing import Annotated

import typer

from tinrocket.cli import completion

SCHEMA = "tinrocket.schema.json"
"""What the format is called beside a scenario; TOML editors find it by the first line."""


def new(
    name: Annotated[str, typer.Argument(help="Name of the scenario, and of its file.")],
    demo: Annotated[
        str | None,
        typer.Option(
            "--from",
            metavar="DEMO",
            help="Start from a bundled scenario.",
            autocompletion=completion.demos,
        ),
    ] = None,
    tape_from: Annotated[
        Path | None,
        typer.Option(metavar="LOG", help="Play the keys recorded in a game's log."),
    ] = None,
    from_code: Annotated[
        str | None,
        typer.Option(
            metavar="FILE.py:NAME",
            help="Write an update function as rules, if each statement has one.",
        ),
    ] = None,
) -> None:
    """Write a commented scenario to start from, and its schema for editors beside it.

    An existing scenario is not replaced.
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
    if from_code is not None:
        _write_converted(from_code, path)
        return
    text = re.sub(
        r"^title = .*$",
        lambda _match: f"title = {title}",
        demo_text(demo or STARTER),
        count=1,
        flags=re.M,
    )
    if tape_from is not None:
        text = _with_tape(text, tape_from, path)
    schema = path.parent / SCHEMA
    write_text(schema, schema_text())
    write_text(path, f"#:schema ./{SCHEMA}\n{text}")
    echo(f"wrote {path}; try: tinrocket compare {path}")


def _write_converted(named: str, path: Path) -> None:
    """Write the scenario of an update function, or list its lines without a rule."""
    from tinrocket.cli.output import echo
    from tinrocket.errors import OptionError
    from tinrocket.own_update.as_rules import convert_update
    from tinrocket.own_update.own_scenario import read_update
    from tinrocket.scenario.toml_file import write_scenario

    own = read_update(named)
    made = convert_update(own)
    if made.scenario is None:
        rows = own.own.code.text.splitlines()
        lines = "\n".join(f"  line {n}: {rows[n - 1].strip()}" for n in made.lines)
        apart = "" if made.difference != made.difference else f" ({made.difference:.3g} px apart)"
        raise OptionError(f"{named}: no rule does what these lines do{apart}:\n{lines}")
    write_scenario(made.scenario, path)
    rate, by = made.scenario.tuned_at, made.difference
    echo(f"wrote {path}; at {rate:g} fps its path differs from the code's by {by:.1g} px")


def _with_tape(text: str, log: Path, path: Path) -> str:
    """Return a scenario that plays the keys of a log, which are written beside it."""
    from tinrocket.cli.output import echo
    from tinrocket.errors import FileError
    from tinrocket.logs.pace import tape_of_log
    from tinrocket.logs.read import read_log
    from tinrocket.scenario.csv_file import write_tape
    from tinrocket.scenario.toml_file import parse_scenario

    flight, actions = read_log(log), parse_scenario(text).actions
    every, tape = tape_of_log(flight), tape_of_log(flight, actions)
    if every is None:
        raise FileError(
            f"{log}: has no columns of keys; print a column of 0 and 1 for each, such as in.thrust"
        )
    recorded = {*every.holds, *every.values}
    unknown = sorted(recorded - set(actions))
    if tape is None:
        raise FileError(
            f"{log}: records {', '.join(sorted(recorded))}, and no rule of the scenario listens to "
            f"that; it listens to {', '.join(sorted(actions))}"
        )
    beside = path.with_suffix(".tape.csv")
    write_tape(tape, beside)
    echo(f"wrote {beside}, the keys of {log}")
    if unknown:
        echo(f"left out: {', '.join(unknown)}, to which no rule of the scenario listens")
    body, inside = [], False
    for line in text.splitlines():
        if line.startswith("["):
            inside = line.startswith(("[tape]", "[tape."))
        if not inside:
            body.append(line)
    body = [
        f"duration = {flight.duration:g}" if line.startswith("duration =") else line
        for line in body
    ]
    return "\n".join([*body, "[tape]", f'file = "{beside.name}"']) + "\n"
