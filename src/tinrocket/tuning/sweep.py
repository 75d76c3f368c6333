"""Fly a scenario with many numbers at once, and return the last states."""

import itertools
import math
from collections.abc import Mapping
from functools import partial
from typing import Any

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from tinrocket.compile.build import plan_of
from tinrocket.compile.number_cells import cells_of, columns_of
from tinrocket.compile.plan import Plan
from tinrocket.errors import OptionError, as_number, expect
from tinrocket.flight.batch import fly_variants
from tinrocket.flight.record import Progress
from tinrocket.flight.sampled_tape import sample_tape
from tinrocket.motion.angles import Heading
from tinrocket.motion.body import ALWAYS_RECORDED, Body
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.vary import Vary, combinations, number_path, values_of
from tinrocket.trajectory.clocks import paced, resolved_clock
from tinrocket.trajectory.interpolate import magnitude
from tinrocket.tuning.cluster import Ended, fly_on_cluster

MOST_STATES = 10_000_000
"""Limit of variants times craft, so that the last states fit into memory."""


def sweep(
    scenario: Scenario,
    vary: Vary,
    rate: float | None = None,
    threads: int | None = None,
    progress: Progress | None = None,
    cluster: Any = None,
) -> pd.DataFrame:
    """Fly every combination of the values, and return the last states.

    Parameters
    ----------
    scenario
        The scenario.
    vary
        Values for dotted paths to numbers.  Those of a craft's start or rules are flown side by
        side; for each value of another, such as of a contact or the clock, there is a plan.
    rate
        Frames per second, instead of the clock's.
    threads
        Number of threads (default: number of cores); results do not depend on it.
    progress
        Called with the number of finished variants, and the number of all.
    cluster
        A `dask.distributed.Client`, or the address of a scheduler such as ``tcp://10.0.0.5:8786``,
        whose workers fly the variants instead; they need Tin Rocket, and the extra `dask`.

    Returns
    -------
    pandas.DataFrame
        A row for each combination and craft: a column for each path, craft, x, y,
        x_unwrapped, y_unwrapped [px], vx, vy, speed [px/s], heading [deg], finite
        (False where the numbers blew up; the state is then NaN).

    Raises
    ------
    OptionError
        If a path changes more than a number: a timing, a choice, a name; or if no scheduler
        answers.
    UnknownNameError, ScenarioError
        If a path does not exist, or a value does not fit.

    Examples
    --------
    >>> table = tr.sweep(tr.read_demo("rocket"), {"rocket.drag.half_life": [0.4, 0.8]})
    >>> table["speed"].round(1).tolist()
    [16.4, 90.0]
    """
    expect(scenario, Scenario, "sweep()", "read one with read_scenario('file.toml')")
    vary = values_of(vary)
    if threads is not None and as_number(threads, "how many threads") not in range(1, 10_000):
        raise OptionError(f"a sweep flies on one thread or more, not on {threads}")
    apart = [path for path in vary if number_path(scenario, path) is None]
    if apart:
        return _apart(scenario, vary, apart, rate, threads, cluster)
    plan = plan_of(scenario, records=False)
    if plan.plain_because is not None:
        raise OptionError(
            f"a sweep needs rules that can be compiled: {plan.plain_because}; "
            f"use compare, which flies it in plain Python"
        )
    count = math.prod(len(values) for values in vary.values())
    if count * len(scenario.fleet) > MOST_STATES:
        raise OptionError(
            f"{count:,} combinations are too many to keep; at most {MOST_STATES:,} states "
            f"of all craft together: sweep in parts"
        )
    columns = columns_of(vary)
    cells_of(plan, columns)  # raise an error here rather than in a worker
    clock = resolved_clock(scenario, scenario.clock.at_rate(rate) if rate is not None else None)
    if cluster is not None:
        fly = partial(_ended, scenario, clock, threads=1, progress=None)
        states, failed = fly_on_cluster(cluster, fly, columns, count, progress)
    else:
        states, failed = _ended(scenario, clock, columns, threads, progress)
    states[failed >= 0] = np.nan
    return _table(plan, columns, states[:, : len(scenario.fleet)], failed < 0)


