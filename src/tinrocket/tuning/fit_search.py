"""One fit: the model of each log flown with other numbers, and the search for the best of them.

A residual is by how much a place of the model differs from the log's, along each axis, the short
way where the arena wraps.  Large residuals count less (soft L1), so that a few bad rows decide
nothing.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from tinrocket.compile.build import plan_of
from tinrocket.compile.number_cells import Cells, place_cells
from tinrocket.compile.plan import Plan
from tinrocket.errors import FlightError, OptionError, ScenarioError
from tinrocket.flight.record import Progress
from tinrocket.logs.pace import clock_of, like, records_keys
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.vary import NumberPath, number_path, with_value
from tinrocket.trajectory.simulate import flown, fly
from tinrocket.trajectory.trajectory import Trajectory
from tinrocket.tuning.fitted import LEAST
from tinrocket.tuning.free_numbers import FreeNumber
from tinrocket.tuning.search_tools import scipy

Floats = NDArray[np.float64]

OUTLIER = 5.0
"""Standard deviations beyond which a residual is of a bad row."""
LOST = 1e4
"""Residual where the model cannot be flown [px]."""
PARTS, NEAR_PARTS = (0.15, 0.3, 0.5, 0.75, 1.0), (0.5, 1.0)
"""Parts of a log that are fitted one after the other; fewer where the numbers are nearly known."""
ROUGH = 10.0
"""Residuals beyond this count less while the search is far off [px]."""
LOOSE, FLAT = 0.02, 1e-3
"""A number whose standard error is more than this share of its range, or that moves nothing by
more than this over its whole range [px], is not decided by a part of a log."""
NORMAL = 1.4826
"""Standard deviation of a normal distribution, by its median deviation."""
DRAWS, NEAR_DRAWS = 16, 4
"""Places from which a search may begin; fewer where the numbers are nearly known."""
OFFSET = "time offset"
"""Name of the number that says how much later a log's times are than the scenario's."""


@dataclass(frozen=True, slots=True)
class Differences:
    """Differences between model and log, of one craft along one axis.

    Attributes
    ----------
    craft, axis
        Which.
    t
        Moments of the log's rows [s].
    off
        Model minus log [px].
    moves
        Whether the log's place changes along the axis: else its residuals do not show how
        places are rounded.
    """

    craft: str
    axis: str
    t: Floats
    off: Floats
    moves: bool


def offset_numbers(logs: int, within: tuple[float, float]) -> tuple[FreeNumber, ...]:
    """Return a free number for the time offset of each log, within a range [s].

    Raises
    ------
    OptionError
        If the range has no length, or 0 lies outside of it.
    """
    low, high = within
    if not (low <= 0.0 <= high and low < high and math.isfinite(high - low)):
        raise OptionError(
            f"a time offset goes from at most 0 to at least 0 s, such as -0.1:0.1, "
            f"not from {low:g} to {high:g}"
        )
    names = [OFFSET] if logs == 1 else [f"{OFFSET} of log {n + 1}" for n in range(logs)]
    return tuple(FreeNumber(name, low, high, 0.0, "plain") for name in names)


@dataclass(slots=True, eq=False)
class FitSearch:
    """One fit: the logs, the model of each, and its residuals.

    Attributes
    ----------
    scenario
        Scenario whose numbers are fitted.
    free
        Its free numbers.
    logs
        Logs of the game.
    offsets
        A free number for the time offset of each log; or none.
    progress
        Called with how many flights were flown, and about how many there will be.
    until
        Share of each log that counts, from its beginning.
    flights
        How many flights were flown.
    """

    scenario: Scenario
    free: Sequence[FreeNumber]
    logs: Sequence[Trajectory]
    offsets: Sequence[FreeNumber] = ()
    progress: Progress | None = None
    until: float = 1.0
    flights: int = 0
    _models: list[tuple[Scenario, Clock]] = field(default_factory=list)
    _owners: dict[NumberPath, list[tuple[str, str]]] | None = None

    def __post_init__(self) -> None:
        """Make the model of each log: the scenario with its length, its keys and its frames."""
        for n, log in enumerate(self.logs):
            model, clock = like(self.scenario, log), clock_of(log)
            if self.offsets:  # fly as long as the latest row may need
                model = model.replaced(duration=model.duration - self.offsets[n].low)
                if not records_keys(log):  # the model has frames of its own
                    clock = clock_of(log, from_first_row=True)
            self._models.append((model, clock))
        if self.scenario.flown_by is not None or not self.free:
            return
        owners: dict[NumberPath, list[tuple[str, str]]] = {}
        for number in self.free:
            place = number_path(self.scenario, number.path)
            if place is None:
                return
            owners.setdefault(replace(place, key=""), []).append((place.key, number.path))
        try:
            self._cells(
                plan_of(self._models[0][0]),
                {number.path: number.now for number in self.free},
                owners,
            )
        except OptionError:  # a number decides more than numbers
            return
        self._owners = owners

    def _cells(
        self,
        plan: Plan,
        numbers: Mapping[str, float],
        owners: Mapping[NumberPath, Sequence[tuple[str, str]]],
    ) -> list[Cells]:
        """Return the cells of a plan that hold the free numbers."""
        return [
            cell
            for place, keys in owners.items()
            for cell in place_cells(plan, place, {key: numbers[path] for key, path in keys})
        ]

    @property
    def searched(self) -> tuple[FreeNumber, ...]:
        """All numbers that are searched: those of the scenario, then the time offsets."""
        return (*self.free, *self.offsets)

    @property
    def now(self) -> Floats:
        """Shares of the ranges at which the numbers are as written."""
        return np.array([number.share(number.now) for number in self.searched])

    def values(self, shares: Floats) -> tuple[dict[str, float], list[float]]:
        """Return the scenario's numbers by path, and the time offset of each log [s]."""
        values = [
            number.value(float(share)) for number, share in zip(self.searched, shares, strict=True)
        ]
        count = len(self.free)
        paths = [number.path for number in self.free]
        offsets = values[count:] or [0.0] * len(self.logs)
        return dict(zip(paths, values[:count], strict=True)), offsets

    def variant(self, numbers: Mapping[str, float]) -> Scenario:
        """Return the scenario with other numbers."""
        return _with_values(self.scenario, numbers)

    def flown(self, model: Scenario, clock: Clock, numbers: dict[str, float]) -> Trajectory | None:
        """Fly a model with other numbers; None where that cannot be.

        Numbers of rules and starts are written into the memory of one plan.
        """
        self.flights += 1
        if self.progress is not None:
            self.progress(self.flights, max(self.flights, 300))
        try:
            if self._owners is not None:
                plan = plan_of(self._models[0][0])  # models differ in tape and duration alone
                return flown(model, clock, plan, self._cells(plan, numbers, self._owners))
            return fly(_with_values(model, numbers), clock)
        except (FlightError, ScenarioError):
            return None

    def differences(self, shares: Floats) -> list[Differences]:
        """Return the differences of each craft and axis of each log."""
        numbers, offsets = self.values(shares)
        compared = list[Differences]()
        for log, (model, clock), offset in zip(self.logs, self._models, offsets, strict=True):
            flight = self.flown(model, clock, numbers)
            for craft in log.craft:
                if log.compared_by_events(craft):
                    continue
                track = log.track(craft)
                rows = track["t"] <= self.until * float(track["t"][-1]) + 1e-9
                if "alive" in track:
                    rows = rows & (track["alive"] != 0.0)
                t = track["t"][rows]
                for axis in AXES:
                    place = track[axis][rows]
                    moves = bool(t.size and np.ptp(place) > 0.0)
                    if flight is None:
                        compared.append(Differences(craft, axis, t, np.full(t.size, LOST), moves))
                        continue
                    model_track = flight.track(craft)
                    at = np.interp(t - offset, model_track["t"], model_track[f"{axis}_unwrapped"])
                    off = at - place
                    seam = flight.seam(axis, craft)
                    if seam is not None:
                        period = seam[1] - seam[0]
                        off -= period * np.round(off / period)
                    compared.append(Differences(craft, axis, t, off, moves))
        return compared

    def residuals(self, shares: Floats) -> Floats:
        """Return all differences in a row [px]."""
        return np.concatenate([each.off for each in self.differences(shares)])

    def root_mean_square(self, shares: Floats) -> float:
        """Return the root of the mean squared difference [px]."""
        return float(np.sqrt(np.mean(np.square(self.residuals(shares)))))

    def spread(self, shares: Floats) -> float:
        """Return the standard deviation of residuals without those of bad rows [px]."""
        residuals = along_motion(self.differences(shares))
        rough = NORMAL * float(np.median(np.abs(residuals)))
        good = residuals[np.abs(residuals) <= OUTLIER * max(rough, LEAST)]
        freedom = max(good.size - len(self.searched), 1)
        return max(math.sqrt(float(np.square(good).sum()) / freedom), LEAST)

    def descended(
        self, start: Floats, scale: float, held: dict[int, float] | None = None
    ) -> Floats:
        """Return where a robust least-squares search ends, with some shares held as they are."""
        held = held or {}
        moving = [n for n in range(start.size) if n not in held]
        shares = start.copy()
        for n, share in held.items():
            shares[n] = share
        if not moving:
            return shares

        def residuals_of(part: Floats) -> Floats:
            tried = shares.copy()
            tried[moving] = part
            return self.residuals(tried)

        end = scipy().optimize.least_squares(
            residuals_of,
            np.clip(shares[moving], 1e-9, 1.0 - 1e-9),
            bounds=(0.0, 1.0),
            loss="soft_l1",
            f_scale=scale,
            diff_step=1e-6,
            x_scale="jac",
            xtol=1e-9,
            ftol=1e-8,
            gtol=1e-9,
            max_nfev=30,
        )
        shares[moving] = end.x
        return shares

    def misfit(self, shares: Floats, scale: float) -> float:
        """Return the robust sum of squares [px^2]."""
        z = np.square(self.residuals(shares) / scale)
        return float(scale * scale * 2.0 * (np.sqrt(1.0 + z) - 1.0).sum())

    def best(self, starts: int, seed: int, near: Sequence[Floats] = ()) -> Floats:
        """Return the shares at which the model fits best.

        A flight that diverges early has many local minima, so ever longer parts of the log are
        fitted.  A number that a part leaves open is drawn anew for the next.

        Parameters
        ----------
        starts
            How many places the search begins from, in each part.
        seed
            Of the places that are drawn.
        near
            Places to begin from, instead of some that are drawn.
        """
        draws = (
            scipy().stats.qmc.Sobol(self.now.size, rng=seed).random(NEAR_DRAWS if near else DRAWS)
        )
        whole = self.until
        candidates = [self.now, *near, *draws]
        best = self.now
        for part in NEAR_PARTS if near else PARTS:
            self.until = whole * part
            ranked = sorted(candidates, key=lambda at: self.misfit(at, ROUGH))[:starts]
            ends = [self.descended(at, ROUGH) for at in ranked]
            best = min(ends, key=lambda at: self.misfit(at, ROUGH))
            loose = self.standard_errors(best, 1.0)[0] > LOOSE
            candidates = [*ends, *near]
            candidates += [np.where(loose, draw, best) for draw in draws if loose.any()]
        self.until = whole
        for _ in range(2):  # the scale follows from the residuals
            best = self.descended(best, 3.0 * self.spread(best))
        return best

    def slopes(self, best: Floats) -> Floats:
        """Return how much each residual changes with each share [px], a column for each."""
        columns = []
        for n in range(best.size):
            up, down = best.copy(), best.copy()
            up[n], down[n] = min(up[n] + 1e-6, 1.0), max(down[n] - 1e-6, 0.0)
            columns.append((self.residuals(up) - self.residuals(down)) / (up[n] - down[n]))
        return np.stack(columns, axis=1)

    def standard_errors(self, best: Floats, spread: float) -> tuple[Floats, Floats]:
        """Return the standard error of each share, by the slopes there, and their covariance."""
        slopes = self.slopes(best)
        errors = np.linalg.pinv(slopes.T @ slopes / spread**2).astype(np.float64)
        flat = np.abs(slopes).max(axis=0) < FLAT
        scales: Floats = np.where(flat, 1.0, np.sqrt(np.maximum(np.diag(errors), 0.0)))
        return scales, errors


def along_motion(differences: Sequence[Differences]) -> Floats:
    """Return the differences along axes on which the log moves [px]; all if it never does."""
    moving = [each.off for each in differences if each.moves]
    return np.concatenate(moving or [each.off for each in differences])


def _with_values(scenario: Scenario, numbers: Mapping[str, float]) -> Scenario:
    """Return a scenario with other numbers, by path."""
    for path, value in numbers.items():
        scenario = with_value(scenario, path, value)
    return scenario
