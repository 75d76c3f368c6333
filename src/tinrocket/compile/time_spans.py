"""Spans of time and intervals as the kernels count them."""

import numpy as np

from tinrocket.compile.memory import Layout, Place
from tinrocket.motion.binding import Context, span
from tinrocket.motion.stage import tables as stage
from tinrocket.scenario.numbers import Timing
from tinrocket.scenario.stage import March, Spawner

RAMPS = {"time": stage.BY_TIME, "score": stage.BY_SCORE, "gone": stage.BY_GONE}


def length_of(value: float | str, context: Context) -> tuple[float, int]:
    """Return a span in units of time or in steps, and whether it counts steps."""
    length, counted = span(value)
    return float(length if counted else length * context.unit), int(counted)


def interval(every: float, counted: int, first: float, layout: Layout) -> Place:
    """Return a recurring interval without ramps."""
    place = layout.reserve(stage.Interval, state=True)
    place.write(every=every, counted=counted, first=first, ramp_to=every, ramp_over=1.0)
    return place


def interval_of(one: Spawner | March, context: Context, layout: Layout, timing: Timing) -> Place:
    """Return a repeated span as an interval; from a range of spans, each is drawn anew."""
    if one.every is None:
        return interval(0.0, 0, 0.0, layout)
    least, most = one.every if isinstance(one.every, tuple) else (one.every, one.every)
    drawn = isinstance(one.every, tuple)
    every, counted = length_of(least, context)
    first, width = every, length_of(most, context)[0] - every
    seed = one.seed if isinstance(one, Spawner) else 0
    chances = np.random.default_rng([seed, 2]).uniform(0.0, 1.0, stage.CHANCES if drawn else 1)
    if one.first is not None:
        first = length_of(one.first, context)[0]
    elif drawn:
        first += width * chances[-1]
    place = interval(every, counted, first, layout)
    place.write(width=width, chances=layout.row(chances))
    place.write(exact=int(timing == "exact"))
    if one.ramp is not None:
        over = one.ramp.over * (context.unit if one.ramp.by == "time" else 1.0)
        to = length_of(one.ramp.to, context)[0]
        place.write(ramp_to=to, ramp_over=over, ramp_by=RAMPS[one.ramp.by])
    return place
