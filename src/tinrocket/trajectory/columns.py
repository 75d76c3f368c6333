"""Names of the columns of frames and events."""

from collections.abc import Mapping
from typing import Any

from numpy.typing import NDArray

ACTION = "in."
"""Prefix of the columns of sampled actions."""

RESOURCE = "resource."
"""Prefix of the columns of resources."""

SCORE = "score."
"""Prefix of the columns of the points of a side."""

FRAME_COLUMNS = [
    *("craft", "t", "x", "y", "vx", "vy", "heading", "wraps_x", "wraps_y"),
    *("x_unwrapped", "y_unwrapped", "speed"),
]
TEXTS = ("kind", "craft", "edge", "rule", "other", "action")
"""Columns that hold texts of a game."""

EVENT_COLUMNS = [
    *("t", "kind", "craft", "edge", "rule", "other", "action", "x", "y", "speed"),
    *("gap", "normal", "count", "frame"),
]

EventColumns = Mapping[str, NDArray[Any]]
"""An array for each column of the table of events."""
