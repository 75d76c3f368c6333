"""Compiled modules on disk, so that a structure is compiled once for a machine.

A file is the digest of what follows it, and then the machine code.  Where nothing can be kept,
nothing is: the next process compiles again.
"""

import hashlib
import os
import tempfile
from contextlib import suppress
from functools import lru_cache
from importlib.metadata import version
from pathlib import Path

import platformdirs

DIGEST = 32
MOST_FILES = 400
"""Modules that are kept; of more, those that were not used for longest are dropped."""


@lru_cache(maxsize=1)
def fingerprint() -> bytes:
    """Return a digest of all that decides what becomes of a source: this package's own code."""
    digest = hashlib.blake2b(digest_size=DIGEST)
    root = Path(__file__).parent.parent
    for room in ("kernel", "motion", "plan"):
        for source in sorted((root / room).rglob("*.py")):
            digest.update(source.read_bytes())
    digest.update(version("wasmtime").encode())
    return digest.digest()


def key_of(*parts: str) -> str:
    """Return the name under which what is made of these texts is kept."""
    digest = hashlib.blake2b(fingerprint(), digest_size=20)
    for part in parts:
        digest.update(len(part).to_bytes(8, "little") + part.encode())
    return digest.hexdigest()


def folder() -> Path:
    """Return where modules are kept: in the user's cache, or where TINROCKET_CACHE says."""
    told = os.environ.get("TINROCKET_CACHE")
    return Path(told) if told else Path(platformdirs.user_cache_dir("tinrocket", False)) / "modules"


def kept(key: str) -> bytes | None:
    """Return what is kept under a key, if it is there and whole."""
    path = folder() / key
    try:
        if not path.is_file():  # a pipe or a device would have no end
            return None
        data = path.read_bytes()
    except OSError:
        return None
    if hashlib.blake2b(data[DIGEST:], digest_size=DIGEST).digest() != data[:DIGEST]:
        return None
    with suppress(OSError):
        os.utime(path)
    return data[DIGEST:]


def keep(key: str, data: bytes) -> None:
    """Keep something under a key; do nothing where that is not possible."""
    with suppress(OSError):
        place = folder()
        place.mkdir(parents=True, exist_ok=True)
        handle, name = tempfile.mkstemp(dir=place, prefix=".")
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(hashlib.blake2b(data, digest_size=DIGEST).digest() + data)
            Path(name).replace(place / key)
        except OSError:
            Path(name).unlink(missing_ok=True)
            raise
        _drop_oldest(place)


def _drop_oldest(place: Path) -> None:
    files = [one for one in place.iterdir() if not one.name.startswith(".")]
    if len(files) > MOST_FILES:
        files.sort(key=lambda one: one.stat().st_mtime)
        for one in files[: len(files) - MOST_FILES // 2]:
            one.unlink(missing_ok=True)
