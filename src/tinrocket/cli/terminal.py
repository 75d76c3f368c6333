"""The terminal that a command prints to: one that knows few letters, is full, or is gone."""

import codecs
import io
import os
import sys

PLAIN = {
    "–": "-",
    "—": "-",
    "→": "->",
    "…": "...",
    "±": "+-",
    "≤": "<=",
    "≥": ">=",
    "×": "x",
    "²": "2",
    "°": " deg",
    "−": "-",
}
"""What is printed for letters that a terminal does not know; for others a question mark."""

HANDLER = "tinrocket.plain"


def _in_plain_letters(error: UnicodeError) -> tuple[str, int]:
    if not isinstance(error, UnicodeEncodeError):
        raise error
    told = error.object[error.start : error.end]
    return "".join(PLAIN.get(letter, "?") for letter in told), error.end


def open_closed() -> None:
    """Open what was closed before the command began, so that no file takes its number."""
    for number, (name, mode) in enumerate((("stdin", "r"), ("stdout", "w"), ("stderr", "w"))):
        try:
            os.fstat(number)
        except OSError:
            os.open(os.devnull, os.O_RDWR)  # gets the lowest number that is free, which is this
        if getattr(sys, name) is None:
            setattr(sys, name, os.fdopen(number, mode, encoding="utf-8", closefd=False))


def make_printable() -> None:
    """Let output say in plain letters what its encoding does not know, instead of failing."""
    codecs.register_error(HANDLER, _in_plain_letters)
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors=HANDLER)


def flushed() -> OSError | None:
    """Write out all that was printed; return why that cannot be, and let go of it then."""
    try:
        sys.stdout.flush()
    except OSError as error:
        # what is still held would fail once more, with a traceback, when the process ends
        nowhere = os.open(os.devnull, os.O_WRONLY)
        os.dup2(nowhere, sys.stdout.fileno())
        os.close(nowhere)
        return error
    return None
