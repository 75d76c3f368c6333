"""A clock as frames, and as the steps that the game takes in them."""

from dataclasses import fields, replace
from functools import lru_cache

import numpy as np

from tinrocket.flight import pacing
from tinrocket.scenario.clock import Clock

FEW = 20_000
"""Most frames of a pacing and its sampled tape that are cached for the next run at that clock."""


def lower_clock(clock: Clock, tuned_at: float, duration: float) -> pacing.Pacing:
    """Return the frames and steps of a run of at least `duration` s; treat them as read-only.

    Tuning flies at the same few clocks again and again: these are cached.
    """
    steps = max(clock.rate or tuned_at, clock.fixed_rate or 0.0, 1.0 / (clock.substep or 1.0))
    long = clock.frame_times is not None or clock.hitches or duration * steps > FEW
    return _lowered(clock, tuned_at, duration) if long else _kept(clock, tuned_at, duration)


@lru_cache(maxsize=8)
def _kept(clock: Clock, tuned_at: float, duration: float) -> pacing.Pacing:
    made = _lowered(clock, tuned_at, duration)
    for field in fields(made):
        values = getattr(made, field.name)
        if isinstance(values, np.ndarray):
            values.flags.writeable = False
    return made


def _lowered(clock: Clock, tuned_at: float, duration: float) -> pacing.Pacing:
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
    if clock.fixed_rate is None:
        return pacing.variable(frames, clock.max_dt, clock.substep)
    fixed = pacing.fixed(
        frames,
        clock.fixed_rate,
        clock.max_dt,
        clock.max_steps_per_frame,
        backlog=clock.backlog,
        own_length=clock.step_dt == "step",
        blends=clock.interpolate,
    )
    return replace(fixed, sums_requests=clock.input == "sum")
