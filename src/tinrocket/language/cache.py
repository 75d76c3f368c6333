"""Compiled modules on disk, so that a structure is compiled once for a machine.

A file is a seal and then the machine code.  The seal is made with the user's secret key over the
name of the file and its code, so that neither code from elsewhere nor two files in each other's
place are ever run.  If nothing can be stored safely, nothing is stored, and the next process
compiles again.
"""

import hashlib
import os
import re
import secrets
import stat
import warnings
from contextlib import suppress
from functools import lru_cache
from importlib.metadata import version
from pathlib import Path

import platformdirs

from tinrocket.ownership import (
    UnsafePlaceError,
    check_private,
    make_private_folder,
    read_private,
    seal,
)

DIGEST = 32
MOST_FILES = 400
"""Largest number of modules; beyond it, the least recently used are deleted."""
OWN_FILE = re.compile(r"[0-9a-f]{40}(-checked)?\.module(\.[0-9a-f]{12})?")
"""Pattern of the names of our files; no other file is ever deleted."""


class UnusedCacheWarning(UserWarning):
    """The cache is not used, because others could put code into it."""


@lru_cache(maxsize=1)
def fingerprint() -> bytes:
    """Return a digest of this package's own code, on which every compiled module depends."""
    digest = hashlib.blake2b(digest_size=DIGEST)
    root = Path(__file__).parent.parent
    for room in ("language", "motion", "compile"):
        for source in sorted((root / room).rglob("*.py")):
            digest.update(source.read_bytes())
    digest.update(version("wasmtime").encode())
    return digest.digest()


def key_of(*parts: str) -> str:
    """Return the cache key of the module made from these texts."""
    digest = hashlib.blake2b(fingerprint(), digest_size=20)
    for part in parts:
        data = part.encode("utf-8", "surrogatepass")
        digest.update(len(data).to_bytes(8, "little") + data)
    return digest.hexdigest()


def folder() -> Path:
    """Return the folder of modules.

    It is our own, in the user's cache or in the folder that TINROCKET_CACHE names, which may hold
    other files.
    """
    chosen = os.environ.get("TINROCKET_CACHE")
    if chosen:
        return Path(chosen) / "tinrocket-modules"
    return Path(platformdirs.user_cache_dir("tinrocket", False)) / "sealed"


def safe_folder() -> Path | None:
    """Return the folder of modules, made now if it is missing; None if it cannot be used.

    A folder that belongs to another user, or that others can write, is not used, and a warning is
    issued.
    """
    place = folder()
    try:
        place.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        if not os.environ.get("TINROCKET_CACHE"):
            place.parent.chmod(0o700)  # earlier versions made it with the user's umask
        check_private(place.parent, place.parent.stat())
        make_private_folder(place)
    except UnsafePlaceError as error:
        _warn_once(str(error))
        return None
    except OSError:
        return None
    return place


@lru_cache(maxsize=8)
def _warn_once(reason: str) -> None:
    warnings.warn(
        f"compiled code is not kept: {reason}; or name another folder with TINROCKET_CACHE",
        UnusedCacheWarning,
        stacklevel=2,
    )


def kept(key: str) -> bytes | None:
    """Return the cached data of a key, if this program wrote it for this user and it is intact."""
    place = safe_folder()
    if place is None:
        return None
    path = place / f"{key}.module"
    try:
        data = read_private(path)
    except OSError:
        return None
    except UnsafePlaceError as error:
        _warn_once(str(error))
        return None
    sealed, code = data[:DIGEST], data[DIGEST:]
    expected = seal(path.name.encode(), code, size=DIGEST)
    if expected is None or not secrets.compare_digest(sealed, expected):
        return None
    with suppress(OSError):
        os.utime(path)
    return code


def keep(key: str, code: bytes) -> None:
    """Store data under a key; do nothing if that is not possible."""
    place = safe_folder()
    name = f"{key}.module"
    sealed = seal(name.encode(), code, size=DIGEST)
    if place is None or sealed is None:
        return
    with suppress(OSError):
        partial = place / f"{name}.{secrets.token_hex(6)}"
        handle = os.open(partial, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600)
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(sealed + code)
            partial.replace(place / name)
        except OSError:
            partial.unlink(missing_ok=True)
            raise
        _delete_oldest(place)


def _delete_oldest(place: Path) -> None:
    """Delete the least recently used modules if there are too many."""
    paths = [path for path in place.iterdir() if OWN_FILE.fullmatch(path.name)]
    if len(paths) <= MOST_FILES:
        return
    files: list[tuple[float, Path]] = []
    for path in paths:
        with suppress(FileNotFoundError):  # another process may delete them at the same time
            status = path.lstat()
            if stat.S_ISREG(status.st_mode):
                files.append((status.st_mtime, path))
    if len(files) > MOST_FILES:
        for _mtime, path in sorted(files)[: len(files) - MOST_FILES // 2]:
            path.unlink(missing_ok=True)
