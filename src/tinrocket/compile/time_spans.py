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


def interval_of(
    spawner: Spawner | March, context: Context, layout: Layout, timing: Timing
) -> Place:
    """Return a repeated span as an interval; from a range of spans, each is drawn anew."""
    if spawner.every is None:
        return interval(0.0, 0, 0.0, layout)
    least, most = (
        spawner.every if isinstance(spawner.every, tuple) else (spawner.every, spawner.every)
    )
    drawn = isinstance(spawner.every, tuple)
    every, counted = length_of(least, context)
    first, width = every, length_of(most, context)[0] - every
    seed = spawner.seed if isinstance(spawner, Spawner) else 0
    chances = np.random.default_rng([seed, 2]).uniform(0.0, 1.0, stage.CHANCES if drawn else 1)
    if spawner.first is not None:
        first = length_of(spawner.first, context)[0]
    elif drawn:
        first += width * chances[-1]
    place = interval(every, counted, first, layout)
    place.write(width=width, chances=layout.row(chances))
    place.write(exact=int(timing == "exact"))
    if spawner.ramp is not None:
        over = spawner.ramp.over * (context.unit if spawner.ramp.by == "time" else 1.0)
        to = length_of(spawner.ramp.to, context)[0]
        place.write(ramp_to=to, ramp_over=over, ramp_by=RAMPS[spawner.ramp.by])
    return place
