"""The terminal that a command prints to: limited encodings, full disks, closed pipes."""

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
"""Replacements for characters that a terminal cannot encode; others become a question mark."""

HANDLER = "tinrocket.plain"


def _in_plain_letters(error: UnicodeError) -> tuple[str, int]:
    if not isinstance(error, UnicodeEncodeError):
        raise error
    text = error.object[error.start : error.end]
    return "".join(PLAIN.get(letter, "?") for letter in text), error.end


def open_closed() -> None:
    """Reopen standard streams closed at start, so that no file takes their descriptors."""
    for number, (name, mode) in enumerate((("stdin", "r"), ("stdout", "w"), ("stderr", "w"))):
        try:
            os.fstat(number)
        except OSError:
            # open() takes the lowest free descriptor, which is the closed one
            os.open(os.devnull, os.O_RDWR)
        if getattr(sys, name) is None:
            setattr(sys, name, os.fdopen(number, mode, encoding="utf-8", closefd=False))


def make_printable() -> None:
    """Make output replace characters that its encoding lacks, instead of failing."""
    codecs.register_error(HANDLER, _in_plain_letters)
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors=HANDLER)


def flushed() -> OSError | None:
    """Flush the output; if that fails, return why, and drop the buffer."""
    try:
        sys.stdout.flush()
    except OSError as error:
        # else the buffered text would fail again, with a traceback, at exit
        nowhere = os.open(os.devnull, os.O_WRONLY)
        os.dup2(nowhere, sys.stdout.fileno())
        os.close(nowhere)
        return error
    return None
