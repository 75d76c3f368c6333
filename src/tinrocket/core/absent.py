"""Stands in for a compiled function that a program has no use for."""

from typing import Any

from numba import types


class Absent(types.WrapperAddressProtocol):
    """A function that is handed to the loop and never called.

    An address is quicker to hand over than a function, which matters in short flights.
    """

    def __init__(self, signature: Any) -> None:
        self._signature = signature

    def __call__(self, *_arguments: object) -> Any:
        """Fail: nobody calls it."""
        raise AssertionError("a program called what it has no use for")

    def __wrapper_address__(self) -> int:
        """Return an address that is none; the protocol takes no 0."""
        return 1

    def signature(self) -> Any:
        """Return what it could be called with."""
        return self._signature
