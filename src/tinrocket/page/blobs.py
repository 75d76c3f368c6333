"""Bytes and arrays as text inside a page: compressed, then in base64."""

import base64
import zlib
from typing import Any

import numpy as np
from numpy.typing import NDArray

LEVEL = 9


def packed(data: bytes) -> str:
    """Return bytes as text."""
    return base64.b64encode(zlib.compress(data, LEVEL)).decode("ascii")


def packed_floats(values: NDArray[Any]) -> str:
    """Return floats as text, without loss.

    The first bytes of all floats come first, then the second bytes and so on: neighbours in a
    path share their exponents, which compresses to half as much.
    """
    floats = np.ascontiguousarray(values, dtype="<f8").ravel()
    return packed(floats.view(np.uint8).reshape(-1, 8).T.tobytes())
