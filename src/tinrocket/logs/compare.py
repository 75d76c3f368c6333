"""Compare logs of a game with each other, and with the scenario that models the game."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

import numpy as np
import pandas as pd

from tinrocket.comparison.compare import TOLERANCE, check_tolerance
from tinrocket.comparison.comparison import Comparison
from tinrocket.comparison.run import BlownUp, Run
from tinrocket.errors import FlightError, OptionError, UnknownNameError, expect, nearest
from tinrocket.logs.log_format import LogFormat
from tinrocket.logs.matching import Tells, match_told
from tinrocket.logs.pace import clock_of, first_motion, like, moved_by, off_by_a_frame
from tinrocket.logs.read import look_at_log, read_log
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.vary import Vary, combinations, label
from tinrocket.texts import some_of
from tinrocket.trajectory.bodies import bodies_of
from tinrocket.trajectory.simulate import simulate
from tinrocket.trajectory.trajectory import Trajectory

Log = Path | str | pd.DataFrame | Trajectory
Logs = Sequence[Log] | Mapping[str, Log]

SHORT = 2.5
"""Number of frames by which a log must end before another to count as shorter."""


@dataclass(frozen=True, slots=True)
class _Log:
    """A log, and the kinds of events that it records."""

    flight: Trajectory
    tells: Tells

    def noting(self, *notes: str) -> "_Log":
        """Return the log with further notes."""
        if not notes:
            return self
        every = [*self.flight.warnings, *(f"{self.flight.clock}: {note}" for note in notes)]
        return replace(self, flight=replace(self.flight, make_doubts=partial(list, every)))


def compare_logs(
    logs: Logs,
    against: str | None = None,
    log_format: LogFormat | None = None,
    tolerance: float = TOLERANCE,
) -> Comparison:
    """Compare logs of one game at several frame rates with each other.

    Events are compared if both logs print any.  A craft that is in one log alone makes the outcome
    different.

    Parameters
    ----------
    logs
        Files, tables or trajectories, or a mapping from names to these.
    against
        Name of the reference (default: the first log).
    log_format
        How the logs are read; see `LogFormat`.
    tolerance
        Largest distance that still counts as the same [px].

    Raises
    ------
    OptionError
        If there are fewer than two logs, or they have no craft in common.
    FileError, TrajectoryError
        If a log cannot be read.
    UnknownNameError
        If no log has the name of the reference.

    Examples
    --------
    >>> import pandas as pd
    >>> logs = {
    ...     "30 fps": pd.DataFrame({"t": [0.0, 0.1, 0.2], "x": [0, 5, 10], "y": 0}),
    ...     "60 fps": pd.DataFrame({"t": [0.0, 0.1, 0.2], "x": [0, 5, 12], "y": 0}),
    ... }
    >>> tr.compare_logs(logs, tolerance=1.0).agrees
    False
    """
    check_tolerance(tolerance, "px")
    read = _read(logs, log_format or LogFormat())
    if len(read) < 2:
        raise OptionError("one log cannot be compared with itself; give two or more")
    names = [log.flight.title for log in read]
    chosen = Path(against).stem if against is not None else names[0]
    if chosen not in names:
        raise UnknownNameError(f"there is no log '{chosen}'{nearest(chosen, names)}")
    reference = read[names.index(chosen)]
    runs = []
    for log in read:
        if log is reference:
            continue
        until = min(log.flight.duration, reference.flight.duration)
        noted = log.noting(*_shorter(log.flight, reference.flight.duration, reference.flight.clock))
        noted = noted.noting(*_shorter(reference.flight, log.flight.duration, "this log"))
        late = 1.0 / min(log.flight.rate, reference.flight.rate)
        run = _run("", noted, reference.flight, reference.tells, late, until)
        hint = off_by_a_frame(run, tolerance, both=True)
        if hint:
            noted = noted.noting(*hint)
            run = _run("", noted, reference.flight, reference.tells, late, until)
        runs.append(run)
    return Comparison(
        title="Logs",
        reference_name=f"the log {reference.flight.clock}",
        runs=tuple(runs),
        tolerance=tolerance,
        duration=max(run.until for run in runs),
        against="log",
    )


def compare_with_logs(
    scenario: Scenario,
    logs: Logs,
    vary: Vary | None = None,
    log_format: LogFormat | None = None,
    tolerance: float = TOLERANCE,
) -> Comparison:
    """Measure the drift of logs of the real game from a scenario that models it.

    Each log is compared with the scenario flown on the log's own frames; if it records which keys
    were down, with those instead of the scenario's tape.  Events are compared by
    kind and craft, for the kinds that the log records.

    Parameters
    ----------
    scenario
        The scenario that models the game.
    logs
        Files, tables or trajectories; of a mapping, by their names.
    vary
        Values for dotted paths; every combination is measured.
    log_format, tolerance
        See `compare_logs`.

    Raises
    ------
    OptionError
        If a log and the scenario have no craft in common.

    Examples
    --------
    >>> rocket = tr.read_demo("rocket")
    >>> log = tr.simulate(rocket, rate=60)
    >>> tr.compare_with_logs(rocket, [log]).agrees
    True
    """
    expect(scenario, Scenario, "compare_with_logs()", "read one with read_scenario('file.toml')")
    check_tolerance(tolerance, scenario.arena.unit)
    reading = _as_in(scenario, log_format or LogFormat())
    mirror = None
    if reading.y_up is not None and reading.y_up != (scenario.arena.y_axis == "up"):
        mirror = scenario.arena.height
    read = [
        replace(
            log,
            flight=replace(
                log.flight,
                arena=scenario.arena,
                bodies=bodies_of(scenario),
                obstacles=scenario.obstacle,
            ),
        ).noting(*_shorter(log.flight, scenario.duration, "the scenario"))
        for log in _read(logs, reading, mirror)
    ]
    runs: list[Run] = []
    blown_up: list[BlownUp] = []
    for changed, variant in combinations(scenario, vary):
        for log in read:
            flight = log.flight
            if reading.align == "motion" and not _keyed(variant, flight):
                flight = moved_by(flight, first_motion(simulate(variant, rate=flight.rate)))
            try:
                model = simulate(like(variant, flight), clock=clock_of(flight))
            except FlightError as error:
                blown_up.append(BlownUp(label(changed), flight.clock, flight.rate, error))
                continue
            late = max(1.0 / scenario.tuned_at, 1.0 / flight.rate)
            shown = replace(log, flight=flight)
            run = _run(label(changed), shown, model, Tells(), late, flight.duration)
            hint = off_by_a_frame(run, tolerance) if reading.align == "start" else ()
            if hint:
                shown = shown.noting(*hint)
                run = _run(label(changed), shown, model, Tells(), late, flight.duration)
            runs.append(run)
    if not runs:
        raise blown_up[0].error
    return Comparison(
        title=scenario.title,
        reference_name="the scenario, flown on the frames of each log",
        runs=tuple(runs),
        tolerance=tolerance,
        duration=max(run.flight.duration for run in runs),
        arena=scenario.arena,
        against="model",
        scenario=scenario,
        blown_up=tuple(blown_up),
    )


def _as_in(scenario: Scenario, reading: LogFormat) -> LogFormat:
    """Return the format of logs, completed with the scenario's wraps and direction of y."""
    return replace(
        reading,
        wrap_x=reading.wrap_x or scenario.arena.seam("x"),
        wrap_y=reading.wrap_y or scenario.arena.seam("y"),
        guesses_wraps=scenario.flown_by is not None
        or any(scenario.arena_of(craft).seam(axis) for craft in scenario.craft for axis in AXES),
        craft=scenario.fleet.names[0],
    )


