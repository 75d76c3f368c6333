"""Where cures are flown, at every rate, beside the run as it was tuned."""

import math
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from tinrocket.analysis.clocks import paced, resolved_clock
from tinrocket.analysis.compare import reference_flight
from tinrocket.analysis.drift import measure_drift
from tinrocket.analysis.outcomes import CHANGED
from tinrocket.analysis.run import Run
from tinrocket.analysis.simulate import flown
from tinrocket.analysis.trajectory import Trajectory
from tinrocket.causes.case import earlier
from tinrocket.causes.cure import Cure
from tinrocket.causes.explain import Causes
from tinrocket.causes.suspect import Suspect
from tinrocket.causes.suspects import suspects
from tinrocket.errors import FlightError, OptionError
from tinrocket.handling.measuring import feel
from tinrocket.handling.sheet import FeelSheet
from tinrocket.handling.uneven import Uneven
from tinrocket.plan.making import plan_of
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario


@dataclass(frozen=True, eq=False)
class Tried:
    """A cure, flown at every rate.

    Attributes
    ----------
    cure
        What was changed.
    drift
        The largest distance from the run as it was tuned, of any craft at any rate [px].
    changed
        Events that are missing or extra, of all rates together.
    agrees
        Whether every rate is within tolerance.
    tuned_change
        By how much the cure changes the run at the rate it was tuned at [px].
    tuned_events
        Events that it changes there.
    latency
        By how much what is shown lies behind, on average over the rates [ms].
    steps
        Steps a second, at the highest rate.
    depends
        Whether what happens can depend on how fast a player's machine is.
    """

    cure: Cure
    drift: float
    changed: int
    agrees: bool
    tuned_change: float
    tuned_events: int
    latency: float
    steps: float
    depends: bool


@dataclass(frozen=True, slots=True)
class Rough:
    """What is left over uneven frames, of all seeds and rates together.

    Attributes
    ----------
    median, high
        Of the drift: the middle, and what 95 % stay below [px].
    differs
        Share of the runs that have another outcome.
    """

    median: float
    high: float
    differs: float


@dataclass(frozen=True, eq=False)
class Bench:
    """Where cures are flown, at the clocks of the explained runs."""

    causes: Causes
    _known: dict[str, Tried] = field(default_factory=dict)

    @cached_property
    def reference(self) -> Trajectory:
        """The run as it was tuned."""
        return reference_flight(self.causes.scenario, "tuned")

    @property
    def clocks(self) -> list[Clock]:
        """How the explained runs are paced."""
        return [run.case.clock for run in self.causes.runs]

    @cached_property
    def curable(self) -> list[Suspect]:
        """Every suspect whose cure is a change of the game."""
        found: dict[str, Suspect] = {}
        for clock in self.clocks:
            for one in suspects(self.causes.scenario, clock):
                if one.cure:
                    found.setdefault(one.name, one)
        return list(found.values())

    def try_cure(self, cure: Cure) -> Tried:
        """Fly a cure at every rate; one that was tried is not flown again."""
        if cure.name not in self._known:
            self._known[cure.name] = self._flown(cure)
        return self._known[cure.name]

    def _flown(self, cure: Cure) -> Tried:
        scenario = self.causes.scenario
        changed, _clock = cure.change((scenario, scenario.clock))
        runs, lags, steps = [], [], []
        depends = False
        blew_up = False
        for clock in self.clocks:
            _same, now = cure.change((scenario, clock))
            depends |= now.step_rate is None
            try:
                flight = flown(changed, now, plan_of(changed))
            except FlightError:
                blew_up = True
                continue
            lags.append(1000.0 * flight.lag)
            flight = earlier(flight, flight.lag)  # which is told by itself
            pacing = paced(changed, resolved_clock(changed, now))
            steps.append(pacing.steps.size / float(pacing.times[-1]))
            length = 1.0 / scenario.tuned_at
            runs.append(Run.of("", flight, self.reference, length, scenario.duration))
        drift = max([0.0, *(run.farthest[1] for run in runs)])
        events = sum(int(np.isin(run.matched["status"], CHANGED).sum()) for run in runs)
        change, otherwise = self._at_tuned(changed)
        if blew_up:
            drift = math.inf
        return Tried(
            cure,
            drift,
            events,
            drift <= self.causes.tolerance and not events,
            change,
            otherwise,
            float(np.mean(lags)) if lags else 0.0,
            max(steps, default=0.0),
            depends,
        )

    def _at_tuned(self, changed: Scenario) -> tuple[float, int]:
        """Return by how much a changed scenario differs where it was tuned."""
        try:
            flight = flown(changed, Clock(rate=changed.tuned_at), plan_of(changed))
        except FlightError:
            return math.inf, 0
        length = 1.0 / changed.tuned_at
        run = Run.of("", flight, self.reference, length, changed.duration)
        far = [
            measure_drift(flight, self.reference, craft).largest
            for craft in flight.craft
            if not flight.compared_by_events(craft)
        ]
        return max(far, default=0.0), int(np.isin(run.matched["status"], CHANGED).sum())

    def rough(self, cure: Cure, uneven: Uneven) -> Rough:
        """Return what is left of drift and outcomes over uneven frames."""
        scenario = self.causes.scenario
        changed, _clock = cure.change((scenario, scenario.clock))
        far, differs = [], 0
        for clock in self.clocks:
            if clock.frame_times is not None:
                continue
            for paced_so in uneven.clocks(clock):
                _same, now = cure.change((scenario, paced_so))
                flight = flown(changed, now, plan_of(changed))
                flight = earlier(flight, flight.lag)
                length = 1.0 / scenario.tuned_at
                run = Run.of("", flight, self.reference, length, scenario.duration)
                far.append(run.farthest[1])
                differs += run.first_change() is not None
        if not far:
            return Rough(math.nan, math.nan, math.nan)
        middle, high = np.quantile(far, [0.5, 0.95]).tolist()
        return Rough(middle, high, differs / len(far))

    def felt(self, cure: Cure) -> FeelSheet | None:
        """Return the numbers of feel at all rates; None if nobody plays here."""
        scenario = self.causes.scenario
        changed, _clock = cure.change((scenario, scenario.clock))
        clocks = [cure.change((scenario, clock))[1] for clock in self.clocks]
        even = [one for one in clocks if one.frame_times is None]
        try:
            return feel(changed, clocks=even) if even else None
        except OptionError:  # nobody plays here
            return None
