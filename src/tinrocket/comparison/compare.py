"""Fly one scenario at several frame rates and in several variants, and compare."""

import math
from collections.abc import Mapping, Sequence
from functools import partial
from numbers import Real

from tinrocket.comparison.comparison import Against, Comparison
from tinrocket.comparison.run import BlownUp, Run
from tinrocket.errors import FlightError, OptionError, expect, nearest
from tinrocket.flight.record import Progress
from tinrocket.limits import FRAMES, SIDE_BY_SIDE, how_to_raise, most
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.vary import Vary, combinations, label, values_of
from tinrocket.texts import some_of
from tinrocket.trajectory.clocks import at_paces, paces, resolved_clock
from tinrocket.trajectory.simulate import simulate
from tinrocket.trajectory.trajectory import Trajectory

TOLERANCE = 2.0
"""Default tolerance: distance from the reference at which a flight still agrees [px]."""

REFERENCES = ("tuned", "fine", "base")

FINE = 128
"""Number of frames of the fine run for each tuned frame."""


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
        The scenario.
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
        Whether to compare positions in the scenario's view, instead of in the world.
    progress
        Called after each run with how many are done, and of how many.

    Raises
    ------
    OptionError
        If an argument is out of range, or all runs together would not fit into memory.
    UnknownNameError, ScenarioError
        If a path to vary does not exist, or a value or rate does not fit.
    FlightError
        If the numbers of all runs blow up; of single ones, see `Comparison.blown_up`.

    Examples
    --------
    >>> compared = tr.compare(tr.read_demo("rocket"), rates=[30, 144])
    >>> compared.agrees
    False
    >>> round(float(compared.table["drift_max"].max()), 1)
    463.9
    """
    expect(scenario, Scenario, "compare()", "read one with read_scenario('file.toml')")
    if against not in REFERENCES:
        raise OptionError(f"'{against}' is not a reference{nearest(against, REFERENCES)}")
    check_tolerance(tolerance, scenario.arena.unit)
    rates, clocks = paces("compare()", rates, clocks)
    count = _check_size(scenario, rates, clocks, values_of({} if vary is None else vary))
    base = reference_flight(scenario, "tuned") if against == "base" else None
    runs: list[Run] = []
    blown_up: list[BlownUp] = []
    for chosen, variant in combinations(scenario, vary):
        reference = base
        for clock in at_paces(variant.clock, rates, clocks):
            resolved = resolved_clock(variant, clock)
            try:  # a run that blows up must not lose the others
                reference = reference or reference_flight(variant, against)
                runs.append(_run(label(chosen), variant, resolved, reference, on_screen))
            except FlightError as error:
                rate = resolved.rate or variant.tuned_at
                blown_up.append(BlownUp(label(chosen), resolved.describe(), rate, error))
            if progress is not None:
                progress(len(runs) + len(blown_up), count)
    if not runs:
        raise blown_up[0].error
    return Comparison(
        title=f"{scenario.title}, as seen in the view" if on_screen else scenario.title,
        reference_name=reference_name(scenario, against),
        runs=tuple(runs),
        tolerance=tolerance,
        duration=scenario.duration,
        arena=scenario.arena,
        against=against,
        scenario=scenario,
        blown_up=tuple(blown_up),
        make_base=partial(reference_flight, scenario, "tuned") if vary else None,
    )


def compare_scenarios(
    first: Scenario,
    others: Mapping[str, Scenario],
    rates: Sequence[float] = (),
    clocks: Sequence[Clock] = (),
    tolerance: float = TOLERANCE,
) -> Comparison:
    """Compare scenarios with the first of them, each at the same frame rates.

    Parameters
    ----------
    first
        The reference: at each rate, its own run at that rate.
    others
        The other scenarios by their names.
    rates, clocks, tolerance
        As for `compare`.

    Raises
    ------
    OptionError
        If there are no others, or two have no craft in common.
    FlightError
        If the numbers of all runs blow up; of single ones, see `Comparison.blown_up`.

    Examples
    --------
    >>> rocket = tr.read_demo("rocket")
    >>> slower = tr.with_value(rocket, "rocket.thrust.accel", 300)
    >>> compared = tr.compare_scenarios(rocket, {"slower": slower}, rates=[60])
    >>> compared.agrees
    False
    """
    for scenario in (first, *others.values()):
        expect(
            scenario, Scenario, "compare_scenarios()", "read one with read_scenario('file.toml')"
        )
    if not others:
        raise OptionError("one scenario cannot be compared with itself; give two or more")
    check_tolerance(tolerance, first.arena.unit)
    rates, clocks = paces("compare_scenarios()", rates, clocks)
    runs: list[Run] = []
    blown_up: list[BlownUp] = []
    for name, other in others.items():
        if not set(other.fleet.names) & set(first.fleet.names):
            raise OptionError(
                f"'{name}' and the first scenario have no craft in common: it has "
                f"{some_of(other.fleet.names)}, the first {some_of(first.fleet.names)}"
            )
        for clock in at_paces(first.clock, rates, clocks):
            resolved = resolved_clock(first, clock)
            try:
                reference = simulate(first, clock=resolved)
                flight = simulate(other, clock=resolved)
            except FlightError as error:
                rate = resolved.rate or first.tuned_at
                blown_up.append(BlownUp(name, resolved.describe(), rate, error))
                continue
            pair = _in_common(flight, reference)
            until = min(flight.duration, reference.duration)
            runs.append(Run.of(name, *pair, 1.0 / first.tuned_at, until))
    if not runs:
        raise blown_up[0].error
    return Comparison(
        title=first.title,
        reference_name="the first scenario at the same rate",
        runs=tuple(runs),
        tolerance=tolerance,
        duration=max(run.until for run in runs),
        arena=first.arena,
        against="model",
        scenario=first,
        blown_up=tuple(blown_up),
    )


def _in_common(flight: Trajectory, reference: Trajectory) -> tuple[Trajectory, Trajectory]:
    """Return two flights with the craft that both have."""
    both = [name for name in flight.craft if name in reference.craft]
    return flight.with_craft(both), reference.with_craft(both)


def reference_name(scenario: Scenario, against: Against) -> str:
    """Return what runs are compared with, in words."""
    if against == "fine":
        return f"the fine run at {FINE * scenario.tuned_at:g} fps, exact timing"
    if against == "base":
        return f"the scenario as written, at {scenario.tuned_at:g} fps"
    return f"the run tuned at {scenario.tuned_at:g} fps"


def check_tolerance(tolerance: float, unit: str) -> None:
    """Refuse a distance below zero."""
    if not isinstance(tolerance, Real):
        raise OptionError(f"the tolerance is a number of {unit}, not {tolerance!r}")
    if not tolerance >= 0.0:
        raise OptionError(f"the tolerance must be at least 0 {unit}, not {tolerance:g}")


def _check_size(
    scenario: Scenario, rates: Sequence[float], clocks: Sequence[Clock], vary: Vary
) -> int:
    """Return how many runs there will be; refuse more than fit into memory."""
    variants = math.prod(len(values) for values in vary.values())
    paced = [*rates, *(clock.rate or scenario.tuned_at for clock in clocks)]
    # each variant has a reference beside its runs
    frames = scenario.duration * (sum(paced) + scenario.tuned_at)
    rows = variants * frames * len(scenario.fleet)
    count = variants * len(paced)
    if rows > most(SIDE_BY_SIDE):
        raise OptionError(
            f"{count:,} runs would keep {rows:,.0f} frames side by side, and at most "
            f"{most(SIDE_BY_SIDE):,} fit into memory; use sweep, which keeps only how each "
            f"variant ends, or compare fewer variants, rates or seconds at a time; "
            f"{how_to_raise()}"
        )
    return count


def reference_flight(scenario: Scenario, against: Against) -> Trajectory:
    """Return the tuned run of a scenario, or its fine run, on steady frames."""
    if against == "fine":
        rate = FINE * scenario.tuned_at
        if rate * scenario.duration * len(scenario.fleet) > most(FRAMES):
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
    return Run.of(variant, flight, reference, 1.0 / scenario.tuned_at, scenario.duration)
