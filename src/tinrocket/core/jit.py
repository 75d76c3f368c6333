"""How the core is compiled, and how a compiled copy is kept from going stale.

Numba checks a cached function against the file it stands in, not against the files
of the functions it calls.  So only the few entry points are cached, and each carries
a fingerprint of every source file of the core: edit one rule and the copies that
inlined it are compiled anew.

With ``NUMBA_DISABLE_JIT=1`` everything here is plain Python, for debugging.
"""

import hashlib
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar, cast

import numba

Function = TypeVar("Function", bound=Callable[..., object])


def inlined(function: Function) -> Function:
    """Compile a piece that only other compiled functions call; never cached alone."""
    compiled = numba.njit(nogil=True, error_model="numpy", forceinline=True)(function)
    return cast("Function", compiled)


def entry_point(function: Function) -> Function:
    """Compile a function that Python calls; its machine code is kept on disk.

    The function must close over `fingerprint()`: the values a closure holds are part
    of Numba's cache key.
    """
    compiled = numba.njit(nogil=True, error_model="numpy", cache=True)(function)
    return cast("Function", compiled)


def fingerprint() -> int:
    """Return a number that changes whenever any source file of the core does."""
    digest = hashlib.blake2b(digest_size=7)
    for source in sorted(Path(__file__).parent.rglob("*.py")):
        digest.update(source.read_bytes())
    return int.from_bytes(digest.digest(), "big")
