"""How the frames and steps of a run are paced."""

from tinrocket.errors import OptionError
from tinrocket.flight.clock import lower_clock
from tinrocket.flight.pacing import Pacing
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario

MOST_FRAMES = 20_000_000
"""Frames, or steps, times craft that one recording may hold; more would not fit into memory."""


def resolved_clock(scenario: Scenario, clock: Clock | None) -> Clock:
    """Return a clock, by default the scenario's, with the tuned rate where it names none."""
    clock = clock or scenario.clock
    if clock.rate is None and clock.frame_times is None:
        if not clock.jitter:  # which must fit into a frame
            return clock.model_copy(update={"rate": scenario.tuned_at})
        return clock.at_rate(scenario.tuned_at)
    return clock


def paced(scenario: Scenario, clock: Clock) -> Pacing:
    """Return the frames and steps of a run; OptionError if they are too many to record."""
    if clock.frame_times is not None:
        rate = len(clock.frame_times) / sum(clock.frame_times)
    else:
        rate = clock.rate or scenario.tuned_at
    steps = clock.step_rate or (1.0 / clock.max_step if clock.max_step else rate)
    if scenario.duration * max(rate, steps) * len(scenario.all_craft) > MOST_FRAMES:
        what = f"{rate:g} fps" if rate >= steps else f"{steps:g} steps per second"
        raise OptionError(
            f"{scenario.duration:g} s at {what} is too long to record; "
            f"at most {MOST_FRAMES:,} frames or steps of all craft together"
        )
    return lower_clock(clock, scenario.tuned_at, scenario.duration)
