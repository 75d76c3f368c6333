"""Reading and writing files: whole or not at all, and with errors that name the file."""

import hashlib
import os
import re
import secrets
import stat
import tomllib
from collections.abc import Iterator, Sequence
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

from tinrocket.errors import FileError, OptionError
from tinrocket.ownership import seal

LARGEST_TEXT = 256 * 2**20
"""Largest size of a text file that is read as a whole [bytes]."""


def as_path(given: object) -> Path:
    """Return a path from an argument.

    Raises
    ------
    OptionError
        If it is neither a text nor a path.
    FileError
        If it is empty.
    """
    if not isinstance(given, str | os.PathLike) or isinstance(os.fspath(given), bytes):
        raise OptionError(f"a file is named by a text or a path, not by {given!r}")
    if not os.fspath(given):
        raise FileError("a file needs a name, such as rocket.toml; this one is empty")
    return Path(given)


def checked_file(path: Path | str, most: int | None = None) -> Path:
    """Return the path of a regular file of at most a given size.

    Raises
    ------
    FileError
        If it does not exist, is not a regular file (a pipe or a device may have no end), or is too
        large.
    """
    path = as_path(path)
    try:
        status = path.stat()
    except (OSError, ValueError) as error:
        raise FileError(f"{path}: cannot be read: {_reason(error)}") from None
    if not stat.S_ISREG(status.st_mode):
        kind = "a directory" if stat.S_ISDIR(status.st_mode) else "a pipe or a device"
        raise FileError(f"{path}: cannot be read: it is {kind}, not a file")
    if most is not None and status.st_size > most:
        raise FileError(
            f"{path}: is too large: {status.st_size / 2**20:.0f} MiB, and at most "
            f"{most / 2**20:.0f} are read"
        )
    return path


def read_bytes(path: Path | str, most: int) -> bytes:
    """Return the bytes of a file, up to a limit; FileError if it cannot be read."""
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
    """Return the data of a TOML text; FileError, which names the source, if it is invalid."""
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        raise FileError(f"{source}: is not TOML: {error}") from None
    # a table nested a thousand deep, or a number like 10**5000
    except (RecursionError, ValueError):
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


PARTIAL = re.compile(
    r"\.(?P<stem>.{0,60})-(?P<nonce>[0-9a-f]{12})(?P<seal>[0-9a-f]{16})\.partial.*"
)
"""Pattern of the names of half-written files; a seal marks those of this user."""


def sweep_partial(folder: Path) -> None:
    """Delete the plain files that a killed run of this user's has left half-written in a folder."""
    with opened(folder) as handle:
        for name in os.listdir(folder if handle is None else handle):  # noqa: PTH208  # by handle
            named = PARTIAL.fullmatch(name)
            if named and named["seal"] == _seal_of_partial(named["nonce"]):
                unlink_plain(name, handle)


def _seal_of_partial(nonce: str) -> str:
    sealed = seal(b"partial", nonce.encode(), size=8)
    return "0" * 16 if sealed is None else sealed.hex()


@contextmanager
def opened(folder: Path) -> Iterator[int | None]:
    """Open a folder that is not a link; None where a system cannot work below an open folder.

    Raises
    ------
    FileError
        If it is a link, or cannot be opened.
    """
    if os.unlink not in os.supports_dir_fd or not hasattr(os, "O_NOFOLLOW"):
        yield None
        return
    if folder.is_symlink():
        raise FileError(f"{folder}: is a link; results are neither written nor deleted through one")
    try:
        handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW)
    except (OSError, ValueError) as error:
        raise FileError(f"{folder}: cannot be opened as a folder: {_reason(error)}") from None
    try:
        yield handle
    finally:
        os.close(handle)


def unlink_plain(name: str, handle: int | None, digest: str | None = None) -> None:
    """Delete a plain file of a folder, unless it is a link or its content has changed.

    Parameters
    ----------
    name
        Its name in the folder.
    handle
        The open folder, so that no link in its place is followed; without one nothing is deleted.
    digest
        Digest of the content as it was written (default: any content).
    """
    if handle is None:
        return
    with suppress(OSError, ValueError):
        flags = os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK
        with os.fdopen(os.open(name, flags, dir_fd=handle), "rb") as file:
            plain = stat.S_ISREG(os.fstat(file.fileno()).st_mode)
            if plain and (
                digest is None or hashlib.file_digest(file, DIGEST).hexdigest() == digest
            ):
                os.unlink(name, dir_fd=handle)


