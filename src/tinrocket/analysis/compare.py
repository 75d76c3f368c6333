"""Fly one scenario at several frame rates and in several variants, and compare."""

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal, get_args

import pandas as pd

from tinrocket.analysis.clocks import MOST_FRAMES, resolved_clock
from tinrocket.analysis.drift import Drift, measure_drift
from tinrocket.analysis.outcomes import match_events
from tinrocket.analysis.simulate import simulate
from tinrocket.analysis.trajectory import Trajectory
from tinrocket.errors import OptionError, expect, nearest
from tinrocket.flight.batch import Progress
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.vary import Vary, combinations, label

Against = Literal["tuned", "fine", "base"]

TOLERANCE = 2.0
"""How far a flight may be from the reference and still agree with it [px]."""

MOST_ROWS = 5_000_000
"""Frames of all runs and craft together that are kept side by side, about a gigabyte."""

FINE = 128
"""The fine run has this many frames for each tuned one."""

AS_WRITTEN = "as written"


@dataclass(frozen=True, slots=True, eq=False)
class Run:
    """One flight beside its reference.

    Attributes
    ----------
    variant
        What was changed, as ``path=value``; empty for the scenario as written.
    clock, rate
        How frames were paced, in words and as frames per second.
    flight, reference
        Both trajectories.
    drifts
        For each craft its distance from the reference; of a grid the largest of its craft's;
        None for a pool, of which it means nothing which is which, and for what leaps.
    outcomes
        The events of both, matched; see `match_events`.
    """

    variant: str
    clock: str
    rate: float
    flight: Trajectory
    reference: Trajectory
    drifts: dict[str, Drift | None]
    outcomes: pd.DataFrame


@dataclass(frozen=True, eq=False)
class Comparison:
    """Several flights of one scenario, each beside its reference.

    Attributes
    ----------
    scenario
        As it was written.
    runs
        In the order of the variants, and within each of the clocks.
    against
        What the reference is.
    tolerance
        Largest distance from it that still counts as the same [px].
    """

    scenario: Scenario
    runs: tuple[Run, ...]
    against: Against
    tolerance: float

    @cached_property
    def table(self) -> pd.DataFrame:
        """A row for each run and craft; what changed the outcome comes first.

        variant, clock, fps, craft, verdict (agrees, drifts, outcome differs); missing,
        extra and shifted (late or early) events, lost_taps; lag_ms, by how much what is shown
        lies behind on average; diverges_at [s], when the
        distance first passes the tolerance, NaN if never; drift_max, drift_rms,
        drift_final and unwrapped_max [px], all NaN for a pool or a march.
        """
        return pd.DataFrame([self._row(run, craft) for run in self.runs for craft in run.drifts])

    def _row(self, run: Run, craft: str) -> dict[str, object]:
        drift = run.drifts[craft]
        concerned = run.outcomes["craft"].isin([craft, *run.flight.families[craft], ""])
        status = run.outcomes.loc[concerned, "status"].value_counts()
        missing, extra = int(status.get("missing", 0)), int(status.get("extra", 0))
        departs = drift.passes(self.tolerance) if drift else None
        verdict = "agrees" if departs is None else "drifts"
        return {
            "variant": run.variant or AS_WRITTEN,
            "clock": run.clock,
            "fps": run.rate,
            "craft": craft,
            "verdict": "outcome differs" if missing or extra else verdict,
            "missing": missing,
            "extra": extra,
            "shifted": int(status.get("late", 0) + status.get("early", 0)),
            "lost_taps": run.flight.lost_taps,
            "lag_ms": run.flight.lag * 1000.0,
            "diverges_at": math.nan if departs is None else departs,
            "drift_max": drift.largest if drift else math.nan,
            "drift_rms": drift.rms if drift else math.nan,
            "drift_final": drift.final if drift else math.nan,
            "unwrapped_max": float(drift.unwrapped.max()) if drift else math.nan,
        }

    @cached_property
    def events(self) -> pd.DataFrame:
        """The matched events of every run, with its variant and clock."""
        parts = []
        for run in self.runs:
            part = run.outcomes.copy()
            part.insert(0, "variant", run.variant or AS_WRITTEN)
            part.insert(1, "clock", run.clock)
            parts.append(part)
        return pd.concat(parts, ignore_index=True)

    @cached_property
    def warnings(self) -> tuple[str, ...]:
        """What flew, but is hardly meant, once each, and clocks that are there twice."""
        found = [what for run in self.runs for what in run.flight.warnings]
        pairs = Counter((run.variant, run.clock) for run in self.runs)
        twice = dict.fromkeys(clock for (_variant, clock), count in pairs.items() if count > 1)
        found += [f"{clock} is flown more than once" for clock in twice]
        return tuple(dict.fromkeys(found))

    @property
    def variants(self) -> tuple[str, ...]:
        """What was changed, once each, in the order of the runs."""
        return tuple(dict.fromkeys(run.variant for run in self.runs))

    @property
    def clocks(self) -> tuple[tuple[float, str], ...]:
        """Rate and description of each clock, once each, in the order of the runs."""
        return tuple(dict.fromkeys((run.rate, run.clock) for run in self.runs))

    @property
    def agrees(self) -> bool:
        """Whether every run agrees with its reference."""
        return bool((self.table["verdict"] == "agrees").all())

    @property
    def reference_name(self) -> str:
        """What the runs are compared against, in words."""
        tuned = f"{self.scenario.tuned_at:g} fps"
        return {
            "tuned": f"the run tuned at {tuned}",
            "fine": f"the fine run at {FINE * self.scenario.tuned_at:g} fps, exact timing",
            "base": f"the scenario as written, at {tuned}",
        }[self.against]


