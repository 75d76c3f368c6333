"""Feel metrics over whole ranges of numbers: a curve, a map, or the share of each number."""

import warnings
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tinrocket.errors import OptionError, expect
from tinrocket.flight.record import Progress
from tinrocket.scenario.scenario import Scenario
from tinrocket.tuning.exploration import Exploration, Sensitivity
from tinrocket.tuning.explored_file import Kept
from tinrocket.tuning.free_numbers import FreeNumber, free_numbers
from tinrocket.tuning.responses import Asked, Responses
from tinrocket.tuning.search_tools import scipy
from tinrocket.tuning.wants import Want, find_metric, parse_want, split_craft

Floats = NDArray[np.float64]

POINTS = {1: 41, 2: 21}
"""Points along each range of one or two numbers."""
DRAWS = 64
"""Draws for the shares of more numbers."""
MAX_PLACES = 200_000
"""Most places of one exploration."""
RESAMPLED = 400
OUTSIDE = (0.025, 0.975)
"""Quantiles of the resamples that bound an interval of 95 %."""


@dataclass(frozen=True, slots=True, eq=False)
class _Plan:
    """Places: shares of the ranges, shape (places, numbers), in the order of the table."""

    places: Floats
    draws: int


def explore(
    scenario: Scenario,
    over: Sequence[str] | Mapping[str, tuple[float, float] | None],
    show: str | Sequence[str],
    *,
    points: int | None = None,
    rate: float | None = None,
    wants: Sequence[str | Want] = (),
    seed: int = 0,
    out: Path | str | None = None,
    progress: Progress | None = None,
) -> Exploration:
    """Measure feel metrics over whole ranges of numbers.

    One number gives curves; two a map; more the share of each number in how much a metric varies
    (Sobol' indices after Saltelli et al. 2010, with bootstrapped intervals).

    Parameters
    ----------
    scenario
        The scenario.
    over
        Paths of the numbers, with their ranges, as `solve` takes free numbers.
    show
        Feel metrics, such as ``"top speed"`` or ``"rocket top speed"``.
    points
        Points along each range (default: 41 of one number, 21 of each of two), or draws for the
        shares of more (default: 64; a power of two).
    rate
        Frame rate [1/s] (default: the tuned one).
    wants
        What metrics should be, as `solve` takes them: where all hold is marked.
    seed
        Of the draws.
    out
        A folder in which every place is stored as soon as it is measured. Places of the same
        exploration that it holds already are not measured again.
    progress
        Called with how many places are measured, and of how many.

    Raises
    ------
    OptionError
        If no metric or number is given, there are too many places, or the folder holds another
        exploration.
    UnknownNameError, ScenarioError, MissingExtraError
        As for `solve`.

    Examples
    --------
    >>> explored = tr.explore(
    ...     tr.read_demo("rocket"), ["rocket.thrust.accel=100:800"], ["top speed"], points=3
    ... )
    >>> explored.table.shape
    (3, 2)
    """
    expect(scenario, Scenario, "explore()", "read one with read_scenario('file.toml')")
    free = free_numbers(scenario, over)
    names = [show] if isinstance(show, str) else list(show)
    if not names:
        raise OptionError("say what to show, such as 'top speed'")
    at = scenario.tuned_at if rate is None else float(rate)
    if not 1.0 <= at <= 2000.0:
        raise OptionError(f"feel is measured from 1 to 2,000 fps, not at {at:g}")
    parsed = [parse_want(want, scenario) if isinstance(want, str) else want for want in wants]
    asked = [_asked(scenario, name, at) for name in names]
    wanted = [Asked(want.craft, want.manoeuvre, want.metric.name, at) for want in parsed]
    every = tuple(dict.fromkeys((*asked, *wanted)))
    responses = Responses(scenario, free, every)
    now = responses.answers({number.path: number.now for number in free})
    for asked_metric, answer in zip(every, now, strict=True):
        if answer.note == "not this craft":
            raise OptionError(f"{asked_metric.craft} has no {asked_metric.metric}")
    plan = _plan(free, points, seed)
    columns = [
        *(number.path for number in free),
        *(f"{each.craft} {each.metric}" for each in every),
    ]
    stored = Kept.open(out, scenario, columns, plan.places) if out is not None else None
    table = _measured(responses, plan.places, stored, progress)
    shown = [every.index(metric) for metric in asked]
    holds = [
        all(
            abs(want.miss(row[len(free) + every.index(which)], 0.0, want.size or 1.0)) <= 1e-3
            for want, which in zip(parsed, wanted, strict=True)
        )
        for row in table
    ]
    return Exploration(
        title=scenario.title,
        free=free,
        metrics=tuple(every[n].metric for n in shown),
        units=tuple(_unit(every[n]) for n in shown),
        crafts=tuple(every[n].craft for n in shown),
        rate=at,
        numbers=table[:, : len(free)],
        values=table[:, [len(free) + n for n in shown]],
        now=tuple(now[n].value for n in shown),
        holds=np.array(holds, dtype=bool),
        wants=tuple(want.text for want in parsed),
        sensitivity=_shares(
            free, table[:, [len(free) + n for n in shown]], plan.draws, names, seed
        ),
        flights=responses.flights,
    )