def _keyed(scenario: Scenario, flight: Trajectory) -> bool:
    """Return whether a log records the keys that a scenario listens to."""
    return like(scenario, flight).tape is not scenario.tape


def _shorter(flight: Trajectory, duration: float, whose: str) -> tuple[str, ...]:
    if duration - flight.duration <= SHORT / flight.rate:
        return ()
    return (
        (
            f"ends at {flight.duration:.2f} s, and {whose} goes on until "
            f"{duration:.2f} s; the rest is not compared"
        ),
    )


def _run(
    variant: str, log: _Log, reference: Trajectory, tells: Tells, late: float, until: float
) -> Run:
    """Pair a log with its reference: the craft and the kinds of events that both have."""
    shown = log
    both = [name for name in log.flight.craft if name in reference.craft]
    if not both and len(log.flight.craft) == 1 and len(reference.craft) == 1:
        shown = replace(log, flight=_renamed(log.flight, reference.craft[0]))
        both = [reference.craft[0]]
    if not both:
        raise OptionError(
            f"'{log.flight.clock}' and its reference have no craft in common: it records "
            f"{some_of(log.flight.craft)}, the reference {some_of(reference.craft)}"
        )
    flight = shown.flight
    more = [name for name in flight.craft if name not in both]
    if more:
        shown = shown.noting(
            f"{_some(more)} {'is' if len(more) == 1 else 'are'} not in the "
            f"reference, and not compared"
        )
        flight = shown.flight.with_craft(both)
    lack = [name for name in reference.craft if name not in both]
    pooled = {name for name in lack if reference.compared_by_events(name)}
    if set(lack) - pooled:
        named = [name for name in lack if name not in pooled]
        flight = (
            replace(shown, flight=flight)
            .noting(f"does not record {_some(named)}, which is therefore not compared")
            .flight
        )
    matched, notes = match_told((flight, shown.tells), (reference, tells), both, late, until)
    flight = replace(shown, flight=flight).noting(*notes).flight
    return Run(variant, flight.clock, flight.rate, flight, reference, matched, until)


