"""The scene of a picture: the arena with its edges, or a scrolling world."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from matplotlib.axes import Axes
from matplotlib.ticker import FixedLocator, MaxNLocator
from numpy.typing import NDArray

from tinrocket.scenario.arena import AXES, SIDES, Arena
from tinrocket.show import theme
from tinrocket.trajectory.frames import Track
from tinrocket.trajectory.trajectory import Trajectory

Floats = NDArray[np.float64]

EDGE_STYLES = {
    "remove": {"linestyle": (0, (4, 2, 1, 2)), "linewidth": 1.6},
    "wrap": {"linestyle": (0, (6, 4)), "linewidth": 1.4},
    "clamp": {"linestyle": "-", "linewidth": 2.6},
    "bounce": {"linestyle": (0, (1, 0.6)), "linewidth": 4.5},
    "open": {"linestyle": (0, (1, 4)), "linewidth": 1.2},
}
ALIKE = 0.9
"""Share of the other craft that must move past a craft at one speed for the game to scroll."""


NARROW = 0.6
"""Width over height below which the horizontal axis has fewer ticks."""
TICKS_IF_SQUARE = 8.0
"""Ticks of the horizontal axis per unit of width over height, on such a panel."""


@dataclass(frozen=True, slots=True)
class Scene:
    """Where things are drawn.

    Attributes
    ----------
    low, high
        Lowest and highest x and y of the picture [px].
    arena
        The playfield, or None if it is not known or scrolls past.
    unit
        Unit of lengths.
    up
        Sign of y upward on the screen: 1 or -1.
    scroll
        Velocity of the scrolling bodies [px/s]; in the picture they are fixed, and the craft moves.
    """

    low: tuple[float, float]
    high: tuple[float, float]
    arena: Arena | None
    unit: str
    up: float
    scroll: tuple[float, float] = (0.0, 0.0)

    @classmethod
    def of(cls, flights: Sequence[Trajectory]) -> "Scene":
        """Return the best scene for flights of one scenario."""
        first = flights[0]
        arena, unit = first.arena, first.unit
        scroll = _scrolling(first)
        if arena is not None and scroll == (0.0, 0.0):
            seams = [arena.seam(axis) for axis in AXES]
            sizes = (arena.width, arena.height)
            low = tuple(seam[0] if seam else 0.0 for seam in seams)
            high = tuple(s[1] if s else size for s, size in zip(seams, sizes, strict=True))
            return cls((low[0], low[1]), (high[0], high[1]), arena, unit, first.up)
        low_of, high_of = [], []
        for axis, speed in zip(AXES, scroll, strict=True):
            places = [_there(flight, axis, speed) for flight in flights]
            low_of.append(min(float(part.min()) for part in places))
            high_of.append(max(float(part.max()) for part in places))
        if arena is not None:  # across the way it scrolls it is as it is
            across = 1 if scroll[0] else 0
            low_of[across], high_of[across] = 0.0, (arena.width, arena.height)[across]
        return cls((low_of[0], low_of[1]), (high_of[0], high_of[1]), None, unit, first.up, scroll)

    def along(self, axis: int, place: Floats, t: Floats) -> Floats:
        """Return the place in the picture of a place at a moment."""
        moved: Floats = place - self.scroll[axis] * t
        return moved

    def place(self, track: Track, row: int) -> tuple[float, float]:
        """Return the place in the picture of a craft in one of its rows."""
        t = float(track["t"][row])
        x, y = (float(track[axis][row]) - self.scroll[n] * t for n, axis in enumerate(AXES))
        return x, y

    @property
    def size(self) -> float:
        """The longer side [px]."""
        return max(high - low for low, high in zip(self.low, self.high, strict=True)) or 1.0

    @property
    def aspect(self) -> float:
        """Width over height."""
        (x0, y0), (x1, y1) = self.low, self.high
        return (x1 - x0) / (y1 - y0) if x1 > x0 and y1 > y0 else 1.6

    @property
    def labels(self) -> tuple[str, str]:
        """Labels of the axes."""
        past = " along what scrolls" if any(self.scroll) else ""
        names = (past if self.scroll[0] else "", past if self.scroll[1] else "")
        return f"x{names[0]} [{self.unit}]", f"y{names[1]} [{self.unit}]"

    def draw(self, ax: Axes) -> None:
        """Draw the edges, and set the limits."""
        ax.set_aspect("equal", adjustable="box")
        pad = 0.02 * self.size
        (x0, y0), (x1, y1) = self.low, self.high
        ax.set_xlim(x0 - pad, x1 + pad)
        ax.set_ylim(*((y0 - pad, y1 + pad) if self.up > 0 else (y1 + pad, y0 - pad)))
        if self.aspect < NARROW:  # so that the numbers below a narrow panel do not collide
            count = round(TICKS_IF_SQUARE * self.aspect)
            ax.xaxis.set_major_locator(MaxNLocator(count) if count else FixedLocator([x1]))
        if self.arena is None:
            return
        width, height = self.arena.width, self.arena.height
        low, high = (0.0, height) if self.up > 0 else (height, 0.0)
        lines = {
            "left": ([0.0, 0.0], [low, high]),
            "right": ([width, width], [low, high]),
            "bottom": ([0.0, width], [low, low]),
            "top": ([0.0, width], [high, high]),
        }
        for side in SIDES:
            style = EDGE_STYLES[self.arena.edges.at(side).kind]
            ax.plot(*lines[side], color=theme.INK, zorder=1.5, **style)  # type: ignore[arg-type]

    @property
    def edges(self) -> tuple[str, ...]:
        """The kinds of the edges, once each."""
        if self.arena is None:
            return ()
        return tuple(dict.fromkeys(self.arena.edges.at(side).kind for side in SIDES))


def _there(flight: Trajectory, axis: str, speed: float) -> Floats:
    """Return all drawn places of all craft along an axis while they are present."""
    recorded = flight.recorded
    t = recorded.column("t")
    shown = t <= flight.ends_at
    if "alive" in recorded.names and recorded.column("alive").any():
        shown &= recorded.column("alive") != 0
    places: Floats = (recorded.column(axis) - speed * t)[shown]
    return places


def _scrolling(flight: Trajectory) -> tuple[float, float]:
    """Return the velocity at which the others move past the compared craft.

    A game scrolls if the compared craft hardly move along an axis, and nearly all others do, at one
    speed.
    """
    moving = [craft for craft in flight.craft if not flight.compared_by_events(craft)]
    others = [craft for craft in flight.craft if flight.compared_by_events(craft)]
    if not moving or not others:
        return 0.0, 0.0
    frames = flight.frames
    mine = frames[frames["craft"].isin(moving)]
    rest = frames[frames["craft"].isin(others)]
    if "alive" in rest:
        rest = rest[rest["alive"] != 0]
    offset = [0.0, 0.0]
    for number, axis in enumerate(AXES):
        if rest.empty or (mine[f"v{axis}"] == 0.0).mean() < ALIKE:
            continue
        speed = float(rest[f"v{axis}"].median())
        alike = (rest[f"v{axis}"] - speed).abs() < 1e-6 * max(abs(speed), 1.0)
        offset[number] = speed if alike.mean() > ALIKE else 0.0
    return offset[0], offset[1]
