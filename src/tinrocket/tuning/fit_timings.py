"""Which timing, order and input explain logs best, compared on a part of them that is held out.

Each alternative is fitted to the first part of every log and compared with the scenario as it is
written on the rest, by the ratio of residuals.  Means over stretches of rows count as
independent; an alternative is better where their mean is several standard errors above 0.
"""

import math
from collections.abc import Iterator
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from tinrocket.logs.pace import records_keys
from tinrocket.scenario.other_timings import (
    with_one_timing,
    with_other_orders,
    with_other_sampling,
    with_rule_timings,
)
from tinrocket.scenario.scenario import Scenario
from tinrocket.tuning.fit_search import NORMAL, OUTLIER, FitSearch, along_motion
from tinrocket.tuning.fitted import LEAST, TimingChoice

Floats = NDArray[np.float64]

HELD_OUT = 0.4
"""The last share of a log, on which alternatives are compared that were fitted to the rest."""
SURE = 4.0
"""Standard errors by which an alternative must explain the held-out part better to be named."""
BLOCKS = 20
"""Parts of the held-out rows whose means count as independent."""


def compare_timings(
    search: FitSearch, best: Floats, starts: int, seed: int
) -> tuple[TimingChoice, ...]:
    """Compare other timings, orders and inputs with those that the scenario is written with."""
    written = _held_out(search, search.scenario, best, starts, seed)
    return tuple(
        _choice(name, written, _held_out(search, changed, best, starts, seed))
        for name, changed in _alternatives(search)
    )


def _alternatives(search: FitSearch) -> Iterator[tuple[str, Scenario]]:
    yield from with_one_timing(search.scenario)
    yield from with_rule_timings(search.scenario)
    yield from with_other_orders(search.scenario)
    if not any(map(records_keys, search.logs)):  # recorded keys were seen by frames already
        yield from with_other_sampling(search.scenario)


def _choice(name: str, written: Floats, other: Floats) -> TimingChoice:
    floor = min(float(np.median(written)), float(np.median(other))) + LEAST
    # above 0 where the other explains the row better, by the ratio of residuals
    gain = np.log(written + floor) - np.log(other + floor)
    means = np.array([part.mean() for part in np.array_split(gain, BLOCKS)])
    mean, error = float(means.mean()), float(means.std(ddof=1)) / math.sqrt(BLOCKS)
    return TimingChoice(
        name=name,
        rms=math.sqrt(float(np.mean(other))),
        written=math.sqrt(float(np.mean(written))),
        better=mean > SURE * error and mean > 0.0,
        worse=-mean > SURE * error and mean < 0.0,
    )


def _held_out(
    search: FitSearch, scenario: Scenario, best: Floats, starts: int, seed: int
) -> Floats:
    """Return squared differences in the held-out part, fitted to the rest; outliers clipped."""
    fitted = replace(
        search, scenario=scenario, until=1.0 - HELD_OUT, flights=0, _models=[], _owners=None
    )
    shares = fitted.best(min(starts, 2), seed, near=[best])
    fitted.until = 1.0
    late = [
        replace(each, off=each.off[each.t > (1.0 - HELD_OUT) * each.t[-1]])
        for each in fitted.differences(shares)
        if each.t.size
    ]
    rest = along_motion(late)
    rough = NORMAL * float(np.median(np.abs(rest)))
    clipped: Floats = np.square(np.clip(rest, -OUTLIER * rough, OUTLIER * rough))
    return clipped
