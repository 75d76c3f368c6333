"""Logs of a game beside each other, and beside the scenario that is to be like it."""

from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path

import numpy as np
import pandas as pd

from tinrocket.analysis.bodies import bodies_of
from tinrocket.analysis.columns import ACTION
from tinrocket.analysis.compare import TOLERANCE, check_tolerance
from tinrocket.analysis.comparison import Comparison
from tinrocket.analysis.frames import Frames
from tinrocket.analysis.run import BlownUp, Run
from tinrocket.analysis.simulate import simulate
from tinrocket.analysis.trajectory import Trajectory
from tinrocket.errors import FlightError, OptionError, UnknownNameError, expect, nearest
from tinrocket.logs.read import LogFormat, read_log
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.tape import Tape
from tinrocket.scenario.vary import Vary, combinations, label

Log = Path | str | pd.DataFrame | Trajectory
Logs = Sequence[Log] | Mapping[str, Log]


def compare_logs(
    logs: Logs,
    against: str | None = None,
    log_format: LogFormat | None = None,
    tolerance: float = TOLERANCE,
) -> Comparison:
    """Compare logs of one game at several frame rates with each other.

    Parameters
    ----------
    logs
        Files, tables or trajectories; of a mapping, by their names.
    against
        The name of the one that the others are compared with; the first if not given.
    log_format
        How they are to be read; see `LogFormat`.
    tolerance
        Largest distance that still counts as the same [px].

    Raises
    ------
    OptionError
        If there are fewer than two logs, or they have no craft in common.
    FileError, TrajectoryError
        If a log cannot be read.
    UnknownNameError
        If there is no log to compare with of that name.
    """
    check_tolerance(tolerance, "px")
    flights = _read(logs, log_format or LogFormat())
    if len(flights) < 2:
        raise OptionError("one log cannot be compared with itself; give two or more")
    names = [flight.title for flight in flights]
    chosen = Path(against).stem if against is not None else names[0]
    if chosen not in names:
        raise UnknownNameError(f"there is no log '{chosen}'{nearest(chosen, names)}")
    reference = flights[names.index(chosen)]
    others = [flight for flight in flights if flight is not reference]
    until = min(flight.duration for flight in flights)
    runs = [
        Run.of("", flight, reference, 1.0 / reference.rate, min(flight.duration, until))
        for flight in (_with_craft_of(flight, reference) for flight in others)
    ]
    return Comparison(
        title="Logs",
        reference_name=f"the log {reference.clock}",
        runs=tuple(runs),
        tolerance=tolerance,
        duration=until,
        against="log",
    )


def compare_with_logs(
    scenario: Scenario,
    logs: Logs,
    vary: Vary | None = None,
    log_format: LogFormat | None = None,
    tolerance: float = TOLERANCE,
) -> Comparison:
    """Measure by how much logs of the real game part from a scenario that is to be like it.

    Each log is compared with the scenario flown on the log's own frames; if it says which keys
    were down, with those instead of the scenario's tape.

    Parameters
    ----------
    scenario
        What is to be like the game.
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
    """
    expect(scenario, Scenario, "compare_with_logs()", "read one with read_scenario('file.toml')")
    check_tolerance(tolerance, scenario.arena.unit)
    reading = log_format or LogFormat()
    told = {"x": reading.wrap_x, "y": reading.wrap_y}
    for axis in ("x", "y"):
        told[axis] = told[axis] or scenario.arena.seam(axis)
    reading = replace(
        reading,
        wrap_x=told["x"],
        wrap_y=told["y"],
        craft=scenario.fleet.names[0],
        y_up=scenario.arena.y_axis == "up",
    )
    flights = [
        replace(
            flight,
            arena=scenario.arena,
            bodies=bodies_of(scenario),
            obstacles=scenario.obstacle,
        )
        for flight in _read(logs, reading)
    ]
    runs: list[Run] = []
    blown_up: list[BlownUp] = []
    for changed, variant in combinations(scenario, vary):
        for flight in flights:
            try:
                model = simulate(like(variant, flight), clock=clock_of(flight))
            except FlightError as error:
                blown_up.append(BlownUp(label(changed), flight.clock, flight.rate, error))
                continue
            shown = _with_craft_of(flight, model)
            late = 1.0 / scenario.tuned_at
            runs.append(Run.of(label(changed), shown, model, late, flight.duration))
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


def clock_of(flight: Trajectory) -> Clock:
    """Return the frames of a flight as a captured clock; from 0 on, if it begins later."""
    t = flight.of(flight.craft[0])["t"].to_numpy()
    lengths = np.diff(t, prepend=0.0) if t[0] > 0.0 else np.diff(t)
    return Clock(name=flight.clock, frame_times=tuple(lengths.tolist()))


def like(scenario: Scenario, flight: Trajectory) -> Scenario:
    """Return a scenario with the length of a flight and, if it has its keys, those as its tape.

    What a game prints in a frame are the keys of that frame, which led to the places beside
    them; so they are down from when the frame began.
    """
    track = flight.track(flight.craft[0])
    actions = [name for name in track if name.removeprefix(ACTION) in scenario.actions]
    length: dict[str, object] = {"duration": flight.duration}
    if not actions:
        return scenario.model_copy(update=length)
    skipped = 0 if float(track["t"][0]) > 0.0 else 1  # without a frame that led there
    holds, values = {}, {}
    for column in actions:
        action, down = column.removeprefix(ACTION), track[column][skipped:]
        changes = np.flatnonzero(np.diff(down, prepend=0.0, append=0.0)).tolist()
        if set(down) <= {0.0, 1.0}:
            frames = [f"{frame} frames" for frame in changes]
            holds[action] = tuple(zip(frames[::2], frames[1::2], strict=True))
        else:
            last = len(down)
            values[action] = tuple((f"{n} frames", float(down[n])) for n in changes if n < last)
    tape = Tape(
        sampling=scenario.tape.sampling,
        holds=holds,
        values=values,
        pointers=scenario.tape.pointers,
    )
    return scenario.model_copy(update=length | {"tape": tape})


def _read(logs: Logs, reading: LogFormat) -> list[Trajectory]:
    """Return all logs as trajectories, each under a name of its own."""
    named = logs.items() if isinstance(logs, Mapping) else ((None, log) for log in logs)
    flights: list[Trajectory] = []
    for name, log in named:
        flight = log if isinstance(log, Trajectory) else read_log(log, reading)
        if name is not None:
            flight = replace(flight, title=str(name), clock=str(name))
        again = 1 + sum(flight.clock.partition(" (")[0] == one.clock for one in flights)
        if again > 1:
            twin = f" ({again})"
            flight = replace(flight, title=flight.title + twin, clock=flight.clock + twin)
        flights.append(flight)
    return flights


def _with_craft_of(flight: Trajectory, reference: Trajectory) -> Trajectory:
    """Return a flight with those of its craft that the reference has too."""
    both = [name for name in flight.craft if name in reference.craft]
    if not both:
        raise OptionError(
            f"'{flight.clock}' tells of {', '.join(flight.craft)}, and the reference of "
            f"{', '.join(reference.craft)}: they have no craft in common"
        )
    if len(both) == len(flight.craft):
        return flight
    frames = flight.frames[flight.frames["craft"].isin(both)].copy()
    frames["craft"] = frames["craft"].cat.remove_unused_categories()
    return replace(flight, recorded=Frames.from_table(frames))
