"""A clock as frames, and as the steps that the game takes in them."""

from dataclasses import replace

from tinrocket.flight import pacing
from tinrocket.scenario.clock import Clock


def lower_clock(clock: Clock, tuned_at: float, duration: float) -> pacing.Pacing:
    """Return the frames and steps of a run of at least `duration` s."""
    rate = clock.rate or tuned_at
    if clock.frame_times is not None:
        frames = pacing.captured(clock.frame_times, duration)
    elif clock.jitter or clock.hitches:
        hitches = [(hitch.at, hitch.length) for hitch in clock.hitches]
        frames = pacing.made_up(rate, duration, clock.jitter, clock.seed, hitches)
    else:
        frames = pacing.steady(rate, duration)
    if clock.refresh is not None:
        frames = pacing.synchronised(frames, clock.refresh, duration)
    if clock.step_rate is None:
        return pacing.variable(frames, clock.max_dt, clock.max_step)
    fixed = pacing.fixed(
        frames,
        clock.step_rate,
        clock.max_dt,
        clock.max_steps,
        drops=clock.backlog == "dropped",
        blends=clock.interpolate,
    )
    return replace(fixed, sums_requests=clock.requests == "sum")
