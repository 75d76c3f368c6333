"""Rows that are alike in some columns."""

from collections.abc import Iterable
from typing import Any

import numpy as np
from numpy.typing import NDArray

Indices = NDArray[np.int64]


def kinds_of(columns: Iterable[NDArray[Any]]) -> tuple[Indices, Indices]:
    """Return the first row of each kind of row, and of which kind each row is.

    Kinds are sorted by their columns.  A column at a time: the distinct values
    of one are few, and so is their product with the number of kinds so far.
    """
    firsts = kinds = None
    for column in columns:
        values, kind = np.unique(column, return_inverse=True)
        if kinds is not None:
            kind = kinds * values.size + kind
        _found, firsts, kinds = np.unique(kind, return_index=True, return_inverse=True)
    if firsts is None or kinds is None:
        raise ValueError("rows are alike in some columns, and there are none")
    return firsts, kinds


def counted(many: Indices) -> Indices:
    """Return the numbers from 0 up to each of some numbers, one after the other."""
    numbers: Indices = np.arange(many.sum()) - (np.cumsum(many) - many).repeat(many)
    return numbers
