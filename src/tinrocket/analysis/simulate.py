"""Fly a scenario and hand back what happened as tables."""

import numpy as np
import pandas as pd

from tinrocket.analysis.trajectory import ACTION, Trajectory
from tinrocket.core import layout
from tinrocket.core.flight import Failure, Recording, record
from tinrocket.core.lower import Heading, lower, lower_clock, lower_tape
from tinrocket.core.pacing import Pacing
from tinrocket.errors import FlightError, OptionError
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario

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
    recording = record(lower(scenario), frames.steps, inputs[:-1])
    if recording.failure is not None:
        raise _explained(scenario, recording.failure, frames)
    return Trajectory(
        frames=_frames_table(scenario, recording, frames, inputs),
        events=_events_table(scenario, recording, frames, lost),
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
    scenario: Scenario, recording: Recording, frames: Pacing, inputs: np.ndarray
) -> pd.DataFrame:
    count, length = len(scenario.craft), frames.times.size

    def column(index: int) -> np.ndarray:
        return recording.states[:, index].reshape(-1)

    x, y, vx, vy = (column(index) for index in (layout.X, layout.Y, layout.VX, layout.VY))
    laps = {"x": column(layout.LAPS_X), "y": column(layout.LAPS_Y)}
    paths = {"x": x, "y": y}
    for axis, path in paths.items():
        seam = scenario.arena.seam(axis)
        if seam is not None:
            paths[axis] = path + laps[axis] * (seam[1] - seam[0])
    data = {
        "frame": np.tile(np.arange(length), count),
        "t": np.tile(frames.times, count),
        "craft": pd.Categorical.from_codes(
            np.repeat(np.arange(count), length), pd.Index([craft.name for craft in scenario.craft])
        ),
        "x": x,
        "y": y,
        "x_unwrapped": paths["x"],
        "y_unwrapped": paths["y"],
        "vx": vx,
        "vy": vy,
        "speed": np.hypot(vx, vy),
        "heading": Heading.of(scenario.arena).to_degrees(column(layout.HEADING)),
        "laps_x": laps["x"],
        "laps_y": laps["y"],
    }
    for index, action in enumerate(scenario.actions, start=1):
        data[ACTION + action] = np.tile(inputs[:, index], count)
    return pd.DataFrame(data)


def _events_table(
    scenario: Scenario, recording: Recording, frames: Pacing, lost: list[tuple[float, str]]
) -> pd.DataFrame:
    down = scenario.arena.y_axis == "down"
    edges = np.array(
        ("left", "right", "top", "bottom") if down else ("left", "right", "bottom", "top")
    )
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
