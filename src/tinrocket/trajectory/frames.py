"""A row for each craft and frame, as arrays; a pandas table on request."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

if TYPE_CHECKING:
    import pandas as pd

Floats = NDArray[np.float64]
Track = Mapping[str, Floats]
"""The frames of one craft: an array for each column."""


@dataclass(frozen=True, eq=False)
class Frames:
    """A row for each craft and frame, craft by craft.

    Attributes
    ----------
    craft
        Names of the craft.
    counts
        Number of rows of each.
    names
        Names of the columns.
    block
        The numbers, shape (columns, rows).
    index
        Frame number of each row, shape (rows,).
    """

    craft: tuple[str, ...]
    counts: tuple[int, ...]
    names: tuple[str, ...]
    block: Floats
    index: NDArray[np.int64]

    def __repr__(self) -> str:
        """Return the number of craft and rows."""
        return f"<Frames of {len(self.craft)} craft: {self.index.size} rows>"

    @classmethod
    def from_table(cls, table: "pd.DataFrame") -> "Frames":
        """Return the contents of a table of frames; its index is the frame number."""
        craft = tuple(map(str, table["craft"].cat.categories))
        codes = table["craft"].cat.codes.to_numpy()
        order = np.argsort(codes, kind="stable")
        names = tuple(str(name) for name in table.columns if name != "craft")
        block = table[list(names)].to_numpy(np.float64).T[:, order]
        counts = np.bincount(codes, minlength=len(craft))
        index = table.index.to_numpy(np.int64)[order]
        return cls(craft, tuple(counts.tolist()), names, np.ascontiguousarray(block), index)

    @cached_property
    def _rows(self) -> dict[str, slice]:
        """Range of the rows of each craft."""
        ends = np.cumsum(self.counts).tolist()
        return {
            name: slice(end - count, end)
            for name, end, count in zip(self.craft, ends, self.counts, strict=True)
        }

    def __contains__(self, craft: object) -> bool:
        """Return whether a craft exists."""
        return isinstance(craft, str) and craft in self._rows

    def rows(self, craft: str) -> slice:
        """Return the range of a craft's rows."""
        return self._rows[craft]

    def of(self, craft: str) -> dict[str, Floats]:
        """Return the columns of one craft, without copying them."""
        rows = self._rows[craft]
        return {name: column[rows] for name, column in zip(self.names, self.block, strict=True)}

    def column(self, name: str) -> Floats:
        """Return a column of all craft."""
        values: Floats = self.block[self.names.index(name)]
        return values

    def only(self, craft: Sequence[str]) -> "Frames":
        """Return the frames of some craft, in the given order."""
        rows = [np.arange(self.index.size)[self._rows[name]] for name in craft]
        every = np.concatenate(rows)
        counts = tuple(part.size for part in rows)
        return Frames(tuple(craft), counts, self.names, self.block[:, every], self.index[every])

    def until(self, frame: int) -> "Frames":
        """Return the frames up to a frame number."""
        in_time = self.index <= frame
        counts = tuple(int(in_time[rows].sum()) for rows in self._rows.values())
        return Frames(self.craft, counts, self.names, self.block[:, in_time], self.index[in_time])

    def table(self) -> "pd.DataFrame":
        """Return a table on the numbers of the block, without copying them."""
        import pandas as pd

        size, index = self.index.size, self.index
        first = int(index[0]) if size else 0
        plain = len(self.craft) == 1 and (
            index is frame_numbers(size) or np.array_equal(index - first, frame_numbers(size))
        )
        numbered: pd.Index = pd.RangeIndex(first, first + size, name="frame")
        if not plain:
            numbered = pd.Index(index, name="frame")
        table = pd.DataFrame(self.block.T, numbered, copy=False)
        owned = _owners(self.craft, self.counts).copy()
        table.insert(0, -1, owned)  # type: ignore[arg-type]  # missing in the stubs
        table.columns = _labels(("craft", *self.names))
        return table


@lru_cache(maxsize=8)
def frame_numbers(count: int) -> NDArray[np.int64]:
    """Return consecutive frame numbers; treat them as read-only."""
    numbers = np.arange(count)
    numbers.flags.writeable = False
    return numbers


@lru_cache(maxsize=8)
def _owners(craft: tuple[str, ...], counts: tuple[int, ...]) -> "pd.Categorical[str]":
    """Return the craft of each row; cached, as flights with other numbers request it again."""
    import pandas as pd

    owners = np.repeat(np.arange(len(craft), dtype=np.min_scalar_type(-len(craft) - 1)), counts)
    return pd.Categorical.from_codes(owners, _labels(craft), validate=False)


@lru_cache
def _labels(names: tuple[str, ...]) -> "pd.Index[str]":
    """Return names as a pandas index; cached, because making it costs more than all numbers."""
    import pandas as pd

    return pd.Index(names)
