"""The bench: cures are flown at every rate, and compared with the tuned run."""

import math
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from tinrocket.comparison.compare import reference_flight
from tinrocket.comparison.outcomes import CHANGED
from tinrocket.comparison.run import Run
from tinrocket.errors import FlightError, OptionError
from tinrocket.feel_metrics.measuring import feel
from tinrocket.feel_metrics.sheet import FeelSheet
from tinrocket.feel_metrics.uneven import Uneven
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario
from tinrocket.trajectory.clocks import paced, resolved_clock
from tinrocket.trajectory.simulate import fly
from tinrocket.trajectory.trajectory import Trajectory
from tinrocket.why.cure import Cure
from tinrocket.why.explain import Causes
from tinrocket.why.suspect import Suspect
from tinrocket.why.suspects import suspects


@dataclass(frozen=True, eq=False)
class Tried:
    """A cure, flown at every rate.

    Attributes
    ----------
    cure
        The change.
    drift
        The largest distance from its own run at the tuned rate, of any craft at any rate [px], as
        `compare` of the cured scenario reports it.
    changed
        Number of missing and extra events, of all rates together.
    agrees
        Whether every rate is within tolerance.
    enough
        Whether every rate agrees, and the run at the tuned rate is unchanged.
    tuned_change
        Change of the run at the tuned rate [px].
    tuned_events
        Number of events that change at the tuned rate.
    latency
        Mean display latency over the rates [ms].
    steps
        Steps per second, at the highest rate.
    depends
        Whether the outcome can depend on the speed of a player's machine.
    """

    cure: Cure
    drift: float
    changed: int
    agrees: bool
    enough: bool
    tuned_change: float
    tuned_events: int
    latency: float
    steps: float
    depends: bool


@dataclass(frozen=True, slots=True)
class Rough:
    """The remaining difference over uneven frames, of all seeds and rates together.

    Attributes
    ----------
    median, high
        Median and 95th percentile of the drift [px].
    differs
        Share of the runs with another outcome.
    """

    median: float
    high: float
    differs: float


@dataclass(frozen=True, eq=False)
class Bench:
    """Bench of cures, at the clocks of the explained runs."""

    causes: Causes
    _known: dict[str, Tried] = field(default_factory=dict)

    @cached_property
    def reference(self) -> Trajectory:
        """The tuned run."""
        return reference_flight(self.causes.scenario, "tuned")

    @property
    def clocks(self) -> list[Clock]:
        """Clocks of the explained runs."""
        return [run.case.clock for run in self.causes.runs]

    @cached_property
    def curable(self) -> list[Suspect]:
        """Every suspect with a cure that changes the game."""
        suspects_by_name: dict[str, Suspect] = {}
        for clock in self.clocks:
            for suspect in suspects(self.causes.scenario, clock):
                if suspect.cure:
                    suspects_by_name.setdefault(suspect.name, suspect)
        return list(suspects_by_name.values())

    def try_cure(self, cure: Cure) -> Tried:
        """Fly a cure at every rate; results are cached."""
        if cure.name not in self._known:
            self._known[cure.name] = self._flown(cure)
        return self._known[cure.name]

    def _beside(
        self, changed: Scenario, clock: Clock, reference: Trajectory | None = None
    ) -> Run | None:
        """Return a run beside the tuned one, or another reference; None if it blows up."""
        try:
            flight = fly(changed, clock)
        except FlightError:
            return None
        scenario, beside = self.causes.scenario, reference or self.reference
        return Run.of("", flight, beside, 1.0 / scenario.tuned_at, scenario.duration)

    def _flown(self, cure: Cure) -> Tried:
        scenario = self.causes.scenario
        changed, _clock = cure.change((scenario, scenario.clock))
        clocks = [cure.change((scenario, clock))[1] for clock in self.clocks]
        tuned = self._beside(changed, Clock(rate=changed.tuned_at))
        own = tuned.flight if tuned else None
        runs = [self._beside(changed, clock, own) for clock in clocks] if own else [None]
        pacings = [paced(changed, resolved_clock(changed, clock)) for clock in clocks]
        drift, events = max(map(_far, runs), default=0.0), sum(map(_changed, runs))
        agrees = drift <= self.causes.tolerance and not events
        within = _far(tuned) <= self.causes.tolerance and not _changed(tuned)
        lags = [1000.0 * run.flight.lag for run in runs if run is not None]
        return Tried(
            cure,
            drift,
            events,
            agrees,
            enough=agrees and within,
            tuned_change=_far(tuned),
            tuned_events=_changed(tuned),
            latency=float(np.mean(lags)) if lags else 0.0,
            steps=max(
                (pacing.steps.size / float(pacing.times[-1]) for pacing in pacings), default=0.0
            ),
            depends=any(clock.fixed_rate is None for clock in clocks),
        )

    def rough(self, cure: Cure, uneven: Uneven) -> Rough:
        """Return the remaining drift and outcomes over uneven frames."""
        scenario = self.causes.scenario
        changed, _clock = cure.change((scenario, scenario.clock))
        runs = [
            self._beside(changed, cure.change((scenario, uneven_clock))[1])
            for clock in self.clocks
            if clock.frame_times is None
            for uneven_clock in uneven.clocks(clock)
        ]
        if not runs:
            return Rough(math.nan, math.nan, math.nan)
        far = np.sort([_far(run) for run in runs])
        middle, high = (float(far[int(share * (far.size - 1))]) for share in (0.5, 0.95))
        return Rough(middle, high, sum(run is None or _changed(run) > 0 for run in runs) / far.size)

    def felt(self, cure: Cure) -> FeelSheet | None:
        """Return the feel metrics at all rates; None if no craft has a metric."""
        scenario = self.causes.scenario
        changed, _clock = cure.change((scenario, scenario.clock))
        clocks = [cure.change((scenario, clock))[1] for clock in self.clocks]
        even = [clock for clock in clocks if clock.frame_times is None]
        try:
            return feel(changed, clocks=even) if even else None
        except OptionError:  # no craft has a metric
            return None


def _far(run: Run | None) -> float:
    """Return the largest distance from the tuned run; infinite for a run that blew up."""
    return math.inf if run is None else run.farthest[1]


def _changed(run: Run | None) -> int:
    """Return the number of missing and extra events."""
    return 0 if run is None else int(np.isin(run.matched["status"], CHANGED).sum())
