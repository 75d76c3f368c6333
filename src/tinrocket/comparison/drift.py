"""Drift: the distance between two flights at the same moment."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from tinrocket.comparison.bounce_gaps import between_bounces
from tinrocket.errors import expect
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.event_kinds import BENDING
from tinrocket.trajectory.frames import Track
from tinrocket.trajectory.trajectory import Trajectory

Floats = NDArray[np.float64]

COMMON = 4.0
"""Pictures a second that flights must have at the same moments to be compared at these alone."""


@dataclass(frozen=True, slots=True, eq=False)
class Drift:
    """Distance of one craft from its place in the reference, over time.

    Attributes
    ----------
    craft
        Name of the craft.
    t
        Moments [s]: every moment at which either flight has a frame.
    distance
        Distance [px] as seen on the screen, the short way around edges that wrap.
    unwrapped
        Distance [px] along the unwrapped paths.
    gone
        Whether the distance ends because the craft disappears in either flight.
    """

    craft: str
    t: Floats
    distance: Floats
    unwrapped: Floats
    gone: bool = False

    @property
    def largest(self) -> float:
        """The largest distance [px]."""
        return float(self.distance.max())

    @property
    def rms(self) -> float:
        """Root of the mean over time of the squared distance [px]."""
        span = self.t[-1] - self.t[0]
        if span == 0.0:
            return self.final
        most = self.largest or 1.0  # scale first: the square of a large distance may overflow
        return most * math.sqrt(np.trapezoid((self.distance / most) ** 2, self.t) / span)

    @property
    def final(self) -> float:
        """The distance at the end [px]."""
        return float(self.distance[-1])

    def passes(self, tolerance: float) -> float | None:
        """Return the first moment [s] at which the distance passes `tolerance`, or None.

        Interpolated between frames.
        """
        over = np.flatnonzero(self.distance > tolerance)
        if not over.size:
            return None
        after = int(over[0])
        if after == 0:
            return float(self.t[0])
        d0, d1 = self.distance[after - 1 : after + 1]
        t0, t1 = self.t[after - 1 : after + 1]
        return float(t0 + (tolerance - d0) / (d1 - d0) * (t1 - t0))


def measure_drift(
    flight: Trajectory, reference: Trajectory, craft: str, until: float | None = None
) -> Drift:
    """Return the distance of a craft from its place in the reference, over time.

    Flights that have pictures at the same moments, some each second, are compared at these: a leap
    lies between two pictures, and only where both have one is it over in both.  Others are
    interpolated linearly between their own frames, and through the places at which they bounced
    between two frames; moments between the frames around one bounce of both are left out.  Mean
    display latency is subtracted first: latency is no drift, and has a column of
    its own.  The distance ends where the life of the craft does in
    either, or where a game is over: no distance is defined after that.

    Parameters
    ----------
    flight, reference
        The two flights; the seams of the reference are used if the flight has none.
    craft
        Name of the craft.
    until
        Last moment to look at [s]; the end of the shorter flight if not given.

    Examples
    --------
    >>> rocket = tr.read_demo("rocket")
    >>> one, other = (tr.simulate(rocket, rate=rate) for rate in (30, 60))
    >>> round(tr.measure_drift(one, other, "rocket").largest, 1)
    438.0
    """
    for flown in (flight, reference):
        expect(flown, Trajectory, "measure_drift()", "fly one with simulate(scenario)")
    flight, reference = without_lag(flight), without_lag(reference)
    end = min(flight.ends_at, reference.ends_at, math.inf if until is None else until)
    lives = [_life(run, craft) for run in (flight, reference)]
    born = max(begin for begin, _ends in lives)
    dies = max(min(ends for _begin, ends in lives), born)
    gone, end = dies < end, min(end, dies)
    one, other = _corners(flight, craft), _corners(reference, craft)
    t = np.union1d(one[0], other[0])
    t = t[~_within_cuts((flight.track(craft), reference.track(craft)), t)]
    t = np.append(t[(t >= born) & (t < end)], end)
    t = t[pictures_of_both(t, *(run.track(craft)["t"] for run in (flight, reference)))]
    in_gap = between_bounces(flight.track(craft), reference.track(craft), t)
    in_gap[-1] = False
    t = t[~in_gap]
    apart, around = [], []
    for number, axis in enumerate(AXES, start=1):
        seam = flight.seam(axis, craft) or reference.seam(axis, craft)
        delta = np.interp(t, one[0], one[number]) - np.interp(t, other[0], other[number])
        apart.append(delta)
        if seam is not None:
            period = seam[1] - seam[0]
            delta = delta - period * np.round(delta / period)
        around.append(delta)
    return Drift(craft, t, np.hypot(*around), np.hypot(*apart), gone)


def without_lag(flight: Trajectory) -> Trajectory:
    """Return a flight whose pictures are earlier by their mean latency."""
    recorded, lag = flight.recorded, flight.lag
    if lag == 0.0:
        return flight
    block = recorded.block.copy()
    block[recorded.names.index("t")] -= lag
    names = tuple("lag left out" if name == "lag" else name for name in recorded.names)
    return replace(flight, recorded=replace(recorded, block=block, names=names))


def pictures_of_both(t: Floats, mine: Floats, its: Floats) -> NDArray[np.bool_]:
    """Return at which moments both flights have a picture; all of them if these are too few.

    The last moment is always one of them.
    """
    common = np.isin(t, mine) & np.isin(t, its)
    if np.count_nonzero(common) <= COMMON * (t[-1] - t[0]):
        return np.ones(t.size, dtype=bool)
    common[-1] = True
    return common


def _life(flight: Trajectory, craft: str) -> tuple[float, float]:
    """Return begin and end of the craft's first life [s]; the end is inf if it never disappears."""
    track = flight.track(craft)
    t = track["t"]
    if "alive" not in track:
        return float(t[0]), math.inf
    there = track["alive"] != 0
    born = int(there.argmax())
    gone = np.flatnonzero(~there[born:])
    if not there.any() or not gone.size:
        return float(t[born]), math.inf
    return float(t[born]), float(t[max(born + int(gone[0]) - 1, born)])