def _some(names: Sequence[str]) -> str:
    listed = ", ".join(f"'{name}'" for name in names[:4])
    return listed if len(names) <= 4 else f"{listed} and {len(names) - 4} more"


def _read(logs: Logs, reading: LogFormat, mirror: float | None = None) -> list[_Log]:
    """Return all logs as trajectories by unique names."""
    named = logs.items() if isinstance(logs, Mapping) else ((None, log) for log in logs)
    logs_read: list[_Log] = []
    for name, source in named:
        log = _one(source, reading, mirror)
        flight = log.flight
        if name is not None:
            flight = replace(flight, title=str(name), clock=str(name))
        again = 1 + sum(flight.clock.partition(" (")[0] == read.flight.clock for read in logs_read)
        if again > 1:
            twin = f" ({again})"
            flight = replace(flight, title=flight.title + twin, clock=flight.clock + twin)
        logs_read.append(replace(log, flight=flight))
    return logs_read


def _one(source: Log, reading: LogFormat, mirror: float | None) -> _Log:
    if isinstance(source, Trajectory):
        return _Log(source, Tells())
    if not isinstance(source, pd.DataFrame):
        flight = read_log(source, reading)
        if flight.arena is not None or Path(source).suffix == ".parquet":
            return _Log(flight, Tells())
    read = look_at_log(source, reading, mirror)
    kinds = None if read.log.events is None else frozenset(map(str, read.flight.happened["kind"]))
    return _Log(read.flight, Tells(kinds, said=True))


def _renamed(flight: Trajectory, name: str) -> Trajectory:
    """Return a flight of one craft under another name."""
    old = flight.craft[0]
    happened = dict(flight.happened)
    happened["craft"] = np.where(happened["craft"] == old, name, happened["craft"])
    seams = {name: flight.seams[old]} if old in flight.seams else {}
    recorded = replace(flight.recorded, craft=(name,))
    return replace(flight, recorded=recorded, make_events=partial(dict, happened), seams=seams)
