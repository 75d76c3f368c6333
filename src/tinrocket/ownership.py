"""Recognise what this program wrote for this user: private folders, and a secret key.

A file name or a digest alone can be made up by anyone.  A digest made with the user's key cannot:
it marks compiled code and half-written files as this program's own.
"""

import hashlib
import os
import secrets
import stat
from contextlib import suppress
from functools import lru_cache
from pathlib import Path

import platformdirs

KEY_BYTES = 32
OTHERS_MAY_WRITE = stat.S_IWGRP | stat.S_IWOTH


class UnsafePlaceError(Exception):
    """A folder or file that another user owns or may change; the message gives the reason."""


def check_private(path: Path, status: os.stat_result) -> None:
    """Refuse a folder or file that belongs to another user, or that others can write.

    Raises
    ------
    UnsafePlaceError
        The message gives the fault and its remedy.
    """
    if hasattr(os, "geteuid") and status.st_uid != os.geteuid():
        raise UnsafePlaceError(f"{path} belongs to another user")
    if hasattr(os, "geteuid") and status.st_mode & OTHERS_MAY_WRITE:
        raise UnsafePlaceError(f"{path} can be written by other users; run: chmod go-w '{path}'")


def make_private_folder(folder: Path) -> None:
    """Make a folder that only its owner can enter; those above it are made if they are missing.

    Raises
    ------
    UnsafePlaceError
        If it exists and is a link, belongs to another user, or others can write it.
    OSError
        If it cannot be made.
    """
    with suppress(FileExistsError):
        folder.mkdir(mode=0o700, parents=True)
    status = folder.lstat()
    if not stat.S_ISDIR(status.st_mode):
        raise UnsafePlaceError(f"{folder} is a link or a file, and must be a folder")
    check_private(folder, status)


def read_private(path: Path) -> bytes:
    """Return the bytes of the user's own plain file, never through a link.

    Raises
    ------
    UnsafePlaceError
        If it is something else than a plain file, belongs to another user, or others can write it.
    OSError
        If it cannot be read.
    """
    # without blocking: a pipe in its place would wait for a writer
    flags = os.O_RDONLY | getattr(os, "O_NOFOLLOW", 0) | getattr(os, "O_NONBLOCK", 0)
    handle = os.open(path, flags | getattr(os, "O_BINARY", 0))
    with os.fdopen(handle, "rb") as file:
        status = os.fstat(handle)
        if not stat.S_ISREG(status.st_mode):
            raise UnsafePlaceError(f"{path} is not a plain file")
        check_private(path, status)
        return file.read()


def state_folder() -> Path:
    """Return the folder of the user's key."""
    return Path(platformdirs.user_state_dir("tinrocket", False))


def seal(*parts: bytes, size: int = 32) -> bytes | None:
    """Return a digest of some bytes that only this user's programs can make.

    Parameters
    ----------
    parts
        The data to seal; their lengths count, so that shifted lists differ.
    size
        Length of the digest [bytes].

    Returns
    -------
    None if no key can be stored.
    """
    key = _key_in(state_folder())
    if key is None:
        return None
    digest = hashlib.blake2b(key=key, digest_size=size)
    for part in parts:
        digest.update(len(part).to_bytes(8, "little"))
        digest.update(part)
    return digest.digest()


@lru_cache(maxsize=4)
def _key_in(folder: Path) -> bytes | None:
    """Return the key in a folder, made if missing; None if it cannot be stored safely."""
    path = folder / "key"
    try:
        make_private_folder(folder)
        with suppress(FileNotFoundError):
            key = read_private(path)
            return key if len(key) == KEY_BYTES else None
        # write a temporary file and link it: two first runs then read the same whole key
        fresh = path.with_name(f".key-{secrets.token_hex(6)}")
        handle = os.open(fresh, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600)
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(secrets.token_bytes(KEY_BYTES))
            with suppress(FileExistsError):
                os.link(fresh, path)
        finally:
            fresh.unlink(missing_ok=True)
        key = read_private(path)
    except (OSError, UnsafePlaceError):
        return None
    return key if len(key) == KEY_BYTES else None
