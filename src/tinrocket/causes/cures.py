"""Cures: what remains where suspects are cured, what that costs, and which of them to take."""

import itertools
import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np
import pandas as pd

from tinrocket.analysis.clocks import paced, resolved_clock
from tinrocket.analysis.compare import reference_flight
from tinrocket.analysis.drift import measure_drift
from tinrocket.analysis.outcomes import CHANGED
from tinrocket.analysis.run import Run
from tinrocket.analysis.simulate import flown
from tinrocket.analysis.trajectory import Trajectory
from tinrocket.causes.case import earlier
from tinrocket.causes.explain import Causes
from tinrocket.causes.lines import Line
from tinrocket.causes.suspects import Game, Suspect, suspects, switched_off
from tinrocket.errors import FlightError, OptionError
from tinrocket.handling.sheet import FeelSheet, feel
from tinrocket.handling.uneven import Uneven
from tinrocket.plan.making import plan_of
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario

MOST_TRIED = 256
"""Sets of cures that are flown in search of the smallest."""


@dataclass(frozen=True, slots=True)
class Cure:
    """What is changed about a game.

    Attributes
    ----------
    name
        What is told.
    suspects
        Those that are cured, if it is a set of them.
    change
        Returns the changed game.
    line
        What to write around the whole update, if it is about that.
    """

    name: str
    suspects: tuple[Suspect, ...]
    change: Callable[[Game], Game]
    line: Line | None = None


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


@dataclass(frozen=True, eq=False, repr=False)
class Cures:
    """What was tried, and what is recommended.

    Attributes
    ----------
    causes
        Why anything differs.
    tried
        Every cure that was tried by itself, and the whole-game ones.
    recommended
        The one to take, or None if nothing needs a cure.
    reason
        Why that one.
    alternatives
        Others that are better in something: less drift, less latency or fewer steps.
    feel
        For the game as it is and for what is recommended and its alternatives: the numbers of feel
        at every rate.
    rough
        For the same what is left over uneven frames, if that was asked for.
    """

    causes: Causes
    tried: tuple[Tried, ...]
    recommended: Tried | None
    reason: str
    alternatives: tuple[Tried, ...]
    feel: dict[str, FeelSheet] = field(default_factory=dict)
    rough: dict[str, Rough] = field(default_factory=dict)

    def __repr__(self) -> str:
        """Return how many there are, and which is recommended."""
        taken = f"'{self.recommended.cure.name}'" if self.recommended else "none"
        return f"<Cures of '{self.causes.scenario.title}': {len(self.tried)} tried, {taken}>"

    @cached_property
    def table(self) -> pd.DataFrame:
        """A row for each cure that was tried.

        cure, drift [px], changed (events), agrees, tuned_change [px], tuned_events, latency_ms,
        steps (a second), depends, recommended.
        """
        return pd.DataFrame(
            [
                {
                    "cure": one.cure.name,
                    "drift": one.drift,
                    "changed": one.changed,
                    "agrees": one.agrees,
                    "tuned_change": one.tuned_change,
                    "tuned_events": one.tuned_events,
                    "latency_ms": one.latency,
                    "steps": one.steps,
                    "depends": one.depends,
                    "recommended": one is self.recommended,
                }
                for one in self.tried
            ]
        )

    @property
    def cured(self) -> Scenario | None:
        """The scenario with what is recommended, its numbers converted."""
        if self.recommended is None:
            return None
        scenario = self.causes.scenario
        changed, clock = self.recommended.cure.change((scenario, scenario.clock))
        return changed.model_copy(update={"clock": clock})


AS_IT_IS = Cure("as it is", (), lambda game: game)


def find_cures(causes: Causes, *, felt: bool = True, uneven: Uneven | None = None) -> Cures:
    """Try the cure of each suspect that is blamed, and find the smallest set that is enough.

    Parameters
    ----------
    causes
        Made with `explain`.
    felt
        Whether to measure what remains of the numbers of feel too.
    uneven
        Judges what was tried over uneven frames too, over many seeds.
    """
    bench = _Bench(causes)
    before = bench.try_cure(AS_IT_IS)
    if before.agrees:
        return Cures(causes, (before,), None, "every rate agrees as it is", ())
    names = {one.name for one in causes.blamed}
    blamed = [one for one in bench.curable if one.name in names]
    best = _smallest(bench, blamed) or _smallest(bench, bench.curable)
    singles = [bench.try_cure(_of((one,))) for one in bench.curable]
    everything = [bench.try_cure(_of(bench.curable))] if bench.curable and best is None else []
    wholes = [bench.try_cure(one) for one in whole_game(causes.scenario)]
    everything = [_pruned(bench, one) for one in everything]
    several = [*everything, *([best] if best else [])]
    used = {one.name for whole in several for one in whole.cure.suspects}
    tried = [before]
    for one in (*singles, *several, *wholes):
        changes = (one.drift, one.changed) != (before.drift, before.changed)
        if one not in tried and (changes or one.cure.name in used):
            tried.append(one)
    chosen, reason = _choose(best, wholes, tried)
    others = tuple(one for one in front(tried) if one is not chosen and one is not before)[:3]
    remaining: dict[str, FeelSheet] = {}
    for one in (before, chosen, *others) if felt else ():
        sheet = bench.felt(one.cure)
        if sheet is not None:
            remaining[one.cure.name] = sheet
    rough: dict[str, Rough] = {}
    for one in (before, chosen, *others) if uneven is not None else ():
        assert uneven is not None
        rough[one.cure.name] = bench.rough(one.cure, uneven)
    return Cures(causes, tuple(tried), chosen, reason, others, remaining, rough)