def compare(
    scenario: Scenario,
    rates: Sequence[float] = (),
    clocks: Sequence[Clock] = (),
    vary: Vary | None = None,
    against: Against = "tuned",
    tolerance: float = TOLERANCE,
    on_screen: bool = False,
    progress: Progress | None = None,
) -> Comparison:
    """Fly a scenario at several frame rates and compare each flight with a reference.

    Parameters
    ----------
    scenario
        What to fly.
    rates
        Frames per second; the scenario's clock is kept otherwise.  With no rates and no
        clocks: 30, 60 and 144.
    clocks
        Further ways to pace the frames.
    vary
        Values for dotted paths, such as ``{"rocket.drag.half_life": [0.4, 0.8]}``; every
        combination is flown.
    against
        ``tuned``: each variant's own run, steady, at the rate it was tuned at.
        ``fine``: each variant's own limit, at a very high rate with exact timing.
        ``base``: the scenario as written, tuned, for all variants.
    tolerance
        Largest distance that still counts as the same [px].
    on_screen
        Whether to compare what is seen in the scenario's view, instead of the world.
    progress
        Called after each run with how many are done, and of how many.

    Raises
    ------
    OptionError
        If an argument is out of range, or all runs together would not fit into memory.
    UnknownNameError, ScenarioError
        If a path to vary does not exist, or a value or rate does not fit.
    """
    expect(scenario, Scenario, "compare()", "read one with read_scenario('file.toml')")
    if against not in get_args(Against):
        raise OptionError(f"'{against}' is not a reference{nearest(against, get_args(Against))}")
    if not tolerance >= 0.0:
        raise OptionError(
            f"the tolerance must be at least 0 {scenario.arena.unit}, not {tolerance:g}"
        )
    if len(rates) == 0 and len(clocks) == 0:
        rates = (30.0, 60.0, 144.0)
    count = _check_size(scenario, rates, clocks, vary or {})
    base = reference_flight(scenario, "tuned") if against == "base" else None
    runs: list[Run] = []
    for chosen, variant in combinations(scenario, vary):
        reference = base or reference_flight(variant, against)
        paced = [*(variant.clock.at_rate(float(rate)) for rate in rates), *clocks]
        for clock in paced:
            resolved = resolved_clock(variant, clock)
            runs.append(_run(label(chosen), variant, resolved, reference, on_screen))
            if progress is not None:
                progress(len(runs), count)
    return Comparison(scenario, tuple(runs), against, tolerance)


def _check_size(
    scenario: Scenario, rates: Sequence[float], clocks: Sequence[Clock], vary: Vary
) -> int:
    """Return how many runs there will be; refuse more than fit into memory."""
    variants = math.prod(len(values) for values in vary.values())
    paced = [*rates, *(clock.rate or scenario.tuned_at for clock in clocks)]
    # each variant has a reference beside its runs
    frames = scenario.duration * (sum(paced) + scenario.tuned_at)
    rows = variants * frames * len(scenario.all_craft)
    count = variants * len(paced)
    if rows > MOST_ROWS:
        raise OptionError(
            f"{count:,} runs would keep {rows:,.0f} frames side by side, and at most "
            f"{MOST_ROWS:,} fit into memory; use sweep, which keeps only how each variant ends, "
            f"or compare fewer variants, rates or seconds at a time"
        )
    return count


def reference_flight(scenario: Scenario, against: Against) -> Trajectory:
    """Return the tuned run of a scenario, or its fine run, on steady frames."""
    if against == "fine":
        rate = FINE * scenario.tuned_at
        if rate * scenario.duration * len(scenario.all_craft) > MOST_FRAMES:
            raise OptionError(
                f"the fine run of {scenario.duration:g} s at {rate:g} fps is too long to record; "
                f"shorten the scenario, or compare against 'tuned'"
            )
        limit = scenario.with_timing("exact").without_counted_frames()
        return simulate(limit, clock=Clock(rate=rate))
    return simulate(scenario, clock=Clock(rate=scenario.tuned_at))


def _run(
    variant: str, scenario: Scenario, clock: Clock, reference: Trajectory, on_screen: bool
) -> Run:
    flight = simulate(scenario, clock=clock)
    if on_screen:
        flight, reference = flight.on_screen(), reference.on_screen()
    until = scenario.duration

    def worst(members: Sequence[str]) -> Drift:
        drifts = (measure_drift(flight, reference, craft, until) for craft in members)
        return max(drifts, key=lambda drift: drift.largest)

    return Run(
        variant=variant,
        clock=flight.clock,
        rate=flight.rate,
        flight=flight,
        reference=reference,
        drifts={
            family: None if flight.compared_by_events(members[0]) else worst(members)
            for family, members in flight.families.items()
        },
        outcomes=match_events(flight, reference, 1.0 / scenario.tuned_at, until),
    )
