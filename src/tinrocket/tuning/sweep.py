"""Fly a scenario with many numbers at once and see where each of them ends."""

import itertools
import math

import numpy as np
import pandas as pd

from tinrocket.analysis.simulate import paced, resolved_clock
from tinrocket.analysis.trajectory import magnitude
from tinrocket.core import hands, layout
from tinrocket.core.batch import Progress, fly_variants
from tinrocket.core.contacts.meetings import Meetings
from tinrocket.core.custom import compiled
from tinrocket.core.lower import lower
from tinrocket.core.lower.angles import Heading
from tinrocket.core.lower.tape import lower_tape
from tinrocket.core.program import Program
from tinrocket.core.stage.staging import Staging
from tinrocket.errors import OptionError
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.vary import Vary, combinations

Arrays = Program | Meetings | Staging


def sweep(
    scenario: Scenario,
    vary: Vary,
    rate: float | None = None,
    threads: int | None = None,
    progress: Progress | None = None,
) -> pd.DataFrame:
    """Fly every combination of the values and return each one's last state.

    Parameters
    ----------
    scenario
        What to fly.
    vary
        Values for dotted paths to numbers of a craft's start or rules.
    rate
        Frames per second, instead of the clock's.
    threads
        As many as there are cores if not given; results do not depend on it.
    progress
        Called now and then with how many variants are done, and of how many.

    Returns
    -------
    pandas.DataFrame
        A row for each combination and craft: a column for each path, craft, x, y,
        x_unwrapped, y_unwrapped [px], vx, vy, speed [px/s], heading [deg], finite
        (False where the numbers blew up; the state is then NaN).

    Raises
    ------
    OptionError
        If a path changes more than a craft's numbers: its timing, the arena, the clock.
    UnknownNameError, ScenarioError
        If a path does not exist, or a value does not fit.
    """
    base = lower(scenario)
    program, custom = base.program, compiled(base.written)
    if custom is None:
        names = ", ".join(written.function.__name__ for written in base.written)
        raise OptionError(
            f"a sweep needs rules that can be compiled, and one of {names} cannot; "
            f"use compare, which flies it in plain Python"
        )
    count = math.prod(len(values) for values in vary.values())
    numbers = np.empty((count, *program.numbers.shape))
    starts = np.empty((count, *program.start.shape))
    for index, (chosen, variant) in enumerate(combinations(scenario, vary)):
        lowered = lower(variant)
        same = (
            lowered.columns == base.columns
            and _alike(lowered.program, program, but=("numbers", "start"))
            and _alike(lowered.meetings, base.meetings)
            and _alike(lowered.staging, base.staging)
        )
        if not same or variant.model_copy(update={"craft": scenario.craft}) != scenario:
            raise OptionError(
                f"{', '.join(chosen)}: a sweep varies the numbers of a craft's start and rules; "
                f"to vary anything else, use compare"
            )
        numbers[index], starts[index] = lowered.program.numbers, lowered.program.start
    clock = resolved_clock(scenario, scenario.clock.at_rate(rate) if rate is not None else None)
    pacing = paced(scenario, clock)
    inputs = hands.inputs(base.columns, lower_tape(scenario, pacing).steps)
    states, endings = fly_variants(
        program,
        custom,
        base.meetings,
        base.staging,
        numbers,
        starts,
        pacing,
        inputs,
        threads,
        progress,
    )
    finite = endings[:, 1] == layout.FLEW
    states[~finite] = np.nan
    return _table(scenario, vary, states[:, : len(scenario.fleet)], finite)


def _alike(one: Arrays, other: Arrays, but: tuple[str, ...] = ()) -> bool:
    """Whether two tuples hold the same arrays, but for some."""
    return all(
        name in but or np.array_equal(getattr(one, name), getattr(other, name), equal_nan=True)
        for name in one._fields
    )


def _table(scenario: Scenario, vary: Vary, states: np.ndarray, finite: np.ndarray) -> pd.DataFrame:
    number = len(scenario.fleet)
    chosen = list(itertools.product(*vary.values()))
    data: dict[str, object] = {
        path: np.repeat([values[index] for values in chosen], number)
        for index, path in enumerate(vary)
    }
    flat = states.reshape(-1, layout.STATE_WIDTH)
    data["craft"] = [craft.name for craft in scenario.fleet] * len(states)
    places = {"x": (layout.X, layout.LAPS_X), "y": (layout.Y, layout.LAPS_Y)}
    for axis in AXES:
        place, laps = (flat[:, column] for column in places[axis])
        data[axis] = place
        periods = [scenario.arena_of(craft).period(axis) for craft in scenario.fleet]
        data[f"{axis}_unwrapped"] = place + laps * np.tile(periods, len(states))
    data["vx"], data["vy"] = flat[:, layout.VX], flat[:, layout.VY]
    data["speed"] = magnitude(flat[:, layout.VX], flat[:, layout.VY])
    data["heading"] = Heading.of(scenario.arena).to_degrees(flat[:, layout.HEADING])
    data["finite"] = np.repeat(finite, number)
    return pd.DataFrame(data)
