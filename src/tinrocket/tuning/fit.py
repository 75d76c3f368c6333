"""The numbers that explain a log of the real game: robust least squares over its places.

The scenario is flown on the log's own frames and, if it records them, with its keys.  A residual is
by how much a place of the model differs from the log's, along each axis, the short way where the
arena wraps.  Large residuals count less (soft L1), so that a few bad rows decide nothing.
Intervals are by profile likelihood: how far a number can go, all others following, until the
misfit has grown by what chance explains in one of twenty logs.
"""

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from tinrocket.compile.build import plan_of
from tinrocket.compile.number_cells import Cells, place_cells
from tinrocket.compile.plan import Plan
from tinrocket.errors import FlightError, OptionError, ScenarioError, expect
from tinrocket.flight.record import Progress
from tinrocket.logs.compare import compare_with_logs
from tinrocket.logs.log_format import LogFormat
from tinrocket.logs.pace import clock_of, like
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.other_timings import with_one_timing, with_rule_timings
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.vary import NumberPath, number_path, with_value
from tinrocket.trajectory.simulate import flown, fly
from tinrocket.trajectory.trajectory import Trajectory
from tinrocket.tuning.fitted import LEAST, Fit, FittedNumber, TimingChoice
from tinrocket.tuning.free_numbers import FreeNumber, free_numbers
from tinrocket.tuning.search_tools import scipy

Floats = NDArray[np.float64]
Log = Path | str | pd.DataFrame | Trajectory

CHANCE = 3.841
"""By how much the misfit grows, in variances, at the ends of an interval of 95 %."""
OUTLIER = 5.0
"""Standard deviations beyond which a residual is of a bad row."""
LOST = 1e4
"""Residual where the model cannot be flown [px]."""
PARTS = (0.15, 0.3, 0.5, 0.75, 1.0)
"""Parts of a log that are fitted one after the other."""
ROUGH = 10.0
"""Residuals beyond this count less while the search is far off [px]."""
LOOSE, FLAT = 0.02, 1e-3
"""A number whose standard error is more than this share of its range, or that moves nothing by
more than this over its whole range [px], is not decided by a part of a log."""
NORMAL = 1.4826
"""Standard deviation of a normal distribution, by its median deviation."""
ALIKE = 0.95
"""Numbers whose errors are correlated by more than this are named."""
HELD_OUT = 0.4
"""The last share of a log, on which timings are compared that were fitted to the rest."""
SURE = 4.0
"""Standard errors by which one timing must explain the held-out part better to be named."""
BLOCKS = 20
"""Parts of the held-out rows whose means count as independent."""


def fit(
    scenario: Scenario,
    log: Log | Sequence[Log],
    free: Sequence[str] | Mapping[str, tuple[float, float] | None],
    *,
    log_format: LogFormat | None = None,
    timings: bool = False,
    starts: int = 4,
    seed: int = 0,
    progress: Progress | None = None,
) -> Fit:
    """Find the numbers with which a scenario flies as logs of the real game say.

    Parameters
    ----------
    scenario
        The scenario; its timing and order are those of the game, as far as they are known.
    log
        A log, or several of one game: files, tables or trajectories.
    free
        Paths of the numbers that may change, with their ranges, as `solve` takes them; a start
        too, such as ``rocket.start.x``.
    log_format
        How logs are read; see `compare_logs`.
    timings
        Whether to look for the timing of each rule that explains the log best as well.
    starts
        How many places the search begins from.
    seed
        Of these places.
    progress
        Called with how many flights were flown, and about how many there will be.

    Returns
    -------
    Fit
        The numbers with their intervals, what is left, and where the model fails.

    Raises
    ------
    OptionError
        If a log and the scenario have no craft in common, or nothing is free.
    FileError, UnknownNameError, ScenarioError, MissingExtraError
        As for `compare_with_logs` and `solve`.
    """
    expect(scenario, Scenario, "fit()", "read one with read_scenario('file.toml')")
    several = isinstance(log, Sequence) and not isinstance(log, str)
    logs: list[Log] = list(log) if several else [log]  # type: ignore[list-item,arg-type]
    numbers = free_numbers(scenario, free)
    read = [run.flight for run in compare_with_logs(scenario, logs, log_format=log_format).runs]
    search = _Search(scenario, numbers, read, progress)
    best = search.found(starts, seed)
    fitted, alike = search.intervals(best)
    return Fit(
        scenario=search.variant({one.free.path: one.rounded for one in fitted}),
        numbers=tuple(fitted),
        alike=tuple(alike),
        residuals=search.residual_table(best),
        spread=search.spread(best),
        timings=tuple(search.timings(starts, seed)) if timings else (),
        unit=scenario.arena.unit,
        before=search.root_mean_square(np.array([one.share(one.now) for one in numbers])),
    )


