"""The numbers that explain a log of the real game: robust least squares over its places.

The scenario is flown on the log's own frames and, if it records them, with its keys.
"""

from collections.abc import Mapping, Sequence
from pathlib import Path

import pandas as pd

from tinrocket.errors import expect
from tinrocket.flight.record import Progress
from tinrocket.logs.compare import compare_with_logs
from tinrocket.logs.log_format import LogFormat
from tinrocket.scenario.scenario import Scenario
from tinrocket.trajectory.trajectory import Trajectory
from tinrocket.tuning.fit_intervals import intervals
from tinrocket.tuning.fit_search import FitSearch, offset_numbers
from tinrocket.tuning.fit_timings import compare_timings
from tinrocket.tuning.fitted import Fit
from tinrocket.tuning.free_numbers import free_numbers

Log = Path | str | pd.DataFrame | Trajectory


def fit(
    scenario: Scenario,
    log: Log | Sequence[Log],
    free: Sequence[str] | Mapping[str, tuple[float, float] | None],
    *,
    log_format: LogFormat | None = None,
    time_offset: tuple[float, float] | None = None,
    timings: bool = False,
    starts: int = 4,
    seed: int = 0,
    progress: Progress | None = None,
) -> Fit:
    """Find the numbers with which a scenario flies as logs of the real game say.

    Parameters
    ----------
    scenario
        The scenario; its timing and order are those of the game, as far as they are known.
    log
        A log, or several of one game: files, tables or trajectories.
    free
        Paths of the numbers that may change, with their ranges, as `solve` takes them; a start
        too, such as ``rocket.start.x``.
    log_format
        How logs are read; see `compare_logs`.
    time_offset
        Range of the time offset [s]: by how much a log's times are later than the scenario's, for
        each log.  None if both begin at the same moment.
    timings
        Whether to look for the timing of each rule, the order and the input that explain the log
        best as well.
    starts
        How many places the search begins from.
    seed
        Of these places.
    progress
        Called with how many flights were flown, and about how many there will be.

    Returns
    -------
    Fit
        The numbers with their intervals, the residuals, and where the model fails.

    Raises
    ------
    OptionError
        If a log and the scenario have no craft in common, nothing is free, or the range of the
        time offset does not hold 0.
    FileError, UnknownNameError, ScenarioError, MissingExtraError
        As for `compare_with_logs` and `solve`.

    Examples
    --------
    >>> rocket = tr.read_demo("rocket")
    >>> log = tr.simulate(tr.with_value(rocket, "rocket.thrust.accel", 510))
    >>> fitted = tr.fit(rocket, log, ["rocket.thrust.accel=300:700"])
    >>> round(fitted.numbers[0].value, 3)
    510.0
    """
    expect(scenario, Scenario, "fit()", "read one with read_scenario('file.toml')")
    several = isinstance(log, Sequence) and not isinstance(log, str)
    logs: list[Log] = list(log) if several else [log]  # type: ignore[list-item,arg-type]
    numbers = free_numbers(scenario, free)
    offsets = offset_numbers(len(logs), time_offset) if time_offset is not None else ()
    read = [run.flight for run in compare_with_logs(scenario, logs, log_format=log_format).runs]
    search = FitSearch(scenario, numbers, read, offsets, progress)
    best = search.best(starts, seed)
    fitted, alike = intervals(search, best)
    rounded = {each.free.path: each.rounded for each in fitted[: len(numbers)]}
    return Fit(
        scenario=search.variant(rounded),
        numbers=fitted[: len(numbers)],
        offsets=fitted[len(numbers) :],
        alike=alike,
        residuals=pd.concat(
            [
                pd.DataFrame({"craft": each.craft, "axis": each.axis, "t": each.t, "off": each.off})
                for each in search.differences(best)
            ],
            ignore_index=True,
        ),
        spread=search.spread(best),
        timings=compare_timings(search, best, starts, seed) if timings else (),
        unit=scenario.arena.unit,
        before=search.root_mean_square(search.now),
    )
