"""Reading and writing files: whole or not at all, and with errors that name the file."""

import os
import secrets
import stat
import tomllib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from tinrocket.errors import FileError

LARGEST_TEXT = 256 * 2**20
"""Bytes of a text file that is read as a whole, at most."""


def checked_file(path: Path | str, most: int | None = None) -> Path:
    """Return the path of a file of bytes on disk, of at most so many.

    Raises
    ------
    FileError
        If there is none, if it is something else (a pipe or a device may have no end), or if it
        is too large.
    """
    try:
        told = Path(path).stat()
    except (OSError, ValueError) as error:
        raise FileError(f"{path}: cannot be read: {_reason(error)}") from None
    if not stat.S_ISREG(told.st_mode):
        kind = "a directory" if stat.S_ISDIR(told.st_mode) else "a pipe or a device"
        raise FileError(f"{path}: cannot be read: it is {kind}, not a file")
    if most is not None and told.st_size > most:
        raise FileError(
            f"{path}: is too large: {told.st_size / 2**20:.0f} MiB, and at most "
            f"{most / 2**20:.0f} are read"
        )
    return Path(path)


def read_bytes(path: Path | str, most: int) -> bytes:
    """Return what is in a file of at most so many bytes; FileError if it cannot be read."""
    try:
        return checked_file(path, most).read_bytes()
    except OSError as error:
        if isinstance(error, FileError):
            raise
        raise FileError(f"{path}: cannot be read: {_reason(error)}") from None


def read_text(path: Path | str) -> str:
    """Return the text of a UTF-8 file.

    Raises
    ------
    FileError
        If it cannot be read or is not UTF-8.
    """
    try:
        return read_bytes(path, LARGEST_TEXT).decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise FileError(f"{path}: is not a text file in UTF-8 ({error.reason})") from None


def parse_toml(text: str, source: Path | str) -> dict[str, Any]:
    """Return what TOML text says; FileError, which names the source, if it is none."""
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise FileError(f"{source}: is not TOML: {error}") from None
    except (RecursionError, ValueError):  # what nests a thousand deep, or counts to 10**5000
        raise FileError(
            f"{source}: cannot be read: it nests too deeply, or a number is too long"
        ) from None


def make_directory(path: Path | str) -> Path:
    """Make a directory and those above it, and return it; FileError if it cannot be."""
    try:
        Path(path).mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(f"{path}: cannot be made a directory: {_reason(error)}") from None
    return Path(path)


PARTIAL = ".partial"
"""What the name of a file ends in, before its ending, that is not complete."""


def sweep_partial(folder: Path) -> None:
    """Delete what a run that was killed has left half written in a folder."""
    for path in folder.glob(f".*{PARTIAL}*"):
        path.unlink(missing_ok=True)


@contextmanager
def replacing(path: Path | str) -> Iterator[Path]:
    """Give a temporary path beside `path`, and move it into place if all went well.

    An interruption leaves the old file or the new one, never half of one.

    Raises
    ------
    FileError
        If the file cannot be written.
    """
    path = Path(path)
    temporary = path.with_name(f".{path.stem[:60]}-{secrets.token_hex(6)}{PARTIAL}{path.suffix}")
    try:
        # made as any file of the user's is, so that it gets the permissions that those have
        os.close(os.open(temporary, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o666))
    except (OSError, ValueError) as error:
        raise FileError(f"{path}: cannot be written: {_reason(error)}") from None
    try:
        yield temporary
        with temporary.open("rb") as written:  # on disk before it takes the place of the old one
            os.fsync(written.fileno())
        temporary.replace(path)
    except OSError as error:
        if isinstance(error, FileError):
            raise
        raise FileError(f"{path}: cannot be written: {_reason(error)}") from None
    finally:
        temporary.unlink(missing_ok=True)


def write_text(path: Path | str, text: str) -> None:
    """Write a UTF-8 file, whole or not at all."""
    with replacing(path) as temporary:
        temporary.write_text(text, encoding="utf-8")


def _reason(error: Exception) -> str:
    return (getattr(error, "strerror", None) or str(error)).lower()