@dataclass(slots=True, eq=False)
class _Search:
    """One fit: the logs, the model of each, and its residuals."""

    scenario: Scenario
    free: Sequence[FreeNumber]
    logs: Sequence[Trajectory]
    progress: Progress | None = None
    until: float = 1.0
    flights: int = 0
    _models: list[tuple[Scenario, Clock]] = field(default_factory=list)
    _owners: dict[NumberPath, list[tuple[str, str]]] | None = None

    def __post_init__(self) -> None:
        """Make the model of each log: the scenario with its length, its keys and its frames."""
        self._models = [(like(self.scenario, one), clock_of(one)) for one in self.logs]
        if self.scenario.flown_by is not None:
            return
        owners: dict[NumberPath, list[tuple[str, str]]] = {}
        for one in self.free:
            place = number_path(self.scenario, one.path)
            if place is None:
                return
            owners.setdefault(replace(place, key=""), []).append((place.key, one.path))
        try:
            self._cells(
                plan_of(self._models[0][0]), {one.path: one.now for one in self.free}, owners
            )
        except OptionError:  # one decides more than numbers
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

    def numbers(self, shares: Floats) -> dict[str, float]:
        """Return the free numbers at shares of their ranges."""
        return {one.path: one.value(float(s)) for one, s in zip(self.free, shares, strict=True)}

    def variant(self, numbers: Mapping[str, float]) -> Scenario:
        """Return the scenario with other numbers."""
        changed = self.scenario
        for path, value in numbers.items():
            changed = with_value(changed, path, value)
        return changed

    def flown(self, model: Scenario, clock: Clock, numbers: dict[str, float]) -> Trajectory | None:
        """Fly a model with other numbers; None where that cannot be.

        Numbers of rules and starts are written into the memory of one plan.
        """
        self.flights += 1
        if self.progress is not None:
            self.progress(self.flights, max(self.flights, 300))
        try:
            if self._owners is not None:
                plan = plan_of(model)
                return flown(model, clock, plan, self._cells(plan, numbers, self._owners))
            changed = model
            for path, value in numbers.items():
                changed = with_value(changed, path, value)
            return fly(changed, clock)
        except (FlightError, ScenarioError):
            return None

    def differences(self, shares: Floats) -> list[tuple[str, str, Floats, Floats]]:
        """Return for each craft and axis of each log the moments and the differences [px]."""
        numbers, found = self.numbers(shares), list[tuple[str, str, Floats, Floats]]()
        for log, (model, clock) in zip(self.logs, self._models, strict=True):
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
                    if flight is None:
                        found.append((craft, axis, t, np.full(t.size, LOST)))
                        continue
                    there = flight.track(craft)
                    at = np.interp(t, there["t"], there[f"{axis}_unwrapped"])
                    off = at - track[axis][rows]
                    seam = flight.seam(axis, craft)
                    if seam is not None:
                        period = seam[1] - seam[0]
                        off -= period * np.round(off / period)
                    found.append((craft, axis, t, off))
        return found

    def residuals(self, shares: Floats) -> Floats:
        """Return all differences in a row [px]."""
        return np.concatenate([off for _c, _a, _t, off in self.differences(shares)])

    def root_mean_square(self, shares: Floats) -> float:
        """Return the root of the mean squared difference [px]."""
        return float(np.sqrt(np.mean(np.square(self.residuals(shares)))))

    def spread(self, shares: Floats) -> float:
        """Return the standard deviation of residuals without those of bad rows [px]."""
        found = self.residuals(shares)
        rough = NORMAL * float(np.median(np.abs(found)))
        good = found[np.abs(found) <= OUTLIER * max(rough, LEAST)]
        free = max(good.size - len(self.free), 1)
        return max(math.sqrt(float(np.square(good).sum()) / free), LEAST)

    def descended(
        self, start: Floats, scale: float, held: dict[int, float] | None = None
    ) -> Floats:
        """Return where a robust least-squares search ends, with some shares held as they are."""
        held = held or {}
        moving = [n for n in range(len(self.free)) if n not in held]
        whole = start.copy()
        for n, share in held.items():
            whole[n] = share
        if not moving:
            return whole

        def of(part: Floats) -> Floats:
            tried = whole.copy()
            tried[moving] = part
            return self.residuals(tried)

        end = scipy().optimize.least_squares(
            of,
            np.clip(whole[moving], 1e-9, 1.0 - 1e-9),
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
        whole[moving] = end.x
        return whole

    def misfit(self, shares: Floats, scale: float) -> float:
        """Return the robust sum of squares [px^2]."""
        z = np.square(self.residuals(shares) / scale)
        return float(scale * scale * 2.0 * (np.sqrt(1.0 + z) - 1.0).sum())

    def found(self, starts: int, seed: int) -> Floats:
        """Return the shares at which the model fits best.

        A flight that parts early has many local minima, so ever longer parts of the log are
        fitted.  What a part does not tell yet is drawn anew for the next.
        """
        now = np.array([one.share(one.now) for one in self.free])
        draws = scipy().stats.qmc.Sobol(len(self.free), rng=seed).random(16)
        whole = self.until
        candidates = [now, *draws]
        best: Floats = now
        for part in PARTS:
            self.until = whole * part
            ranked = sorted(candidates, key=lambda at: self.misfit(at, ROUGH))[:starts]
            ends = [self.descended(at, ROUGH) for at in ranked]
            best = min(ends, key=lambda at: self.misfit(at, ROUGH))
            loose = self.widths(best, 1.0)[0] > LOOSE
            candidates = [*ends, *(np.where(loose, draw, best) for draw in draws if loose.any())]
        self.until = whole
        for _ in range(2):  # the scale follows from what is left
            best = self.descended(best, 3.0 * self.spread(best))
        return best

    def widths(self, best: Floats, spread: float) -> tuple[Floats, Any]:
        """Return the standard error of each share, by the slopes there, and their covariance."""
        slopes = self._slopes(best)
        errors = np.linalg.pinv(slopes.T @ slopes / spread**2)
        flat = np.abs(slopes).max(axis=0) < FLAT
        return np.where(flat, 1.0, np.sqrt(np.maximum(np.diag(errors), 0.0))), errors

    def intervals(self, best: Floats) -> tuple[list[FittedNumber], list[tuple[str, str]]]:
        """Return each number with its interval, and pairs of numbers that go together."""
        spread = self.spread(best)
        scale, least = 3.0 * spread, self.misfit(best, 3.0 * spread)
        widths, errors = self.widths(best, spread)
        allowed = CHANCE * spread**2
        found = []
        for n, one in enumerate(self.free):
            step = max(2.0 * float(widths[n]), 1e-9)
            # where the others go as this one moves, if the misfit is a paraboloid
            others = errors[:, n] / errors[n, n] if errors[n, n] > 0.0 else np.zeros(best.size)
            ends = [
                self._end(best, n, way * step, others, scale, least + allowed)
                for way in (-1.0, 1.0)
            ]
            low, high = sorted(one.value(end) for end in ends)
            bounded = ends[0] > 0.0 and ends[1] < 1.0
            found.append(FittedNumber(one, one.value(float(best[n])), low, high, bounded))
        together = []
        for a in range(len(self.free)):
            for b in range(a):
                both = widths[a] * widths[b]
                if both > 0.0 and abs(errors[a, b]) / both > ALIKE:
                    together.append((self.free[b].path, self.free[a].path))
        return found, together

    def _slopes(self, best: Floats) -> Floats:
        columns = []
        for n in range(len(self.free)):
            step = 1e-6
            up, down = best.copy(), best.copy()
            up[n], down[n] = min(up[n] + step, 1.0), max(down[n] - step, 0.0)
            columns.append((self.residuals(up) - self.residuals(down)) / (up[n] - down[n]))
        return np.stack(columns, axis=1)

    def _end(
        self, best: Floats, n: int, step: float, others: Floats, scale: float, level: float
    ) -> float:
        """Return the share at which a number's profile reaches a level, or the range's end."""

        def over(share: float) -> float:
            begin = np.clip(best + others * (share - best[n]), 0.0, 1.0)
            at = self.descended(begin, scale, {n: share})
            return self.misfit(at, scale) - level

        limit = 1.0 if step > 0.0 else 0.0
        inside, outside = float(best[n]), float(best[n]) + step
        for _ in range(12):
            outside = min(max(outside, 0.0), 1.0)
            if over(outside) > 0.0:
                root: float = scipy().optimize.brentq(
                    over, inside, outside, xtol=1e-3 * abs(step) + 1e-13, maxiter=12, disp=False
                )
                return root
            if outside == limit:
                return limit
            inside, step = outside, 2.0 * step
            outside = float(best[n]) + step
        return limit

    def residual_table(self, best: Floats) -> pd.DataFrame:
        """Return a row for each difference: craft, axis, t, off."""
        parts = [
            pd.DataFrame({"craft": craft, "axis": axis, "t": t, "off": off})
            for craft, axis, t, off in self.differences(best)
        ]
        return pd.concat(parts, ignore_index=True)

    def timings(self, starts: int, seed: int) -> list[TimingChoice]:
        """Compare timings of single rules and of all on a part of the log that is held out."""
        written = self._held_out(self.scenario, starts, seed)
        found = []
        for name, changed in (*with_one_timing(self.scenario), *with_rule_timings(self.scenario)):
            other = self._held_out(changed, starts, seed)
            floor = min(float(np.median(written)), float(np.median(other))) + LEAST
            # above 0 where the other explains the row better, by the ratio of what is left
            gain = np.log(written + floor) - np.log(other + floor)
            means = np.array([part.mean() for part in np.array_split(gain, BLOCKS)])
            error = float(means.std(ddof=1)) / math.sqrt(BLOCKS)
            found.append(
                TimingChoice(
                    name=name,
                    rms=math.sqrt(float(np.mean(other))),
                    written=math.sqrt(float(np.mean(written))),
                    better=float(means.mean()) > SURE * error and float(means.mean()) > 0.0,
                    worse=float(-means.mean()) > SURE * error and float(means.mean()) < 0.0,
                )
            )
        return found

    def _held_out(self, scenario: Scenario, starts: int, seed: int) -> Floats:
        """Return squared differences in the held-out part, fitted to the rest; outliers clipped."""
        search = _Search(scenario, self.free, self.logs, self.progress, until=1.0 - HELD_OUT)
        best = search.found(min(starts, 2), seed)
        search.until = 1.0
        parts = []
        for _craft, _axis, t, off in search.differences(best):
            late = t > (1.0 - HELD_OUT) * t[-1]
            parts.append(off[late])
        rest = np.concatenate(parts)
        rough = NORMAL * float(np.median(np.abs(rest)))
        clipped: Floats = np.square(np.clip(rest, -OUTLIER * rough, OUTLIER * rough))
        return clipped
