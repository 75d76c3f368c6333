"""Kernels as plain Python and as machine code, side by side."""

from collections.abc import Callable
from itertools import count

import wasmtime

from tinrocket.language.check import Checker
from tinrocket.language.machine import Machine, module_of
from tinrocket.language.records import Cells, Floats
from tinrocket.language.subset import parsed
from tinrocket.language.wat import module

NUMBER = count()


def printed(function: Callable[..., float], arguments: int) -> tuple[bytes, Floats]:
    """Return a module that calls a kernel with what lies in memory, and where that is."""
    place = Floats(Cells(bytearray(8)), 8)
    given = ", ".join(f"row[{index + 1}]" for index in range(arguments))
    text = f"def call() -> None:\n    row[0] = function({given})\n"
    checker = Checker()
    for source in parsed(text, {"row": place, "function": function}, "<test>"):
        checker.function(source)
    return bytes(wasmtime.wat2wasm(module(checker.functions.values(), ["call"], 1))), place


def compiled(function: Callable[..., float]) -> Callable[..., float]:
    """Return a kernel of floats, compiled."""
    arguments = function.__code__.co_argcount
    binary, place = printed(function, arguments)
    key = f"test {next(NUMBER)} {hash(binary)}"
    machine = Machine([module_of(key, lambda: binary)], ["call"], 64)
    first = place.address // 8

    def call(*given: float) -> float:
        machine.floats[first + 1 : first + 1 + arguments] = given
        machine.call("call")
        return float(machine.floats[first])

    return call
