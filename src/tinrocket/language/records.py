"""Records: named fields in the one memory of a flight, a cell of eight bytes each.

A record is a place in memory, and its class declares the fields there.  Fields are floats, whole
numbers, or places of other records.  `record[n]` is the n-th record of the same class behind it, so
that the address of the first is that of a table.
"""

import inspect
from typing import Any, ClassVar, Self, get_type_hints

CELL = 8
"""Bytes of a cell."""


class Cells:
    """A memory for plain Python: the same bytes as floats and as whole numbers."""

    __slots__ = ("floats", "ints")

    def __init__(self, buffer: Any) -> None:
        whole = memoryview(buffer).cast("B")
        self.floats = whole.cast("d")
        self.ints = whole.cast("i")


class Pointer:
    """A place in a memory; `at` counts cells."""

    __slots__ = ("_at", "_cells")
    size: ClassVar[int] = 1
    """Number of cells of a record."""

    def __init__(self, cells: Cells, at: int) -> None:
        self._cells = cells
        self._at = at

    @property
    def address(self) -> int:
        """Address in bytes."""
        return self._at * CELL


class Floats(Pointer):
    """A table of floats."""

    __slots__ = ()

    def __getitem__(self, index: int) -> float:
        """Return the float at an index."""
        return self._cells.floats[self._at + index]

    def __setitem__(self, index: int, value: float) -> None:
        """Write a float."""
        self._cells.floats[self._at + index] = value


class Ints(Pointer):
    """A table of whole numbers."""

    __slots__ = ()

    def __getitem__(self, index: int) -> int:
        """Return the whole number at an index."""
        return self._cells.ints[2 * (self._at + index)]

    def __setitem__(self, index: int, value: int) -> None:
        """Write a whole number."""
        self._cells.ints[2 * (self._at + index)] = value


class Record(Pointer):
    """Base of all records; a subclass names its fields by annotations."""

    __slots__ = ()
    fields: ClassVar[dict[str, type]] = {}
    """The type of each field, in the order of their cells."""
    offsets: ClassVar[dict[str, int]] = {}
    """The cell of each field, counted from the record's place."""

    def __init_subclass__(cls) -> None:
        own = inspect.get_annotations(cls)
        hints = get_type_hints(cls, localns={cls.__name__: cls})
        cls.fields = {name: hints[name] for name in own}
        cls.offsets = {name: cell for cell, name in enumerate(own)}
        cls.size = len(own)
        for name, cell in cls.offsets.items():
            setattr(cls, name, _access(cls.fields[name], cell))

    def __getitem__(self, index: int) -> Self:
        """Return the record at a number of places behind this one."""
        return type(self)(self._cells, self._at + index * self.size)


def record(name: str, fields: dict[str, type]) -> type[Record]:
    """Return a record class that is put together at run time."""
    return type(name, (Record,), {"__annotations__": fields, "__slots__": ()})


def _access(kind: type, cell: int) -> Any:
    """Return the property by which plain Python reads and writes a field."""
    if kind is float:

        def get_float(self: Record) -> float:
            return self._cells.floats[self._at + cell]

        def set_float(self: Record, value: float) -> None:
            self._cells.floats[self._at + cell] = value

        return property(get_float, set_float)
    if kind is int:

        def get_int(self: Record) -> int:
            return self._cells.ints[2 * (self._at + cell)]

        def set_int(self: Record, value: int) -> None:
            self._cells.ints[2 * (self._at + cell)] = value

        return property(get_int, set_int)
    if kind is bool:

        def get_bool(self: Record) -> bool:
            return self._cells.ints[2 * (self._at + cell)] != 0

        return property(get_bool)
    if issubclass(kind, Pointer):

        def get_place(self: Record) -> Pointer:
            return kind(self._cells, self._cells.ints[2 * (self._at + cell)] // CELL)

        return property(get_place)
    raise TypeError(f"a field is a float, an int, a bool or a record, not {kind.__name__}")
