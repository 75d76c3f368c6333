"""Fly a scenario, and return its trajectory."""

from collections.abc import Sequence
from functools import partial

import numpy as np
from numpy.typing import NDArray

from tinrocket.compile.build import plan_of
from tinrocket.compile.number_cells import Cells
from tinrocket.compile.plan import Plan
from tinrocket.errors import expect
from tinrocket.flight.pacing import Pacing
from tinrocket.flight.record import Progress, record
from tinrocket.flight.sampled_tape import SampledTape, sample_tape
from tinrocket.flight.shown import X, Y, shown_states
from tinrocket.motion.angles import Heading
from tinrocket.motion.body import ALWAYS_RECORDED
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.warnings import doubts
from tinrocket.trajectory.bodies import bodies_of
from tinrocket.trajectory.clocks import asked_clock, paced
from tinrocket.trajectory.columns import ACTION, FRAME_COLUMNS, RESOURCE
from tinrocket.trajectory.deferred import traced
from tinrocket.trajectory.event_table import event_columns
from tinrocket.trajectory.frames import Frames, frame_numbers
from tinrocket.trajectory.interpolate import magnitude
from tinrocket.trajectory.scores import game_columns, with_game
from tinrocket.trajectory.trajectory import Trajectory

Floats = NDArray[np.float64]

NUMBERS = FRAME_COLUMNS[1:]  # all but the craft
WHOLE = ["height", "alive"]
"""Columns that are recorded only if they can change, after the laps."""
RECORDED = NUMBERS.index("x")
"""First column that the core fills, in the order of its state."""
DERIVED = RECORDED + ALWAYS_RECORDED


def simulate(
    scenario: Scenario,
    rate: float | None = None,
    clock: Clock | None = None,
    progress: Progress | None = None,
) -> Trajectory:
    """Fly a scenario once.

    Parameters
    ----------
    scenario
        The scenario.
    rate
        Frames per second, instead of the clock's.
    clock
        Pacing of the frames, instead of the scenario's own clock.
    progress
        Called with how many steps are taken, and of how many, several times a second.

    Returns
    -------
    Trajectory
        The same to the bit for the same arguments.

    Raises
    ------
    OptionError
        If both `rate` and `clock` are given, or the run is too long to record.
    ScenarioError
        If the rate is not above zero.
    FlightError
        If the numbers blow up; names craft, rule, frame and time.

    Examples
    --------
    >>> flight = tr.simulate(tr.read_demo("rocket"), rate=144)
    >>> len(flight.frames)
    1585
    >>> round(float(flight.frames["speed"].max()), 1)
    330.0
    """
    expect(scenario, Scenario, "simulate()", "read one with read_scenario('file.toml')")
    paced_by = asked_clock("simulate", scenario, rate, clock)
    return fly(scenario, paced_by, progress)


def fly(
    scenario: Scenario,
    clock: Clock,
    progress: Progress | None = None,
    alike: Scenario | None = None,
) -> Trajectory:
    """Fly a scenario by a resolved clock: its rules by a plan, or the user's own code.

    `alike` is a scenario with a cached plan that differs only in tape, duration or clock.
    """
    if scenario.flown_by is not None:
        flight: Trajectory = scenario.flown_by(scenario, clock)
        return flight
    return flown(scenario, clock, plan_of(alike or scenario), progress=progress)


