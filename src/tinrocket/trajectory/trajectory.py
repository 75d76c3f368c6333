"""The trajectory of a run: a row per frame, and the events."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property, partial
from typing import TYPE_CHECKING, overload

import numpy as np
from numpy.typing import ArrayLike, NDArray

from tinrocket.errors import TrajectoryError, UnknownNameError, nearest
from tinrocket.rendering import html_of
from tinrocket.scenario.arena import Arena, Axis
from tinrocket.scenario.obstacle import Obstacle
from tinrocket.texts import safe_line, safe_output
from tinrocket.trajectory.bodies import Body
from tinrocket.trajectory.columns import EventColumns
from tinrocket.trajectory.frames import Frames, Track
from tinrocket.trajectory.interpolate import states_between
from tinrocket.trajectory.moments import Extreme, extremes_of, spans_when

if TYPE_CHECKING:
    import pandas as pd

Floats = NDArray[np.float64]


MOST_TOLD = 4
"""Craft with a final position in a flight's text."""


@dataclass(frozen=True, eq=False, repr=False)
class Trajectory:
    """One flight.

    Attributes
    ----------
    recorded
        Data of `frames`.
    make_events
        Function that returns the data of `events`, called on first use.
    arena
        The playfield, or None if it is not known.
    title, clock
        Title of the scenario, and the pacing of its frames.
    rate
        Frames per second, as the clock has it or on average.
    bodies
        Data about each craft for pictures and comparisons.
    view
        Width and height of what the player sees [px], or None if that is the arena.
    obstacles
        Pieces that never move.
    passed
        Names of the obstacles that all craft pass: zones that only count.
    seams
        Range in which axes wrap for each craft, low and high [px], if there is no arena.
    y_up
        Whether y grows upward, if there is no arena.
    keys_led
        Whether the keys of a row are those of the frame before it, as a game prints them; else of
        the frame that begins there.
    world
        For a flight in screen coordinates, the flight in the world.
    make_trace
        Function that flies the scenario again and traces it, if known.
    make_doubts
        Function that
        returns the warnings about the scenario; see `warnings`.
    """

    recorded: Frames
    make_events: Callable[[], EventColumns] = field(repr=False)
    arena: Arena | None
    title: str
    clock: str
    rate: float
    bodies: Mapping[str, Body] = field(default_factory=dict)
    view: tuple[float, float] | None = None
    obstacles: tuple[Obstacle, ...] = ()
    passed: frozenset[str] = frozenset()
    seams: Mapping[str, Mapping[Axis, tuple[float, float]]] = field(default_factory=dict)
    y_up: bool = False
    keys_led: bool = False
    world: "Trajectory | None" = None
    make_trace: "Callable[..., pd.DataFrame] | None" = field(default=None, repr=False)
    make_doubts: Callable[[], list[str]] | None = field(default=None, repr=False)

    def __repr__(self) -> str:
        """Return the title and the duration."""
        frames = max(self.recorded.counts) - 1
        length = f"{frames} frames, {self.duration:.4g} s"
        return safe_line(f"<Trajectory '{self.title}', {self.clock}: {length}>")

    def __str__(self) -> str:
        """Return two lines: the title, and the final state."""
        events = self.happened["t"].size
        summary = repr(self)[1:-1] + f", {events} event{'' if events == 1 else 's'}"
        ends = []
        for name in self.craft[:MOST_TOLD]:
            track = self.track(name)
            x, y, speed = (float(track[column][-1]) for column in ("x", "y", "speed"))
            gone = "alive" in track and not track["alive"][-1]
            ends.append(
                f"{name} gone"
                if gone
                else f"{name} at ({x:.1f}, {y:.1f}), {speed:.1f} {self.unit}/s"
            )
        more = len(self.craft) - MOST_TOLD
        ends += [f"and {more} more"] if more > 0 else []
        return safe_output(f"{summary}\n{'; '.join(ends)}")

    def _repr_html_(self) -> str:
        """Return the title and the path for a notebook."""
        return html_of(self)

    def __getstate__(self) -> dict[str, object]:
        """Return the state to pickle: the events instead of their maker."""
        state = self.__dict__ | {"make_events": partial(dict, self.happened)}
        state["make_doubts"] = partial(list, self.warnings)
        return state

    def __setstate__(self, state: dict[str, object]) -> None:
        """Restore the pickled state."""
        self.__dict__.update(state)

    @cached_property
    def frames(self) -> "pd.DataFrame":
        """A row for each craft and frame, the start included, by number of the frame.

        craft, t [s], x, y [px], vx, vy [px/s], heading [deg as the arena counts, not reduced to
        one turn], wraps_x, wraps_y, x_unwrapped, y_unwrapped [px], speed [px/s], and for each
        action a column ``in.<action>`` with its value as sampled at that moment.  If they can
        change: height above the ground [px], alive (0 while the craft is absent), a column
        ``score.<side>`` for each side, lives, display latency behind real
        time [s], and view_x, view_y, the view's corner with the lowest coordinates [px].
        """
        return self.recorded.table()

    @cached_property
    def happened(self) -> EventColumns:
        """The events as arrays, sorted by time: data of `events`."""
        return self.make_events()

    @cached_property
    def events(self) -> "pd.DataFrame":
        """A row for each event, sorted by time.

        t [s]; kind: of an edge (wrap, clamp, bounce,
        remove), of a rule (flap, dash, hop, fire,
        pool_empty), of a contact (bounce, hard_hit, block, stop, split, hit, pass) and its
        score, of the stage (expire, enter, spawn_blocked, respawn, march_step, march_turn,
        life_lost, round, over), or lost_tap; craft, edge, rule, other, action, x, y [px],
        speed on arrival [px/s], gap [px] and normal [deg] of a contact, count (crossings
        within the one step, shots, points), and the frame in which it happened.  Times lie
        within the frame.
        """
        import pandas as pd

        return pd.DataFrame(dict(self.happened))

    @cached_property
    def _event_rows(self) -> dict[str, NDArray[np.int64]]:
        """Rows of the events of each craft."""
        names, rows = np.unique(self.happened["craft"].astype(str), return_inverse=True)
        order = np.argsort(rows, kind="stable")
        parts = np.split(order, np.searchsorted(rows[order], np.arange(1, names.size)))
        return dict(zip(names.tolist(), parts, strict=True))

    def events_of(self, craft: str) -> NDArray[np.int64]:
        """Return the rows of a craft's events, sorted by time."""
        none = np.empty(0, dtype=np.int64)
        return self._event_rows.get(craft, none) if self.happened["t"].size else none

    @cached_property
    def warnings(self) -> tuple[str, ...]:
        """Warnings about probable mistakes, a sentence for each."""
        doubts = list(self.make_doubts()) if self.make_doubts else []
        happened = self.happened
        squeezed = np.flatnonzero(happened["kind"] == "squeeze")
        if squeezed.size:
            first = squeezed[0]
            times = "once" if squeezed.size == 1 else f"{squeezed.size} times"
            met = f" by '{happened['other'][first]}'" if happened["other"][first] else ""
            doubts.append(
                f"{times} a body had nowhere to go: '{happened['craft'][first]}' was "
                f"squeezed{met} at {happened['t'][first]:.3f} s"
            )
        return tuple(doubts)

    @property
    def craft(self) -> tuple[str, ...]:
        """Names of the craft, in the order of the scenario."""
        return self.recorded.craft

    @cached_property
    def families(self) -> dict[str, tuple[str, ...]]:
        """Members of each pool or grid, and every other craft by itself."""
        families: dict[str, list[str]] = {}
        for name in self.craft:
            body = self.bodies.get(name)
            family = body.family if body and body.family else name
            families.setdefault(family, []).append(name)
        return {family: tuple(names) for family, names in families.items()}

    def compared_by_events(self, craft: str) -> bool:
        """Whether the path of a craft coincides with that of another flight."""
        body = self.bodies.get(craft)
        return body is not None and (body.pooled or body.leaps)

    def pooled(self, craft: str) -> str:
        """Return the pool of a craft, or its own name."""
        body = self.bodies.get(craft)
        return body.family if body and body.pooled else craft

    @property
    def unit(self) -> str:
        """Unit of lengths."""
        return self.arena.unit if self.arena else "px"

    @property
    def up(self) -> float:
        """Sign of y upward on the screen: 1 or -1."""
        return 1.0 if (self.arena.y_axis == "up" if self.arena else self.y_up) else -1.0

    def with_craft(self, names: Sequence[str]) -> "Trajectory":
        """Return the flight with some of its craft, and the events of these and of the game."""
        if tuple(names) == self.craft:
            return self
        happened, chosen = self.happened, np.isin(self.happened["craft"], [*names, ""])
        columns = {name: column[chosen] for name, column in happened.items()}
        return replace(self, recorded=self.recorded.only(names), make_events=partial(dict, columns))

    @cached_property
    def ends_at(self) -> float:
        """End of the game, else of the last frame [s]."""
        over = self.happened["t"][self.happened["kind"] == "over"]
        return float(over[0]) if over.size else self.duration

    @property
    def duration(self) -> float:
        """End of the last frame [s]."""
        return float(self.recorded.column("t")[-1])

    @property
    def lost_taps(self) -> int:
        """Number of missed taps, which began and ended between two frames."""
        return int((self.happened["kind"] == "lost_tap").sum())

    @property
    def lag(self) -> float:
        """Mean display latency [s]."""
        recorded = self.recorded
        return float(recorded.column("lag").mean()) if "lag" in recorded.names else 0.0

    def seam(self, axis: Axis, craft: str | None = None) -> tuple[float, float] | None:
        """Return the range in which an axis wraps for a craft, low and high, or None.

        For a craft bound to the view it is relative to the view's corner.
        """
        name = craft or self.craft[0]
        body = self.bodies.get(name)
        arena = body.arena if body else self.arena
        return arena.seam(axis) if arena else self.seams.get(name, {}).get(axis)

    def on_screen(self) -> "Trajectory":
        """Return the flight in the coordinates of the screen: as seen in the view.

        Places are relative to the view's corner, and paths are as seen: a craft that wraps around
        the world jumps. A flight without a view is returned unchanged.
        """
        from tinrocket.trajectory.on_screen import seen_on_screen

        return seen_on_screen(self)

    def _known(self, craft: str | None) -> str:
        """Return the name of a craft, or of the only one."""
        names = self.craft
        if craft is None:
            if len(names) > 1:
                raise UnknownNameError(f"name the craft; there are {', '.join(names)}")
            return names[0]
        if craft not in self.recorded:
            raise UnknownNameError(f"there is no craft '{craft}'{nearest(craft, names)}")
        return craft

    def track(self, craft: str | None = None) -> Track:
        """Return the frames of one craft as arrays, by the name of their column.

        Raises
        ------
        UnknownNameError
            If there is no such craft, or several and none is named.
        """
        return self.recorded.of(self._known(craft))

    def of(self, craft: str | None = None) -> "pd.DataFrame":
        """Return the frames of one craft; of the only one, if there is one.

        Raises
        ------
        UnknownNameError
            If there is no such craft, or several and none is named.
        """
        name = self._known(craft)
        return self.frames if len(self.craft) == 1 else self.frames[self.frames["craft"] == name]

    def trace(
        self,
        craft: str | None = None,
        since: float = 0.0,
        until: float | None = None,
        *,
        each_rule: bool = False,
        columns: Sequence[str] | None = None,
    ) -> "pd.DataFrame":
        """Return the trace of the flight; see `tinrocket.trace`.

        Raises
        ------
        TrajectoryError
            If the flight was read from a file, which does not contain its scenario.
        """
        if self.make_trace is None:
            raise TrajectoryError("a loaded flight cannot be traced; trace its scenario")
        return self.make_trace(craft, since, until, each_rule=each_rule, columns=columns)

    def when(self, condition: str, craft: str | None = None) -> "pd.DataFrame":
        """Return the spans in which a condition holds: ``flight.when("speed > 300 and vy < 0")``.

        Parameters
        ----------
        condition
            A comparison of columns of `frames`: names, numbers, arithmetic, ``and``, ``or`` and
            ``not``; names with a point are put in backquotes.
        craft
            Name of the craft (default: the only one).

        Returns
        -------
        pandas.DataFrame
            A row for each uninterrupted span: since, until [s], x, y [px] at its beginning, frame
            (its first), frames (their number).

        Raises
        ------
        OptionError
            If the text is not a comparison of columns.
        """
        return spans_when(self.of(craft), condition)

    def extremes(self, craft: str | None = None) -> "pd.DataFrame":
        """Return where and when a craft was highest, lowest, farthest to the sides and fastest.

        Returns
        -------
        pandas.DataFrame
            A row for each of highest, lowest, leftmost, rightmost, fastest, slowest (as seen on
            the screen): value [px or px/s], t [s], x, y [px], frame; of frames in which it is
            present.
        """
        import pandas as pd

        points = self.extreme_points(craft)
        rows = [point._asdict() for point in points.values()]
        return pd.DataFrame(rows, index=pd.Index(list(points), name="extreme"))

    def extreme_points(self, craft: str | None = None) -> dict[str, Extreme]:
        """Return the rows of `extremes` by their names."""
        name = self._known(craft)
        return extremes_of(self.track(name), self.recorded.index[self.recorded.rows(name)], self.up)

    @overload
    def at(self, t: float, craft: str | None = None) -> "pd.Series": ...
    @overload
    def at(self, t: ArrayLike, craft: str | None = None) -> "pd.DataFrame": ...
    def at(self, t: ArrayLike, craft: str | None = None) -> "pd.DataFrame | pd.Series":
        """Return the state of a craft between frames, by linear interpolation.

        Positions are interpolated along the unwrapped path and then wrapped, so that
        they are right across a seam; actions have the value of the frame before.

        Parameters
        ----------
        t
            Moment or moments [s] within the flight.
        craft
            Name of the craft (default: the only one).

        Raises
        ------
        TrajectoryError
            If a moment lies outside the flight.
        """
        import pandas as pd

        try:
            moments = np.atleast_1d(np.asarray(t))
            if moments.ndim != 1 or moments.dtype.kind not in "fiuO":
                raise TypeError
            moments = moments.astype(np.float64)
        except (TypeError, ValueError, OverflowError):
            raise TrajectoryError(
                f"a moment is a number of seconds, or a list of some, not {t!r}"
            ) from None
        table = pd.DataFrame(states_between(self, moments, self._known(craft)))
        return table if np.ndim(t) else table.iloc[0]
