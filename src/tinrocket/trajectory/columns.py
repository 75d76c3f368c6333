"""What the columns of frames and events are called."""

from collections.abc import Mapping
from typing import Any

from numpy.typing import NDArray

ACTION = "in."
"""What the columns that hold sampled actions begin with."""

RESOURCE = "resource."
"""What the columns that hold what there is of a resource begin with."""

SCORE = "score."
"""What the columns that hold the points of a side begin with."""

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
