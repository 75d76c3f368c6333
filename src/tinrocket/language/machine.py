"""Running printed kernels: the engine, a memory and its contents, and calls.

There is one engine in a process, made anew after a fork.  A machine is one memory with the
functions that work on it; a thread that flies has its own.
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
"""Machines that are kept for later, and how large these may be."""
MOST_MODULES = 64
"""Modules that a process holds."""


SAID = {
    "integer divide by zero": "division by zero",
    "integer overflow": "a whole number beyond 32 bits",
    "invalid conversion to integer": "not a number cannot be whole",
}
"""Our wording for the engine's trap messages."""


class TrapError(ArithmeticError):
    """A kernel did what no kernel may do, such as reaching past its memory; it was stopped."""


@lru_cache(maxsize=1)
def _engine_of(_process: int) -> tuple[wasmtime.Engine, str]:
    """Return an engine, and what the keys of its machine code end in.

    It reserves 4 GiB of addresses for each memory, whatever is used of it, and checks no access
    then.  Where that may not be done for as many as may be at once, one that checks each access
    does the same, slower.
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
"""The process that loaded this module; its children by fork have none of its compiler's threads."""


def _settings() -> wasmtime.Config:
    """Return the engine's settings: without threads of its own in a forked process.

    The compiler's thread pool belongs to the process that used it first.  A fork has the pool and
    none of its threads, and would wait for them for ever.
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
        Of all that decides what the module is.
    binary
        Makes it, if it has to be compiled.
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
        except wasmtime.WasmtimeError:  # of another machine, or another version
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
    """Make the lock anew in a forked process: its holder may be a thread that is not there."""
    global _idle_lock  # noqa: PLW0603  # a lock cannot be made anew in place
    _idle_lock = Lock()


if hasattr(os, "register_at_fork"):
    os.register_at_fork(after_in_child=_forget_locks)


@contextmanager
def lent(
    key: str, modules: Callable[[], Sequence[wasmtime.Module]], exports: Sequence[str], cells: int
) -> Iterator["Machine"]:
    """Lend a machine of at least so many cells, whatever was in them, as long as it is used.

    Fresh memory costs more than a short flight does, so that a few are kept for the next.

    Parameters
    ----------
    key
        Of all that decides what the modules are.
    modules
        Gives them, if there is no such machine yet.
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
    yield machine  # one that failed is not lent again
    if machine.cells <= MOST_IDLE_CELLS:
        with _idle_lock:
            _idle.append((*here, machine))
            del _idle[:-MOST_IDLE]


class Machine:
    """A memory and the functions that work on it.

    Parameters
    ----------
    modules
        Compiled code: each may call what those before it export.
    exports
        Functions of the last that can be called.
    cells
        How much memory there is at least.

    Raises
    ------
    MemoryError
        If there is not so much.

    Attributes
    ----------
    floats, ints
        The memory as NumPy sees it: a float for each cell, and two whole numbers.
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
            taken = [functions.get(one.name, self._memory) for one in module.imports]
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
        """How many cells there are."""
        return self.floats.size

    def call(self, name: str) -> None:
        """Call a function that takes nothing and gives nothing but what it leaves in memory.

        Raises
        ------
        TrapError
            If it had to be stopped.
        """
        try:
            self._functions[name](self._store)
        except (wasmtime.Trap, wasmtime.WasmtimeError) as trap:
            told = str(trap).strip().splitlines()[-1].strip().removeprefix("wasm trap: ")
            raise TrapError(SAID.get(told, told)) from None
