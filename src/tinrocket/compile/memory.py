"""A layout of memory: the address of each record, and its contents before the first step.

Constants come first, then the state in one piece: a copy of it is a snapshot.
"""

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tinrocket.errors import OptionError
from tinrocket.language.records import CELL, Floats, Ints, Pointer, Record

FIRST_CELL = 8
"""Address of the first record; address 0 is null."""

LARGEST = 2**31
"""Most bytes of a flight's memory: addresses are 32-bit integers."""


def refuse_beyond(cells: float) -> None:
    """Refuse more cells than a flight's memory can hold.

    Raises
    ------
    OptionError
        If there are too many cells.
    """
    if CELL * cells > LARGEST:
        raise OptionError(
            f"this scenario would need {CELL * cells / 2**30:,.1f} GiB of memory to fly, and "
            f"there are {LARGEST / 2**30:.0f}; let fewer bodies be, or fewer of them meet"
        )


Cell = int | NDArray[np.int64]
"""Cells, as offsets from the beginning of a place."""


@dataclass(slots=True, eq=False)
class Place:
    """Room for records of one kind, and its contents.

    Attributes
    ----------
    cell
        Its first cell, once the layout is complete.
    """

    kind: type[Pointer]
    count: int
    cells: NDArray[np.float64]
    cell: int = -1
    pointers: "list[tuple[Cell, Place, Cell]]" = field(default_factory=list)

    @property
    def whole(self) -> NDArray[np.int32]:
        """The same cells as whole numbers, two to a cell."""
        return self.cells.view(np.int32)

    def offset(self, index: int, name: str) -> int:
        """Return the cell of a field, counted from where the place begins."""
        assert issubclass(self.kind, Record)
        return index * self.kind.size + self.kind.offsets[name]

    def write(
        self, index: int = 0, /, **values: "float | int | Place | tuple[Place, int, str]"
    ) -> None:
        """Write fields of one of the records; a place, or a field in one, by its address."""
        assert issubclass(self.kind, Record)
        for name, value in values.items():
            cell, kind = self.offset(index, name), self.kind.fields[name]
            if isinstance(value, Place):
                self.pointers.append((cell, value, 0))
            elif isinstance(value, tuple):
                place, row, target = value
                self.pointers.append((cell, place, place.offset(row, target)))
            elif kind is int:
                self.whole[2 * cell] = value
            else:
                self.cells[cell] = value

    def write_rows(self, rows: slice = slice(None), /, **columns: Any) -> None:
        """Write one value of each field for every record, or for some of them."""
        assert issubclass(self.kind, Record)
        if self.count == 0:  # an empty table still reserves one record; it stays zero
            return
        for name, column in columns.items():
            cell = self.kind.offsets[name]
            if self.kind.fields[name] is int:
                self.whole[2 * cell :: 2 * self.kind.size][rows] = column
            else:
                self.cells[cell :: self.kind.size][rows] = column

    def point_rows(
        self, rows: NDArray[np.int64], name: str, place: "Place", others: NDArray[np.int64]
    ) -> None:
        """Write into a field of some records the addresses of other records, one for each."""
        assert issubclass(self.kind, Record)
        cells = rows * self.kind.size + self.kind.offsets[name]
        self.pointers.append((cells, place, others * place.kind.size))

    def target(self, name: str) -> "Place":
        """Return the place that a field of the first record leads to."""
        cell = self.offset(0, name)
        return next(place for at, place, _behind in self.pointers if at is cell or at == cell)

    def cell_of(self, index: int, name: str) -> int:
        """Return where a field lies in memory."""
        return self.cell + self.offset(index, name)

    def pointer(self, cells: object = None) -> Pointer:
        """Return the first of the records, as kernels see it."""
        return self.kind(cells, self.cell)  # type: ignore[arg-type]


class Layout:
    """Allocator: reserves places, and assigns their addresses at the end."""

    def __init__(self) -> None:
        self._still: list[Place] = []
        self._lasting: list[Place] = []
        self._state: list[Place] = []

    def reserve(
        self, kind: type[Pointer], count: int = 1, *, state: bool = False, lasting: bool = False
    ) -> Place:
        """Reserve a place for a number of records, all zero.

        A `state` changes in a flight, and is reset by a restart unless it is `lasting`.
        """
        place = Place(kind, count, np.zeros(max(count, 1) * kind.size))
        (self._lasting if lasting else self._state if state else self._still).append(place)
        return place

    def beginning(self) -> tuple[Place, Place, int]:
        """Reserve a copy of the state that a restart resets.

        Return it, the state, and its cells.
        """
        cells = sum(place.cells.size for place in self._state)
        return self.reserve(Floats, cells, lasting=True), self._state[0], cells

    def row(self, values: object) -> Place:
        """Return floats that never change."""
        numbers = np.asarray(values, dtype=np.float64).ravel()
        place = self.reserve(Floats, numbers.size)
        place.cells[: numbers.size] = numbers
        return place

    def indices(self, values: object, *, state: bool = False) -> Place:
        """Return a table of whole numbers."""
        numbers = np.asarray(values, dtype=np.int32).ravel()
        place = self.reserve(Ints, numbers.size, state=state)
        place.whole[: 2 * numbers.size : 2] = numbers
        return place

    def done(self) -> tuple[NDArray[np.float64], int]:
        """Return all memory as it is before the first step, and the cell where the state begins."""
        cell, begins = FIRST_CELL, FIRST_CELL
        for place in self._still:
            place.cell = cell
            cell += place.cells.size
        begins = cell
        for place in (*self._lasting, *self._state):
            place.cell = cell
            cell += place.cells.size
        refuse_beyond(cell)
        image = np.zeros(cell)
        whole = image.view(np.int32)
        for place in (*self._still, *self._lasting, *self._state):
            mine = slice(place.cell, place.cell + place.cells.size)
            image[mine] = place.cells
            place.cells = image[mine]  # not stored twice
            for offset, other, behind in place.pointers:
                whole[2 * (place.cell + offset)] = CELL * (other.cell + behind)
        return image, begins
