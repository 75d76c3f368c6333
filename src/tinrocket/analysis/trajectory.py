"""What a run yields: a row per frame, and the events."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
from typing import overload

import numpy as np
import pandas as pd
from numpy.typing import ArrayLike, NDArray

from tinrocket.errors import TrajectoryError, UnknownNameError, nearest
from tinrocket.scenario.arena import AXES, Arena, Axis

Floats = NDArray[np.float64]

ACTION = "in."
"""What the columns that hold sampled actions begin with."""

FRAME_COLUMNS = [
    *("craft", "t", "x", "y", "vx", "vy", "heading", "laps_x", "laps_y"),
    *("x_unwrapped", "y_unwrapped", "speed"),
]
EVENT_COLUMNS = ["t", "kind", "craft", "edge", "action", "x", "y", "speed", "count", "frame"]


@dataclass(frozen=True, eq=False)
class Trajectory:
    """One flight.

    Attributes
    ----------
    frames
        A row for each craft and frame, the start included, by number of the frame: craft,
        t [s], x, y [px], vx, vy [px/s], heading [deg as the arena counts, not reduced to
        one turn], laps_x, laps_y, x_unwrapped, y_unwrapped [px], speed [px/s], and for each
        action a column ``in.<action>`` with its value as sampled at that moment.
    make_events
        Makes the table of `events`, which is done when they are first asked for.
    arena
        The playfield, or None if it is not known.
    title, clock
        What was flown, and how its frames were paced.
    rate
        Frames per second, as the clock has it or on average.
    """

    frames: pd.DataFrame
    make_events: Callable[[], pd.DataFrame]
    arena: Arena | None
    title: str
    clock: str
    rate: float

    @cached_property
    def events(self) -> pd.DataFrame:
        """A row for each event, in order of time.

        t [s], kind (wrap, clamp, bounce or lost_tap), craft, edge, action, x, y [px], speed
        on arrival [px/s], count (crossings within the one frame), and the frame in which
        it happened.  Times lie within the frame.
        """
        return self.make_events()

    @property
    def craft(self) -> tuple[str, ...]:
        """Names of the craft, in the order of the scenario."""
        return tuple(self.frames["craft"].cat.categories)

    @property
    def duration(self) -> float:
        """When the last frame ends [s]."""
        return float(self.frames["t"].iloc[-1])

    @property
    def lost_taps(self) -> int:
        """How many taps began and ended between two frames and were never seen."""
        return int((self.events["kind"] == "lost_tap").sum())

    def seam(self, axis: Axis) -> tuple[float, float] | None:
        """Return where an axis wraps, low and high, or None if it does not."""
        return self.arena.seam(axis) if self.arena else None

    def of(self, craft: str | None = None) -> pd.DataFrame:
        """Return the frames of one craft; of the only one, if there is one.

        Raises
        ------
        UnknownNameError
            If there is no such craft, or several and none is named.
        """
        names = self.craft
        if craft is None:
            if len(names) > 1:
                raise UnknownNameError(f"say which craft; there are {', '.join(names)}")
            return self.frames
        if craft not in names:
            raise UnknownNameError(f"there is no craft '{craft}'{nearest(craft, names)}")
        return self.frames[self.frames["craft"] == craft]

    @overload
    def at(self, t: float, craft: str | None = None) -> pd.Series: ...
    @overload
    def at(self, t: ArrayLike, craft: str | None = None) -> pd.DataFrame: ...
    def at(self, t: ArrayLike, craft: str | None = None) -> pd.DataFrame | pd.Series:
        """Return the state of a craft between frames, by linear interpolation.

        Positions are interpolated along the unwrapped path and then wrapped, so that
        they are right across a seam; actions keep the value they had.

        Parameters
        ----------
        t
            Moment or moments [s] within the flight.
        craft
            May be left out if there is only one.

        Raises
        ------
        TrajectoryError
            If a moment lies outside the flight.
        """
        track = self.of(craft)
        moments = np.atleast_1d(np.asarray(t, dtype=np.float64))
        times = track["t"].to_numpy()
        outside = moments[~((moments >= times[0]) & (moments <= times[-1]))]
        if outside.size:
            raise TrajectoryError(
                f"{outside[0]:g} s is outside the flight, "
                f"which runs from {times[0]:g} to {times[-1]:g} s"
            )
        state = {"t": moments}
        for axis in AXES:
            path = np.interp(moments, times, track[f"{axis}_unwrapped"])
            state[f"{axis}_unwrapped"] = path
            state[axis], state[f"laps_{axis}"] = wrapped(path, self.seam(axis))
        for column in ("vx", "vy", "heading"):
            state[column] = np.interp(moments, times, track[column])
        state["speed"] = magnitude(state["vx"], state["vy"])
        last = np.searchsorted(times, moments, side="right") - 1
        for column in track.columns:
            if column.startswith(ACTION):
                state[column] = track[column].to_numpy()[last]
        order = [column for column in track.columns if column in state]
        table = pd.DataFrame(state)[order]
        return table if np.ndim(t) else table.iloc[0]


def wrapped(path: Floats, seam: tuple[float, float] | None) -> tuple[Floats, Floats]:
    """Return an unwrapped coordinate folded into its seam, and the laps taken off it."""
    if seam is None:
        return path, np.zeros_like(path)
    low, high = seam
    laps = np.floor((path - low) / (high - low))
    return path - laps * (high - low), laps


def magnitude(x: Floats, y: Floats) -> Floats:
    """Return sqrt(x^2 + y^2): quickly, or where that overflows as hypot does it."""
    with np.errstate(over="ignore"):
        lengths: Floats = np.sqrt(x * x + y * y)
    return np.hypot(x, y) if np.isinf(lengths).any() else lengths