DIGEST = "sha256"


def digest_of(path: Path) -> str:
    """Return a digest of a file's contents."""
    with path.open("rb") as file:
        return hashlib.file_digest(file, DIGEST).hexdigest()


def _partial_beside(path: Path) -> Path:
    """Make an empty file beside a path; only its owner can read it if it will replace another."""
    if not path.name:
        raise FileError(f"{path}: cannot be written: it is a directory, not a file")
    nonce = secrets.token_hex(6)
    name = f".{path.stem[:60]}-{nonce}{_seal_of_partial(nonce)}.partial{path.suffix}"
    try:
        temporary = path.with_name(name)
        # a new file gets the user's usual permissions
        mode = 0o600 if path.exists() else 0o666
        os.close(os.open(temporary, os.O_CREAT | os.O_EXCL | os.O_WRONLY, mode))
    except (OSError, ValueError) as error:
        raise FileError(f"{path}: cannot be written: {_reason(error)}") from None
    return temporary


@contextmanager
def replacing(path: Path | str) -> Iterator[Path]:
    """Yield a temporary path beside `path`, and move it into place if no error is raised.

    An interruption leaves the old file or the new one, never half of one.  A file that is replaced
    keeps its mode.

    Raises
    ------
    FileError
        If the file cannot be written.
    """
    with replacing_all([path]) as (temporary,):
        yield temporary


@contextmanager
def replacing_all(paths: Sequence[Path | str]) -> Iterator[list[Path]]:
    """Yield a temporary path for each of several related files, and move all into place.

    An interruption leaves the old files, the new ones, or no file at the last path: never that file
    beside files of another run. The old file then has the name of a half-written one.

    Raises
    ------
    FileError
        If a file cannot be written.
    """
    targets = [as_path(path) for path in paths]
    temporary: list[Path] = []
    try:
        for path in reversed(targets):
            temporary.insert(0, _partial_beside(path))
        with _telling(targets[-1]):
            yield temporary
        for path, written in zip(targets, temporary, strict=True):
            with _telling(path), written.open("rb") as file:
                os.fsync(file.fileno())  # flush to disk before it replaces the old file
        _move_all(targets, temporary)
    finally:
        for temporary_path in temporary:
            temporary_path.unlink(missing_ok=True)


def _move_all(targets: Sequence[Path], temporary: Sequence[Path]) -> None:
    """Move files into place in order; the old last file is moved away first."""
    last, aside = targets[-1], None
    if len(targets) > 1 and last.is_file():
        aside = _partial_beside(last)
        with _telling(last):
            aside.chmod(last.stat().st_mode)
            last.replace(aside)
    try:
        for path, written in zip(targets, temporary, strict=True):
            with _telling(path):
                replaced = aside if aside is not None and path == last else path
                with suppress(FileNotFoundError):
                    written.chmod(stat.S_IMODE(replaced.stat().st_mode))
                written.replace(path)
    except FileError:
        if aside is not None:
            aside.replace(last)
        raise
    if aside is not None:
        aside.unlink(missing_ok=True)


@contextmanager
def _telling(path: Path) -> Iterator[None]:
    """Turn an OSError into a FileError that names the path."""
    try:
        yield
    except FileError:
        raise
    except OSError as error:
        raise FileError(f"{path}: cannot be written: {_reason(error)}") from None


def write_text(path: Path | str, text: str) -> None:
    """Write a UTF-8 file, whole or not at all."""
    try:
        data = text.encode()
    except UnicodeEncodeError:  # a lone surrogate, as in names of broken files
        raise FileError(f"{path}: cannot be written: the text has invalid characters") from None
    with replacing(path) as temporary:
        temporary.write_bytes(data)


def _reason(error: Exception) -> str:
    return (getattr(error, "strerror", None) or str(error)).lower()
