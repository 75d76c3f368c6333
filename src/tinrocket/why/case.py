"""One run beside the tuned one, with suspects switched off."""

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal

import numpy as np
from numpy.typing import NDArray

from tinrocket.comparison.drift import measure_drift
from tinrocket.comparison.largest_drift import farthest_drift
from tinrocket.comparison.outcomes import CHANGED
from tinrocket.comparison.run import Run
from tinrocket.errors import FlightError
from tinrocket.feel_metrics.answers import NOT_THIS, Answer
from tinrocket.feel_metrics.course import Course
from tinrocket.feel_metrics.manoeuvres import BUILT_IN
from tinrocket.feel_metrics.metric import Perceptible
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario
from tinrocket.trajectory.simulate import fly
from tinrocket.trajectory.trajectory import Trajectory
from tinrocket.why.suspect import Suspect, switched_off

Floats = NDArray[np.float64]

NOTHING = 1e-6
"""Difference below which two values differ by rounding."""

GAME = ("drift", "outcome", "events")
"""The difference to explain in the game's own tape."""
Of = Literal["drift", "outcome", "events"] | str
"""The quantity to explain: drift, the first change of the outcome, the number of changed events,
or a feel metric by name."""
ABOUT = 0.5
"""Difference in time within which a missing or extra event counts as the same one [s]."""


def _differ(one: Trajectory | None, other: Trajectory | None) -> bool:
    """Return whether two flights differ in any place or event."""
    if one is None or other is None or one is other:
        return one is not other
    if one.happened["t"].size != other.happened["t"].size:
        return True
    places = [flight.recorded.block for flight in (one, other)]
    if places[0].shape != places[1].shape:
        return True
    rows = [one.recorded.names.index(name) for name in ("t", "x_unwrapped", "y_unwrapped")]
    return bool(np.nanmax(np.abs(places[0][rows] - places[1][rows]), initial=0.0) > NOTHING)


@dataclass(frozen=True, eq=False)
class Plans:
    """Cache of scenarios with suspects switched off, and their plans, shared by clocks."""

    scenario: Scenario
    suspects: Sequence[Suspect]
    _made: dict[frozenset[int], Scenario] = field(default_factory=dict)
    _tuned: dict[tuple[frozenset[int], bool], Trajectory | None] = field(default_factory=dict)

    def of(self, gone: frozenset[int]) -> Scenario:
        """Return the scenario with some suspects switched off, without those of clock and tape."""
        removed = frozenset(n for n in gone if self.suspects[n].kind not in OF_CLOCK)
        if removed not in self._made:
            chosen = [self.suspects[n] for n in sorted(removed)]
            self._made[removed] = switched_off((self.scenario, Clock()), chosen)[0]
        return self._made[removed]

    def tuned(self, gone: frozenset[int]) -> Trajectory | None:
        """Return the tuned run with some suspects switched off, the reference of the others.

        Most suspects do not change it. Some, such as the detection of contacts, change the tuned
        motion; that is no difference between rates.
        """
        removed = frozenset(n for n in gone if self.suspects[n].kind not in OF_CLOCK)
        turns = [n for n in gone if self.suspects[n].kind == "turns"]
        key = removed, bool(turns)
        if key not in self._tuned:
            scenario, clock = self.of(gone), Clock(rate=self.scenario.tuned_at)
            if turns:
                _same, clock = self.suspects[turns[0]].off((scenario, clock))
            try:
                self._tuned[key] = fly(scenario, clock)
            except FlightError:
                self._tuned[key] = None
        return self._tuned[key]


OF_CLOCK = ("uneven", "cap", "remainder", "turns", "input")
"""Kinds that do not change the scenario's rules, so that its plan stays the same."""