def flown(
    scenario: Scenario,
    clock: Clock,
    plan: Plan,
    begins: Sequence[Cells] = (),
    progress: Progress | None = None,
) -> Trajectory:
    """Fly a scenario by a plan of it, or of one that differs in tape, duration or clock alone.

    The plan must include every pointer of the tape.  `begins` are cells with other values before
    the first step: another start, without another plan.
    """
    pacing = paced(scenario, clock)
    seen = sample_tape(scenario, pacing)
    block, names = _block(scenario, plan, pacing)
    recorded = slice(RECORDED, names.index("x_unwrapped"))
    count = len(scenario.fleet)
    direct = pacing.one_step_a_frame and scenario.view is None
    # one block for all numbers, which pandas uses without copying
    states = block[recorded]
    if not direct:
        states = np.empty((len(states), plan.crafts, pacing.steps.size + 1))
    inputs = seen.columns(plan.raw)
    plain = plan.plain_because is not None
    happened, failure = record(
        plan, pacing, inputs, states, begins=begins, plain=plain, progress=progress
    )
    if failure is not None:
        frame = int(pacing.frame[failure.step])
        raise failure.error(plan, frame, float(pacing.times[frame]))
    if not direct:
        frames = shown_states(states, plan, pacing)
        block[recorded] = frames[:, :count]
        if scenario.view is not None:
            view = frames[[X, Y], count]
            block[names.index("view_x")] = view[0] - scenario.view.width / 2
            block[names.index("view_y")] = view[1] - scenario.view.height / 2
    flown = _frames(scenario, plan, block, names, pacing, seen)
    make_events = partial(event_columns, scenario, plan, happened, pacing, seen.lost)
    if game_columns(scenario) or scenario.rounds is not None:
        flown, events = with_game(flown, make_events(), scenario)
        make_events = partial(dict, events)
    return Trajectory(
        recorded=flown,
        make_events=make_events,
        arena=scenario.arena,
        title=scenario.title,
        clock=clock.describe(),
        rate=clock.rate or (pacing.times.size - 1) / float(pacing.times[-1]),
        bodies=bodies_of(scenario),
        obstacles=scenario.obstacle,
        passed=scenario.passed,
        view=(scenario.view.width, scenario.view.height) if scenario.view else None,
        make_doubts=partial(doubts, scenario, clock),
        make_trace=partial(traced, scenario, clock),
    )


def _block(scenario: Scenario, plan: Plan, pacing: Pacing) -> tuple[Floats, list[str]]:
    """Return an empty block of numbers, a row for each column of the table, and their names."""
    names = NUMBERS.copy()
    if plan.columns > ALWAYS_RECORDED:
        names[DERIVED:DERIVED] = [*WHOLE, *(RESOURCE + resource for resource in scenario.resources)]
    if pacing.shown is not pacing.times and not np.array_equal(pacing.shown, pacing.times):
        names.append("lag")
    if scenario.view is not None:
        names += ["view_x", "view_y"]
    names += [ACTION + action for action in scenario.actions] + game_columns(scenario)
    return np.empty((len(names), len(scenario.fleet), pacing.times.size)), names


def _frames(
    scenario: Scenario,
    plan: Plan,
    block: Floats,
    names: list[str],
    pacing: Pacing,
    seen: SampledTape,
) -> Frames:
    """Fill the columns of the block that the core does not fill."""
    _width, count, length = block.shape
    column = dict(zip(names, block, strict=True))
    column["t"][:] = pacing.times
    arenas = [scenario.arena_of(craft) for craft in scenario.craft]
    for axis in AXES:
        path, laps = column[f"{axis}_unwrapped"], column[f"wraps_{axis}"]
        for arena, rows in zip(arenas, scenario.fleet.rows, strict=True):
            np.multiply(laps[rows], arena.period(axis), out=path[rows])
        path += column[axis]
    if plan.unit != 1.0:  # speeds are flown per tuned frame, and recorded per second
        column["vx"] *= plan.unit
        column["vy"] *= plan.unit
    magnitude(column["vx"], column["vy"], column["speed"])
    Heading.of(scenario.arena).to_degrees(column["heading"], column["heading"])
    if "lag" in column:
        column["lag"][:] = pacing.times - pacing.shown
    if "alive" in column:  # a stopped craft is present too
        column["alive"][:] = column["alive"] != 0.0
    for name in scenario.resources:
        for craft, rows in zip(scenario.craft, scenario.fleet.rows, strict=True):
            if craft.resource(name) is None:
                column[RESOURCE + name][rows] = np.nan
    for action, values in seen.frames.items():
        column[ACTION + action][:] = values
    index = frame_numbers(length) if count == 1 else np.tile(frame_numbers(length), count)
    return Frames(
        scenario.fleet.names, (length,) * count, tuple(names), block.reshape(len(names), -1), index
    )
