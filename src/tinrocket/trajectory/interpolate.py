"""The state of a craft between two frames."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from tinrocket.errors import TrajectoryError
from tinrocket.scenario.arena import AXES
from tinrocket.trajectory.columns import ACTION, RESOURCE, SCORE

if TYPE_CHECKING:
    from tinrocket.trajectory.trajectory import Trajectory

Floats = NDArray[np.float64]

STRAIGHT = ("vx", "vy", "heading", "height", "lag", "view_x", "view_y")
"""Columns that are interpolated linearly."""


def states_between(flight: Trajectory, moments: Floats, craft: str) -> dict[str, Floats]:
    """Return the columns of a craft at some moments [s], in the order of its frames.

    Raises
    ------
    TrajectoryError
        If a moment lies outside the flight.
    """
    track = flight.track(craft)
    times = track["t"]
    outside = moments[~((moments >= times[0]) & (moments <= times[-1]))]
    if outside.size:
        raise TrajectoryError(
            f"{outside[0]:g} s is outside the flight, "
            f"which runs from {times[0]:g} to {times[-1]:g} s"
        )
    state = {"t": moments}
    body = flight.bodies.get(craft)
    for axis in AXES:
        path = np.interp(moments, times, track[f"{axis}_unwrapped"])
        state[f"{axis}_unwrapped"] = path
        origin = np.zeros_like(path)
        if body is not None and body.in_view:
            origin = np.interp(moments, times, track[f"view_{axis}"])
        folded, laps = wrapped(path - origin, flight.seam(axis, craft))
        state[axis], state[f"wraps_{axis}"] = folded + origin, laps
    levels = (name for name in track if name.startswith(RESOURCE))
    for column in (*(name for name in STRAIGHT if name in track), *levels):
        state[column] = np.interp(moments, times, track[column])
    state["speed"] = magnitude(state["vx"], state["vy"])
    last = np.searchsorted(times, moments, side="right") - 1
    for column, values in track.items():
        if column.startswith((ACTION, SCORE)) or column in ("alive", "lives"):
            state[column] = values[last]
    return {column: state[column] for column in track if column in state}


def wrapped(path: Floats, seam: tuple[float, float] | None) -> tuple[Floats, Floats]:
    """Return an unwrapped coordinate folded into its seam, and the number of laps removed."""
    if seam is None:
        return path, np.zeros_like(path)
    low, high = seam
    laps = np.floor((path - low) / (high - low))
    return path - laps * (high - low), laps


def magnitude(x: Floats, y: Floats, out: Floats | None = None) -> Floats:
    """Return sqrt(x^2 + y^2), optionally into an array; by hypot if that overflows."""
    with np.errstate(over="ignore"):
        lengths: Floats = np.multiply(x, x, out=out)
        lengths += y * y
        np.sqrt(lengths, out=lengths)
    return np.hypot(x, y, out=lengths) if lengths.max(initial=0.0) == np.inf else lengths