@dataclass(frozen=True, eq=False)
class Case:
    """One run beside the tuned one.

    Attributes
    ----------
    plans
        The scenario with its suspects.
    clock
        Pacing of the run.
    craft
        Name of the craft.
    of
        The difference to explain.
    on_screen
        Whether drift is measured in the scenario's view.
    whole_run
        Whether drift is that of the whole run, also after the outcome differs.
    """

    plans: Plans
    clock: Clock
    craft: str
    of: Of = "drift"
    on_screen: bool = False
    whole_run: bool = False
    _left: dict[frozenset[int], float] = field(default_factory=dict, repr=False)
    _flown: dict[frozenset[int], Trajectory | None] = field(default_factory=dict, repr=False)
    _parts_at: list[float | None] = field(default_factory=list, repr=False)

    @property
    def suspects(self) -> Sequence[Suspect]:
        """Suspects of the run."""
        return self.plans.suspects

    def acting(self, gone: frozenset[int]) -> frozenset[int]:
        """Return the suspects among those switched off that change the run."""
        others = {n for n, suspect in enumerate(self.suspects) if not suspect.last}
        hidden = not others <= gone
        return frozenset(n for n in gone if not (self.suspects[n].last and hidden))

    def game(self, gone: frozenset[int]) -> tuple[Scenario, Clock]:
        """Return scenario and clock with some suspects switched off."""
        gone = self.acting(gone)
        chosen = [self.suspects[n] for n in sorted(gone)]
        of_clock = [suspect for suspect in chosen if suspect.kind in OF_CLOCK]
        return switched_off((self.plans.of(gone), self.clock), of_clock)

    def flight(self, gone: frozenset[int]) -> Trajectory | None:
        """Return the run with some suspects switched off; None if its numbers blow up."""
        gone = self.acting(gone)
        if gone not in self._flown:
            scenario, clock = self.game(gone)
            try:
                now = fly(scenario, clock, alike=self.plans.of(gone))
                self._flown[gone] = now
            except FlightError:
                self._flown[gone] = None
        return self._flown[gone]

    def run(self, gone: frozenset[int]) -> Run | None:
        """Return the run with some suspects switched off, beside the tuned run."""
        flight, tuned = self.flight(gone), self.plans.tuned(self.acting(gone))
        if flight is None or tuned is None:
            return None
        scenario = self.plans.scenario
        return Run.of("", flight, tuned, 1.0 / scenario.tuned_at, scenario.duration)

    def of_farthest(self, craft: Sequence[str]) -> "Case":
        """Return the case of the member that drifts farthest."""
        flight, tuned = self.flight(frozenset()), self.plans.tuned(frozenset())
        if len(craft) == 1 or flight is None or tuned is None:
            return replace(self, craft=craft[0], _left={})
        farthest = farthest_drift(flight, tuned, craft, self.parts_at).craft
        return replace(self, craft=farthest, _left={})

    @property
    def parts_at(self) -> float | None:
        """Time of the first missing or extra event of the original run [s]; None without one.

        A whole run does not need it.
        """
        if self.whole_run:
            return None
        if not self._parts_at:
            run = self.run(frozenset())
            self._parts_at.append(run.first_change() if run else None)
        return self._parts_at[0]

    @cached_property
    def least(self) -> float:
        """Smallest difference of a feel metric, or of a count of events, that counts."""
        if self.of in GAME:
            return NOTHING
        scenario = self.plans.scenario
        tuned = self.number(scenario, Clock(rate=scenario.tuned_at))
        unit = next(
            m.unit for manoeuvre in BUILT_IN for m in manoeuvre.metrics if m.name == self.of
        )
        if tuned.note:
            return NOTHING
        return Perceptible().least(unit, tuned.value, scenario.tuned_at)

    def left(self, gone: frozenset[int]) -> float:
        """Return the remaining difference."""
        gone = self.acting(gone)
        if gone not in self._left:
            self._left[gone] = self._measured(gone)
        return self._left[gone]

    def changes(self, gone: frozenset[int], more: frozenset[int]) -> bool:
        """Return whether switching more suspects off changes the difference, or the flights."""
        if abs(self.left(gone) - self.left(more)) > NOTHING:
            return True
        if self.of not in GAME:
            return False
        pairs = (
            (self.flight(gone), self.flight(more)),
            (self.plans.tuned(self.acting(gone)), self.plans.tuned(self.acting(more))),
        )
        return any(_differ(one, other) for one, other in pairs)

    def _measured(self, gone: frozenset[int]) -> float:
        if self.of == "drift":
            flight, tuned = self.flight(gone), self.plans.tuned(self.acting(gone))
            if flight is None or tuned is None:
                return math.hypot(self.plans.scenario.arena.width, self.plans.scenario.arena.height)
            if self.on_screen:
                flight, tuned = flight.on_screen(), tuned.on_screen()
            return measure_drift(flight, tuned, self.craft, self.parts_at).largest
        if self.of == "outcome":
            return float(self._still_changed(gone))
        if self.of == "events":
            run = self.run(gone)
            changed = np.isin(run.matched["status"], CHANGED) if run else np.ones(1)
            return float(np.count_nonzero(changed))
        return self._felt(gone)

    @cached_property
    def first_change(self) -> dict[str, Any] | None:
        """The first missing or extra event of the original run; None without one."""
        run = self.run(frozenset())
        changed = np.flatnonzero(np.isin(run.matched["status"], CHANGED)) if run else np.empty(0)
        if run is None or not changed.size:
            return None
        return {name: column[changed[0]] for name, column in run.matched.items()}

    def _still_changed(self, gone: frozenset[int]) -> bool:
        """Return whether the first change of the outcome remains, at about the same time."""
        first, run = self.first_change, self.run(gone)
        if first is None or run is None:
            return run is None
        matched = run.matched
        same = matched["status"] == first["status"]
        for name in ("kind", "craft", "edge", "rule", "other", "action"):
            same = same & (matched[name] == first[name])
        when = "t_reference" if first["status"] == "missing" else "t"
        return bool((same & (np.abs(matched[when] - first[when]) < ABOUT)).any())

    def _felt(self, gone: frozenset[int]) -> float:
        """Return the difference of a feel metric from the tuned one."""
        now = self.number(*self.game(gone))
        then = self.number(self.plans.of(gone), Clock(rate=self.plans.scenario.tuned_at))
        if now.note or then.note:
            return 0.0 if now.note == then.note else 1.0
        return abs(now.value - then.value)

    def number(self, scenario: Scenario, clock: Clock) -> Answer:
        """Return the feel metric that is explained."""
        craft = next(member for member in scenario.craft if member.name == self.craft)
        made = next(
            manoeuvre
            for manoeuvre in BUILT_IN
            if self.of in {metric.name for metric in manoeuvre.metrics}
        )
        # manoeuvres have tapes of their own, so only the pacing of the clock is used
        even = {"frame_times": None, "rate": clock.rate or self.clock.rate}
        course = Course(scenario, craft, clock.replaced(**even))
        return made.answers(course).get(self.of, NOT_THIS)
