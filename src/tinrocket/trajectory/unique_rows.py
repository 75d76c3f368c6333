"""Grouping of rows that are equal in some columns."""

from collections.abc import Iterable
from typing import Any

import numpy as np
from numpy.typing import NDArray

Indices = NDArray[np.int64]


def kinds_of(columns: Iterable[NDArray[Any]]) -> tuple[Indices, Indices]:
    """Return the first row of each kind, and the kind of each row.

    Kinds are sorted by their columns. Columns are processed one at a time: a column has few
    distinct values, and so few new kinds.
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
    """Return the concatenated ranges from 0 up to each of some numbers."""
    numbers: Indices = np.arange(many.sum()) - (np.cumsum(many) - many).repeat(many)
    return numbers
