"""Make texts from files safe to show: on a terminal, in a build log, and in JSON."""

import json
import re
from collections.abc import Sequence

MOST_LISTED = 8
"""Names that a list of some of them shows."""

LONGEST = 400
"""Most characters of a line of a message; longer lines are cut in the middle."""

COMMAND = re.compile(r"^(\s*):(?=:)|#(?=#\[)")
"""Lines that a build server takes as commands: those that begin with ``::``, or contain ``##[``."""


def printable(text: str) -> str:
    """Return a text as one line, with what no terminal and no picture shows escaped."""
    if text.isprintable():
        return text
    return "".join(letter if letter.isprintable() else _escape(letter) for letter in text)


def _escape(letter: str) -> str:
    return letter.encode("unicode_escape").decode("ascii")


def plain(text: str) -> str:
    """Return a text as one line that a terminal only prints: escaped, and cut in the middle."""
    line = printable(text)
    half = LONGEST // 2 - 2
    return line if len(line) <= LONGEST else f"{line[:half]} … {line[-half:]}"


def some_of(names: Sequence[str], most: int = MOST_LISTED) -> str:
    """Return names separated by commas: the first few, and how many more there are."""
    listed = ", ".join(names[:most])
    return listed if len(names) <= most else f"{listed} and {len(names) - most} more"


def safe_line(text: str) -> str:
    """Return a text as one line that neither a terminal nor a build server takes as a command."""
    return COMMAND.sub(
        lambda sign: sign[0].replace(":", r"\x3a").replace("#", r"\x23"), printable(text)
    )


def safe_output(text: str) -> str:
    """Return lines of output, each made safe by `safe_line`; all commands print through it."""
    return "\n".join(map(safe_line, text.split("\n")))


def json_text(data: object) -> str:
    """Return plain data as indented JSON, with what cannot be printed escaped."""
    text = json.dumps(data, indent=2, ensure_ascii=False)
    return "\n".join(map(_json_line, text.split("\n")))


def _json_line(line: str) -> str:
    if line.isprintable():
        return line
    return "".join(letter if letter.isprintable() else json.dumps(letter)[1:-1] for letter in line)