def _asked(scenario: Scenario, text: str, rate: float) -> Asked:
    craft, name = split_craft(text.strip(), scenario)
    manoeuvre, _metric = find_metric(name)
    return Asked(craft, manoeuvre, name, rate)


def _unit(asked: Asked) -> str:
    return next(m.unit for m in asked.manoeuvre.metrics if m.is_answered_by(asked.metric))


def _plan(free: Sequence[FreeNumber], points: int | None, seed: int) -> _Plan:
    """Return the places."""
    count = len(free)
    if count in POINTS:
        along = POINTS[count] if points is None else points
        if not along >= 2 or along**count > MAX_PLACES:
            raise OptionError(
                f"look at 2 or more points, and {MAX_PLACES:,} places at most; not {along}"
            )
        grid = np.meshgrid(*[np.linspace(0.0, 1.0, along)] * count, indexing="ij")
        return _Plan(np.stack([axis.ravel() for axis in grid], axis=1), 0)
    draws = DRAWS if points is None else points
    if draws < 8 or draws & (draws - 1) or draws * (count + 2) > MAX_PLACES:
        raise OptionError(f"draws are a power of two from 8 on, such as 64, not {draws}")
    both = scipy().stats.qmc.Sobol(2 * count, rng=seed).random(draws)
    first, second = both[:, :count], both[:, count:]
    mixed = []
    for n in range(count):  # the first set, with one number of the second
        sample = first.copy()
        sample[:, n] = second[:, n]
        mixed.append(sample)
    return _Plan(np.concatenate([first, second, *mixed]), draws)


def _measured(
    responses: Responses, places: Floats, kept: Kept | None, progress: Progress | None
) -> Floats:
    """Return a row for each place: its numbers, and the metrics."""
    rows = []
    for index, place in enumerate(places):
        row = kept.row(index) if kept is not None else None
        if row is None:
            numbers = responses.numbers(place)
            answers = responses.answers(numbers)
            row = [*numbers.values(), *(answer.value for answer in answers)]
            if kept is not None:
                kept.add(row)
        rows.append(row)
        if progress is not None:
            progress(index + 1, len(places))
    return np.array(rows, dtype=np.float64)


def _shares(
    free: Sequence[FreeNumber], values: Floats, draws: int, names: Sequence[str], seed: int
) -> tuple[Sensitivity, ...]:
    """Return the share of each metric's variance that is due to each number."""
    if draws == 0:
        return ()
    sensitivities = []
    for metric, column in zip(names, values.T, strict=True):
        missing = int(np.isnan(column).sum())
        if missing == column.size or np.nanstd(column) <= 1e-12 * max(abs(np.nanmean(column)), 1.0):
            continue
        filled = np.where(np.isnan(column), np.nanmedian(column), column)
        parts = filled.reshape(len(free) + 2, draws)
        point, resampled = _indices(parts), _resampled(parts, seed)
        low, high = np.quantile(resampled, OUTSIDE, axis=0)
        for n, number in enumerate(free):
            sensitivities.append(
                Sensitivity(
                    metric=metric,
                    path=number.path,
                    alone=float(point[0, n]),
                    alone_low=float(low[0, n]),
                    alone_high=float(high[0, n]),
                    whole=float(point[1, n]),
                    whole_low=float(low[1, n]),
                    whole_high=float(high[1, n]),
                    missing=missing / column.size,
                )
            )
    return tuple(sensitivities)


def _indices(parts: Floats) -> Floats:
    """Return first and total order indices, shape (2, numbers), of draws in rows A, B and mixed."""
    samples: Any = {"f_A": parts[:1], "f_B": parts[1:2], "f_AB": parts[2:, None, :]}
    indices = scipy().stats.sobol_indices(func=samples, n=parts.shape[1])
    return np.stack([indices.first_order.ravel(), indices.total_order.ravel()])


def _resampled(parts: Floats, seed: int) -> Floats:
    """Return the indices of draws that are drawn anew, shape (resamples, 2, numbers)."""
    random, draws = np.random.default_rng(seed), parts.shape[1]
    with warnings.catch_warnings():  # equal draws have no variance to share
        warnings.simplefilter("ignore", RuntimeWarning)
        every = [_indices(parts[:, random.integers(0, draws, draws)]) for _ in range(RESAMPLED)]
    return np.nan_to_num(np.stack(every))
