"""How the core is compiled, and how a compiled copy is kept from going stale.

Numba checks a cached function against the file it stands in, not against the files
of the functions it calls.  So only the entry point is cached, and it carries a
fingerprint of every source file of the core: edit one rule and the copies that
inlined it are compiled anew.

With ``NUMBA_DISABLE_JIT=1`` everything here is plain Python, for debugging.
"""

import hashlib
import logging
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from types import FunctionType
from typing import Any, TypeVar, cast

import numba
from numba.core import event

Function = TypeVar("Function", bound=Callable[..., Any])

INTERNAL: Any = {"no_cpython_wrapper": True, "no_cfunc_wrapper": True}
"""Of what Python never calls: half of the time to compile a small function is its wrappers."""

log = logging.getLogger("tinrocket")


def inlined(function: Function) -> Function:
    """Compile a piece that only other compiled functions call; never cached alone."""
    compiler = numba.njit(nogil=True, error_model="numpy", forceinline=True, **INTERNAL)
    return cast("Function", compiler(function))


def outlined(function: Function) -> Function:
    """Compile a piece that the loop calls now and then, kept out of it.

    What is inlined takes registers from all of the loop, used or not.
    """
    compiler = numba.njit(nogil=True, error_model="numpy", **INTERNAL)
    return cast("Function", compiler(function))


def entry_point(signature: Any) -> Callable[[Function], Function]:
    """Compile a function that Python calls; its machine code is kept on disk.

    The function must close over `fingerprint()`: the values a closure holds are part
    of Numba's cache key.
    """
    compiler = numba.njit(signature, nogil=True, error_model="numpy", cache=True)
    return cast("Callable[[Function], Function]", compiler)


def straight(compiled: Function) -> Function:
    """Return a way to call a function of one signature that does not look at types first.

    Looking takes longer than a short flight, and knows no functions inside of tuples.
    """
    overloads = getattr(compiled, "overloads", None)  # a plain function has none
    return next(iter(overloads.values())).entry_point if overloads else compiled


def fingerprint() -> int:
    """Return a number that changes whenever any source file of the core does."""
    digest = hashlib.blake2b(digest_size=7)
    for source in sorted(Path(__file__).parent.rglob("*.py")):
        digest.update(source.read_bytes())
    return int.from_bytes(digest.digest(), "big")


def plain(function: Function) -> Function:
    """Return a compiled function as plain Python, with all the compiled ones it calls.

    This is how a rule that cannot be compiled is flown: by the same loop, slowly.
    """
    return cast("Function", _plain(function, {}))


def _plain(function: Any, done: dict[int, Any]) -> Any:
    source = getattr(function, "py_func", function)
    if id(source) not in done:
        names = dict(source.__globals__)
        copy = FunctionType(
            source.__code__, names, source.__name__, source.__defaults__, source.__closure__
        )
        done[id(source)] = copy
        for name in source.__code__.co_names:
            if hasattr(names.get(name), "py_func"):
                names[name] = _plain(names[name], done)
    return done[id(source)]


class _Announce(event.Listener):
    """Says once that something takes a while."""

    def __init__(self, what: str) -> None:
        self.what: str | None = what

    def on_start(self, _event: object) -> None:
        if self.what:
            log.warning("%s", self.what)
            self.what = None

    def on_end(self, _event: object) -> None:
        """Nothing to say."""


@contextmanager
def announcing(what: str) -> Iterator[None]:
    """Log `what` if anything is compiled meanwhile, and nothing if it is loaded from disk."""
    with event.install_listener("numba:compile", _Announce(what)):
        yield