def whole_game(scenario: Scenario) -> Iterator[Cure]:
    """Yield cures of a game as a whole, each with its parameters."""
    rate = scenario.tuned_at
    step = {"step_rate": rate, "max_step": None, "max_dt": None, "max_steps": None}
    loop = f"left += dt; while left >= 1 / {rate:g}: update(1 / {rate:g}), left -= 1 / {rate:g}"
    drawn = f"; draw before + (now - before) * left * {rate:g}"
    yield _paced(f"fixed steps of 1/{rate:g} s", loop, **step)
    yield _paced(f"fixed steps of 1/{rate:g} s, blended", loop + drawn, **step, interpolate=True)
    cut = {"max_step": 1.0 / rate, "step_rate": None, "interpolate": False, "max_steps": None}
    parts = f"n = ceil(dt * {rate:g}); n times: update(dt / n)"
    yield _paced(f"frames cut into parts of at most 1/{rate:g} s", parts, **cut)
    if scenario.craft and all(
        all(rule.has_closed_form for rule in craft.rules) for craft in scenario.craft
    ):
        yield Cure("the closed form of each craft", (), _closed)


def _closed(game: Game) -> Game:
    scenario, clock = switched_off(
        game, [one for one in suspects(*game) if one.kind == "timing" and one.where is not None]
    )
    crafts = tuple(
        craft.model_copy(update={"stepping": "closed_form", "timing": "exact"})
        for craft in scenario.craft
    )
    return scenario.model_copy(update={"craft": crafts}), clock


def _paced(name: str, after: str, **changes: Any) -> Cure:
    line = Line("update(dt)", after, "once a frame, around the whole update", runs=False)
    return Cure(name, (), lambda game: (game[0], game[1].model_copy(update=changes)), line)


def _of(chosen: Sequence[Suspect]) -> Cure:
    name = " + ".join(one.name for one in chosen)
    return Cure(name, tuple(chosen), lambda game: switched_off(game, chosen))


@dataclass(frozen=True, eq=False)
class _Bench:
    """Where cures are flown, at the clocks of the explained runs."""

    causes: Causes
    _known: dict[str, Tried] = field(default_factory=dict)

    @cached_property
    def reference(self) -> Trajectory:
        return reference_flight(self.causes.scenario, "tuned")

    @property
    def clocks(self) -> list[Clock]:
        return [run.case.clock for run in self.causes.runs]

    @cached_property
    def curable(self) -> list[Suspect]:
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


def _smallest(bench: _Bench, among: Sequence[Suspect]) -> Tried | None:
    """Return the smallest set of cures with which every rate agrees, or None.

    If all of them together are not enough, no part of them is looked for; past `MOST_TRIED` sets
    they are left out one by one.
    """
    if not among or not bench.try_cure(_of(among)).agrees:
        return None
    if sum(math.comb(len(among), size) for size in range(1, len(among))) > MOST_TRIED:
        kept = list(among)
        for one in among:
            fewer = [other for other in kept if other is not one]
            if fewer and bench.try_cure(_of(fewer)).agrees:
                kept = fewer
        return bench.try_cure(_of(kept))
    sets = (
        chosen
        for size in range(1, len(among) + 1)
        for chosen in itertools.combinations(among, size)
    )
    return next((now for one in sets if (now := bench.try_cure(_of(one))).agrees), None)


def _pruned(bench: _Bench, whole: Tried) -> Tried:
    """Return a set of cures without those that make it no better."""
    kept = list(whole.cure.suspects)
    for one in whole.cure.suspects:
        fewer = [other for other in kept if other is not one]
        if not fewer:
            break
        now = bench.try_cure(_of(fewer))
        if (now.changed, now.drift) <= (whole.changed, whole.drift + 1e-6):
            kept, whole = fewer, now
    return whole


def front(tried: Sequence[Tried]) -> list[Tried]:
    """Return those that no other beats in drift, latency and steps at once (Pareto)."""

    def cost(one: Tried) -> tuple[float, ...]:
        return one.changed, round(one.drift, 3), round(one.latency, 3), round(one.steps, 3)

    kept: list[Tried] = []
    for one in tried:
        mine = cost(one)
        beaten = any(
            other is not one
            and all(theirs <= own for theirs, own in zip(cost(other), mine, strict=True))
            and cost(other) != mine
            for other in tried
        )
        if not beaten and mine not in [cost(other) for other in kept]:
            kept.append(one)
    return sorted(kept, key=cost)


def _choose(
    best: Tried | None, wholes: Sequence[Tried], tried: Sequence[Tried]
) -> tuple[Tried, str]:
    if best is not None:
        count = len(best.cure.suspects)
        many = "one change" if count == 1 else f"{count} changes"
        return best, f"the smallest that is enough: {many}, no latency, no further steps"
    enough = [one for one in wholes if one.agrees]
    if enough:
        least = min(enough, key=lambda one: (one.latency, one.steps))
        return least, "no set of single changes is enough, and this one is"
    least = min(tried[1:] or tried, key=lambda one: (one.changed, one.drift))
    fixed = [one for one in wholes if not one.depends and one.changed <= least.changed]
    if fixed and min(one.drift for one in fixed) <= least.drift:
        least = min(fixed, key=lambda one: one.drift)
    return least, "nothing is enough by itself; this leaves the least"