def _ended(
    scenario: Scenario,
    clock: Clock,
    columns: Mapping[str, NDArray[Any]],
    threads: int | None,
    progress: Progress | None,
) -> Ended:
    """Return the last states of variants, and those that blew up."""
    plan = plan_of(scenario, records=False)
    pacing = paced(scenario, clock)
    inputs = sample_tape(scenario, pacing).columns(plan.raw)
    count = len(next(iter(columns.values()), (0.0,)))
    return fly_variants(plan, cells_of(plan, columns), count, pacing, inputs, threads, progress)


def _apart(
    scenario: Scenario,
    vary: Vary,
    apart: list[str],
    rate: float | None,
    threads: int | None,
    cluster: Any,
) -> pd.DataFrame:
    """Sweep with a plan for each combination of numbers outside of craft."""
    for path in apart:
        if any(isinstance(number, bool | str) for number in vary[path]):
            raise OptionError(
                f"{path}: a sweep varies numbers; to vary a choice or a name, use compare"
            )
    side_by_side = {path: values for path, values in vary.items() if path not in apart}
    places = {path: np.arange(len(values)) for path, values in vary.items()}
    shape = tuple(map(len, vary.values()))
    tables, order = [], []
    chosen_places = itertools.product(*(places[path] for path in apart))
    chosen = combinations(scenario, {path: vary[path] for path in apart})
    for at, (values, variant) in zip(chosen_places, chosen, strict=True):
        table = sweep(variant, side_by_side, rate, threads, cluster=cluster)
        for path, value in values.items():
            table[path] = pd.Series([value] * len(table))  # any value: a place is two numbers
        picked = [[at[apart.index(p)]] if p in apart else places[p].tolist() for p in vary]
        rows = np.ravel_multi_index(np.ix_(*map(np.array, picked)), shape).ravel()
        order.append(np.repeat(rows, len(scenario.fleet)))
        tables.append(table)
    whole = pd.concat(tables, ignore_index=True)
    whole = whole.iloc[np.argsort(np.concatenate(order), kind="stable")]
    columns = [name for name in whole.columns if name not in vary]
    return whole[[*vary, *columns]].reset_index(drop=True)


def _table(
    plan: Plan, columns: dict[str, np.ndarray], states: np.ndarray, finite: np.ndarray
) -> pd.DataFrame:
    scenario = plan.scenario
    number = len(scenario.fleet)
    data: dict[str, object] = {path: np.repeat(values, number) for path, values in columns.items()}
    flat = states.reshape(-1, ALWAYS_RECORDED)
    recorded = itertools.islice(Body.offsets, ALWAYS_RECORDED)
    field = {name: flat[:, Body.offsets[name]] for name in recorded}
    codes = np.tile(np.arange(number), len(states))
    data["craft"] = pd.Categorical.from_codes(codes, pd.Index(scenario.fleet.names))
    arenas = [scenario.arena_of(craft) for craft in scenario.craft]
    counts = [craft.count for craft in scenario.craft]
    for axis in AXES:
        data[axis] = field[axis]
        periods = np.repeat([arena.period(axis) for arena in arenas], counts)
        laps = field[f"wraps_{axis}"] * np.tile(periods, len(states))
        data[f"{axis}_unwrapped"] = field[axis] + laps
    data["vx"], data["vy"] = field["vx"] * plan.unit, field["vy"] * plan.unit
    data["speed"] = magnitude(field["vx"], field["vy"]) * plan.unit
    data["heading"] = Heading.of(scenario.arena).to_degrees(field["heading"].copy())
    data["finite"] = np.repeat(finite, number)
    return pd.DataFrame(data)
