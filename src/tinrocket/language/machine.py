"""Running printed kernels: the engine, a memory and its contents, and calls.

A process has one engine, and a new one after a fork. A machine is one memory with the functions
that work on it; each thread has its own.
"""

import ctypes
import os
from collections import OrderedDict
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from functools import lru_cache
from threading import Lock
from typing import cast

import numpy as np
import wasmtime
from numpy.typing import NDArray

from tinrocket.language import cache
from tinrocket.language.records import CELL

PAGE = 65536
MOST_IDLE, MOST_IDLE_CELLS = 4, 1 << 22
"""Number of machines that are kept for reuse, and their largest size."""
MOST_MODULES = 64
"""Number of modules that a process caches."""


SAID = {
    "integer divide by zero": "division by zero",
    "integer overflow": "a whole number beyond 32 bits",
    "invalid conversion to integer": "not a number cannot be whole",
}
"""Our wording for the engine's trap messages."""


class TrapError(ArithmeticError):
    """A kernel was stopped, for example because it reached past its memory."""


@lru_cache(maxsize=1)
def _engine_of(_process: int) -> tuple[wasmtime.Engine, str]:
    """Return an engine, and the suffix of the keys of its machine code.

    It reserves 4 GiB of addresses for each memory, so that accesses need no check. If the system
    does not allow that for all memories at once, an engine that checks each access is used, which
    is slower.
    """
    engine = wasmtime.Engine(_settings())
    store = wasmtime.Store(engine)
    try:
        for _ in range(MOST_IDLE + 2 * (os.cpu_count() or 1)):
            wasmtime.Memory(store, wasmtime.MemoryType(wasmtime.Limits(1, 1)))
    except wasmtime.WasmtimeError:
        sparing = _settings()
        sparing.memory_reservation = 0
        sparing.memory_reservation_for_growth = 0
        sparing.memory_guard_size = PAGE
        return wasmtime.Engine(sparing), "-checked"
    finally:
        store.close()
    return engine, ""


_FIRST = os.getpid()
"""Process that loaded this module; forked children lack the compiler's threads."""


def _settings() -> wasmtime.Config:
    """Return the engine's settings: without threads of its own in a forked process.

    The compiler's thread pool belongs to the process that used it first. A fork inherits the pool
    without its threads, and would wait for them for ever.
    """
    settings = wasmtime.Config()
    settings.parallel_compilation = os.getpid() == _FIRST
    return settings


def engine() -> wasmtime.Engine:
    """Return the engine of this process."""
    return _engine_of(os.getpid())[0]


_modules: OrderedDict[tuple[int, str], wasmtime.Module] = OrderedDict()


def module_of(key: str, binary: Callable[[], bytes]) -> wasmtime.Module:
    """Return a compiled module: from this process, from disk, or compiled now.

    Parameters
    ----------
    key
        Digest of everything that decides the module.
    binary
        Function that returns the binary, if it has to be compiled.
    """
    here = os.getpid(), key
    stored = key + _engine_of(os.getpid())[1]
    if here in _modules:
        _modules.move_to_end(here)
        return _modules[here]
    data = cache.kept(stored)
    module = None
    if data is not None:
        try:
            module = wasmtime.Module.deserialize(engine(), data)
        except wasmtime.WasmtimeError:  # compiled for another machine, or by another version
            module = None
    if module is None:
        module = wasmtime.Module(engine(), binary())
        cache.keep(stored, bytes(module.serialize()))
    _modules[here] = module
    while len(_modules) > MOST_MODULES:
        _modules.popitem(last=False)
    return module


_idle: list[tuple[int, str, "Machine"]] = []
_idle_lock = Lock()


def _forget_locks() -> None:
    """Replace the lock in a forked process: its holder may be a thread that the fork lacks."""
    global _idle_lock  # noqa: PLW0603  # a lock cannot be made anew in place
    _idle_lock = Lock()


if hasattr(os, "register_at_fork"):
    os.register_at_fork(after_in_child=_forget_locks)


@contextmanager
def lent(
    key: str, modules: Callable[[], Sequence[wasmtime.Module]], exports: Sequence[str], cells: int
) -> Iterator["Machine"]:
    """Lend a machine of at least a number of cells, with any content.

    Fresh memory costs more than a short flight, so a few machines are kept for reuse.


    Parameters
    ----------
    key
        Digest of everything that decides the modules.
    modules
        Function that returns the modules, if no machine of the key is free.
    exports, cells
        As for `Machine`.
    """
    here, machine = (os.getpid(), key), None
    with _idle_lock:
        for held in _idle:
            if held[:2] == here and held[2].cells >= cells:
                _idle.remove(held)
                machine = held[2]
                break
    machine = machine or Machine(modules(), exports, cells)
    yield machine  # a machine that failed is not lent again
    if machine.cells <= MOST_IDLE_CELLS:
        with _idle_lock:
            _idle.append((*here, machine))
            del _idle[:-MOST_IDLE]


class Machine:
    """A memory and the functions that work on it.

    Parameters
    ----------
    modules
        Compiled modules; each may import from those before it.
    exports
        Functions of the last module that can be called.
    cells
        Smallest size of the memory.

    Raises
    ------
    MemoryError
        If that much memory is not available.

    Attributes
    ----------
    floats, ints
        Views of the memory: a float for each cell, or two whole numbers.
    """

    def __init__(
        self, modules: Sequence[wasmtime.Module], exports: Sequence[str], cells: int
    ) -> None:
        pages = -(-cells * CELL // PAGE)
        self._store = wasmtime.Store(engine())
        limits = wasmtime.Limits(pages, pages)
        try:
            self._memory = wasmtime.Memory(self._store, wasmtime.MemoryType(limits))
        except wasmtime.WasmtimeError:
            raise MemoryError(f"no room for {pages * PAGE / 2**20:,.0f} MiB of memory") from None
        functions: dict[str | None, wasmtime.Func] = {}
        for module in modules:
            taken = [functions.get(imported.name, self._memory) for imported in module.imports]
            instance = wasmtime.Instance(self._store, module, taken)
            for name, value in instance.exports(self._store).items():
                functions[name] = cast("wasmtime.Func", value)
        self._functions = {name: functions[name] for name in exports}
        start = ctypes.cast(self._memory.data_ptr(self._store), ctypes.c_void_p).value or 0
        whole = memoryview((ctypes.c_ubyte * (pages * PAGE)).from_address(start)).cast("B")
        self.floats: NDArray[np.float64] = np.frombuffer(whole, np.float64)
        self.ints: NDArray[np.int32] = np.frombuffer(whole, np.int32)

    @property
    def cells(self) -> int:
        """Number of cells."""
        return self.floats.size

    def call(self, name: str) -> None:
        """Call a function without arguments and results; it works on the memory.

        Raises
        ------
        TrapError
            If it was stopped.
        """
        try:
            self._functions[name](self._store)
        except (wasmtime.Trap, wasmtime.WasmtimeError) as trap:
            reason = str(trap).strip().splitlines()[-1].strip().removeprefix("wasm trap: ")
            raise TrapError(SAID.get(reason, reason)) from None
