"""Reading and writing files: whole or not at all, and with errors that name the file."""

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from tinrocket.errors import FileError


def read_text(path: Path | str) -> str:
    """Return the text of a UTF-8 file.

    Raises
    ------
    FileError
        If it cannot be read or is not UTF-8.
    """
    try:
        return Path(path).read_text(encoding="utf-8-sig")
    except UnicodeDecodeError as error:
        raise FileError(f"{path}: is not a text file in UTF-8 ({error.reason})") from None
    except OSError as error:
        raise FileError(f"{path}: cannot be read: {_reason(error)}") from None


def make_directory(path: Path | str) -> Path:
    """Make a directory and those above it, and return it; FileError if it cannot be."""
    try:
        Path(path).mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(f"{path}: cannot be made a directory: {_reason(error)}") from None
    return Path(path)


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
    try:
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=".", suffix=path.suffix)
        os.close(handle)
    except OSError as error:
        raise FileError(f"{path}: cannot be written: {_reason(error)}") from None
    temporary = Path(name)
    try:
        yield temporary
        temporary.chmod(0o666 & ~_umask())
        temporary.replace(path)
    except OSError as error:
        raise FileError(f"{path}: cannot be written: {_reason(error)}") from None
    finally:
        temporary.unlink(missing_ok=True)


def write_text(path: Path | str, text: str) -> None:
    """Write a UTF-8 file, whole or not at all."""
    with replacing(path) as temporary:
        temporary.write_text(text, encoding="utf-8")


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def _reason(error: OSError) -> str:
    return (error.strerror or str(error)).lower()