def _within_cuts(tracks: Sequence[Track], t: Floats) -> NDArray[np.bool_]:
    """Return which moments lie within a jump of a view, between two frames.

    Where two flights jump in frames that touch each other, it is the same jump.
    """
    inside = np.zeros(t.size, dtype=bool)
    spans = []
    for track in tracks:
        if "cut" in track:
            times, rows = track["t"], np.flatnonzero(track["cut"])
            spans += list(zip(times[rows - 1].tolist(), times[rows].tolist(), strict=True))
    reached = -math.inf
    for begin, end in sorted(spans):
        inside |= (t > begin) & (t < end) | (t == begin) & (begin <= reached)
        reached = max(reached, end)
    return inside


def _corners(flight: Trajectory, craft: str) -> tuple[Floats, Floats, Floats]:
    """Return times and unwrapped places of a path: its frames, and its bounces between them.

    With display latency a bounce is seen later than it happens, so it is left out.
    """
    track, happened = flight.track(craft), flight.happened
    t, paths = track["t"], [track[f"{axis}_unwrapped"] for axis in AXES]
    mine = flight.events_of(craft)
    kinds, others, edges, times = (happened[n][mine] for n in ("kind", "other", "edge", "t"))
    bends = np.isin(kinds, BENDING) & ((others != "") | (edges != ""))
    met = mine[bends & (times > t[0]) & (times < t[-1])]
    if not met.size or "lag" in track:
        return t, paths[0], paths[1]
    moments = happened["t"][met]
    after = np.searchsorted(t, moments, side="right")
    bent = []
    for axis, path in zip(AXES, paths, strict=True):
        low, high = flight.seam(axis, craft) or (0.0, 0.0)
        laps = track[f"wraps_{axis}"][after - 1]
        bent.append(np.insert(path, after, happened[axis][met] + laps * (high - low)))
    return np.insert(t, after, moments), bent[0], bent[1]
