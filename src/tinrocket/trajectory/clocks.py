"""Clocks of runs."""

import math
from collections.abc import Collection, Sequence
from functools import lru_cache

from tinrocket.errors import OptionError, as_number, expect
from tinrocket.flight.frame_schedule import lower_clock
from tinrocket.flight.pacing import Pacing
from tinrocket.limits import FRAMES, how_to_raise, most
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario

BYTES = 160
"""Approximate bytes of a frame of a craft: twenty columns."""


RATES = (30.0, 60.0, 144.0)
"""Default frame rate [1/s]."""


def paces(
    call: str, rates: Sequence[float], clocks: Sequence[Clock]
) -> tuple[Sequence[float], Sequence[Clock]]:
    """Return the requested frame rates and clocks, by default the usual rates.

    Raises
    ------
    OptionError
        If they are not lists of rates and clocks.
    """
    check_pace(call, rates, clocks)
    return (rates, clocks) if len(rates) or len(clocks) else (RATES, ())


def at_paces(clock: Clock, rates: Sequence[float], clocks: Sequence[Clock]) -> list[Clock]:
    """Return a clock at some rates, and other clocks behind it."""
    return [*(clock.at_rate(float(rate)) for rate in rates), *clocks]


def check_pace(call: str, rates: Sequence[float], clocks: Sequence[Clock] = ()) -> None:
    """Refuse arguments that are no lists of frame rates and of clocks.

    Raises
    ------
    OptionError
        If they are not.
    """
    example = "such as [30, 60, 144]"
    values: object = rates
    if isinstance(values, str) or not isinstance(values, Collection):
        raise OptionError(f"{call} takes frame rates in a list, {example}, not {values!r}")
    for rate in values:
        try:
            as_number(rate, "a frame rate")
        except OptionError:
            raise OptionError(
                f"{call} takes numbers as frame rates, {example}, not {rate!r}"
            ) from None
    other: object = clocks
    if not isinstance(other, Collection):
        raise OptionError(f"{call} takes clocks in a list, such as [tr.Clock(rate=60)]")
    for clock in other:
        expect(clock, Clock, f"among its clocks, {call}", "make one with Clock(rate=60)")


def asked_clock(call: str, scenario: Scenario, rate: float | None, clock: Clock | None) -> Clock:
    """Return the resolved clock from the given rate or clock.

    Raises
    ------
    OptionError
        If both are given, or the clock is not a Clock.
    """
    if rate is not None and clock is not None:
        raise OptionError("give a rate or a clock, not both")
    if clock is not None:
        expect(clock, Clock, f"{call}(clock=...)", "make one with Clock(rate=60)")
    return resolved_clock(scenario, clock if rate is None else scenario.clock.at_rate(rate))


def resolved_clock(scenario: Scenario, clock: Clock | None) -> Clock:
    """Return a clock, by default the scenario's, with the tuned rate where it names none."""
    clock = clock or scenario.clock
    if clock.rate is None and clock.frame_times is None:
        return _at_tuned_rate(clock, scenario.tuned_at)
    return clock


@lru_cache(maxsize=8)
def _at_tuned_rate(clock: Clock, tuned_at: float) -> Clock:
    if not clock.jitter:  # a jitter must fit into a frame
        return clock.replaced(rate=tuned_at)
    return clock.at_rate(tuned_at)


def paced(scenario: Scenario, clock: Clock) -> Pacing:
    """Return the frames and steps of a run; OptionError if they are too many to record."""
    longest = 0.0  # the last frame, or a hitch, may extend beyond the end
    if clock.frame_times is not None:
        rate = len(clock.frame_times) / sum(clock.frame_times)
        longest = min(max(clock.frame_times), clock.max_dt or math.inf)
    else:
        rate = clock.rate or scenario.tuned_at
        longest = sum(min(hitch.length, clock.max_dt or math.inf) for hitch in clock.hitches)
    steps = clock.fixed_rate or (1.0 / clock.substep if clock.substep else rate)
    span = scenario.duration + longest
    rows = max(scenario.duration * rate, span * steps) * len(scenario.fleet)
    if rows > most(FRAMES):
        what = f"{rate:g} fps" if rate >= steps else f"{steps:g} steps per second"
        raise OptionError(
            f"{span:g} s at {what} is too long to record: it would need "
            f"{rows * BYTES / 2**30:,.0f} GiB for {rows:,.0f} frames or steps of all craft "
            f"together, and at most {most(FRAMES):,} are kept; shorten the scenario, or "
            f"{how_to_raise()}"
        )
    return lower_clock(clock, scenario.tuned_at, scenario.duration)
