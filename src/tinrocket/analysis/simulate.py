"""Fly a scenario and hand back what happened as tables."""

from functools import lru_cache

import numpy as np
import pandas as pd

from tinrocket.analysis.trajectory import ACTION, FRAME_COLUMNS, Trajectory, magnitude
from tinrocket.core import layout
from tinrocket.core.flight import Failure, Recording, record
from tinrocket.core.lower import Heading, lower, lower_clock, lower_tape
from tinrocket.core.pacing import Pacing
from tinrocket.errors import FlightError, OptionError
from tinrocket.scenario.arena import AXES
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario

NUMBERS = FRAME_COLUMNS[1:]  # all but the craft
RECORDED = slice(NUMBERS.index("x"), NUMBERS.index("x") + layout.RECORD_WIDTH)
"""Where the columns stand that the core fills, in the order of its state."""

MOST_FRAMES = 20_000_000
"""Frames times craft that one recording may hold; more would not fit into memory."""


def simulate(
    scenario: Scenario, rate: float | None = None, clock: Clock | None = None
) -> Trajectory:
    """Fly a scenario once.

    Parameters
    ----------
    scenario
        What to fly.
    rate
        Frames per second, instead of the clock's.
    clock
        How frames are paced, instead of the scenario's own clock.

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
    """
    if rate is not None and clock is not None:
        raise OptionError("give a rate or a clock, not both")
    clock = resolved_clock(scenario, clock if rate is None else scenario.clock.at_rate(rate))
    frames = frames_of(scenario, clock)
    inputs, lost = lower_tape(scenario, frames.times)
    # one block for all numbers, because pandas takes it as it is
    shape = len(NUMBERS) + len(scenario.actions), len(scenario.craft), frames.times.size
    block = np.empty(shape)
    recording = record(lower(scenario), frames.steps, inputs[:-1], block[RECORDED])
    if recording.failure is not None:
        raise _explained(scenario, recording.failure, frames)
    return Trajectory(
        frames=_frames_table(scenario, block, frames, inputs),
        make_events=lambda: _events_table(scenario, recording, frames, lost),
        arena=scenario.arena,
        title=scenario.title,
        clock=clock.describe(),
        rate=clock.rate or frames.steps.size / float(frames.times[-1]),
    )


def resolved_clock(scenario: Scenario, clock: Clock | None) -> Clock:
    """Return a clock, by default the scenario's, with the tuned rate where it names none."""
    clock = clock or scenario.clock
    if clock.rate is None and clock.frame_times is None:
        return clock.at_rate(scenario.tuned_at)
    return clock


def frames_of(scenario: Scenario, clock: Clock) -> Pacing:
    """Return the frames of a run; OptionError if they are too many to record."""
    if clock.frame_times is not None:
        rate = len(clock.frame_times) / sum(clock.frame_times)
    else:
        rate = clock.rate or scenario.tuned_at
    if scenario.duration * rate * len(scenario.craft) > MOST_FRAMES:
        raise OptionError(
            f"{scenario.duration:g} s at {rate:g} fps is too long to record; "
            f"at most {MOST_FRAMES:,} frames of all craft together"
        )
    return lower_clock(clock, scenario.tuned_at, scenario.duration)


def _explained(scenario: Scenario, failure: Failure, frames: Pacing) -> FlightError:
    rules = [rule for craft in scenario.craft for rule in craft.rules]
    return FlightError(
        scenario.craft[failure.craft].name,
        rules[failure.rule].label,
        failure.frame,
        float(frames.times[failure.frame]),
    )


def _frames_table(
    scenario: Scenario, block: np.ndarray, frames: Pacing, inputs: np.ndarray
) -> pd.DataFrame:
    """Fill what the core did not fill of the block, and make it a table."""
    _width, count, length = block.shape
    names = [*NUMBERS, *(ACTION + action for action in scenario.actions)]
    column = dict(zip(names, block, strict=True))
    column["t"][:] = frames.times
    for axis in AXES:
        path = column[f"{axis}_unwrapped"]
        np.multiply(column[f"laps_{axis}"], scenario.arena.period(axis), out=path)
        path += column[axis]
    column["speed"][:] = magnitude(column["vx"], column["vy"])
    column["heading"][:] = Heading.of(scenario.arena).to_degrees(column["heading"])
    block[len(NUMBERS) :] = inputs.T[1:, None]
    numbered: pd.Index = pd.RangeIndex(length, name="frame")
    if count > 1:
        numbered = pd.Index(np.tile(numbered, count), name="frame")
    table = pd.DataFrame(
        block.reshape(len(names), -1).T, numbered, columns=range(1, len(names) + 1), copy=False
    )
    owners = np.repeat(np.arange(count, dtype=np.min_scalar_type(-count)), length)
    crafts = _labels(tuple(craft.name for craft in scenario.craft))
    owned = pd.Categorical.from_codes(owners, crafts, validate=False)
    table.insert(0, 0, owned)  # type: ignore[arg-type]  # the stubs do not know that it may be
    table.columns = _labels(("craft", *names))
    return table


@lru_cache
def _labels(names: tuple[str, ...]) -> "pd.Index[str]":
    """Return names as pandas keeps them; making these costs more than all the numbers do."""
    return pd.Index(names)


def _events_table(
    scenario: Scenario, recording: Recording, frames: Pacing, lost: list[tuple[float, str]]
) -> pd.DataFrame:
    edges = np.array([side for axis in AXES for side in scenario.arena.sides(axis)])
    kinds = np.array([getattr(scenario.arena.edges, edge).kind for edge in edges])
    names = np.array([craft.name for craft in scenario.craft])
    hits = recording.events
    frame = hits[:, layout.EVENT_FRAME].astype(np.int64)
    side = hits[:, layout.EVENT_SIDE].astype(np.int64)
    begins, ends = frames.times[frame], frames.times[frame + 1]
    none, nowhere = np.full(len(lost), ""), np.full(len(lost), np.nan)
    tapped = np.array([t for t, _action in lost])
    during = np.searchsorted(frames.times, tapped, side="right") - 1
    columns = {
        "t": (begins + hits[:, layout.EVENT_FRACTION] * (ends - begins), tapped),
        "kind": (kinds[side], np.full(len(lost), "lost_tap")),
        "craft": (names[hits[:, layout.EVENT_CRAFT].astype(np.int64)], none),
        "edge": (edges[side], none),
        "action": (np.full(len(hits), ""), np.array([action for _t, action in lost], dtype=str)),
        "x": (hits[:, layout.EVENT_X], nowhere),
        "y": (hits[:, layout.EVENT_Y], nowhere),
        "speed": (hits[:, layout.EVENT_SPEED], nowhere),
        "count": (hits[:, layout.EVENT_COUNT].astype(np.int64), np.ones(len(lost), np.int64)),
        "frame": (frame, during),
    }
    order = np.argsort(np.concatenate(columns["t"]), kind="stable")
    return pd.DataFrame({name: np.concatenate(parts)[order] for name, parts in columns.items()})
