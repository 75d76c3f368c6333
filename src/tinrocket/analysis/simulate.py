"""Fly a scenario and hand back what happened as tables."""

import numpy as np
import pandas as pd

from tinrocket.analysis.trajectory import ACTION, EVENT_COLUMNS, Seams, Trajectory
from tinrocket.core import layout
from tinrocket.core.flight import Recording, record
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
        raise _explained(scenario, recording, frames)
    return Trajectory(
        frames=_frames_table(scenario, recording, frames, inputs),
        events=_events_table(scenario, recording, frames, lost),
        seams=Seams(_seam(scenario, "x"), _seam(scenario, "y")),
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


def _explained(scenario: Scenario, recording: Recording, frames: Pacing) -> FlightError:
    assert recording.failure is not None
    failure = recording.failure
    rules = [rule for craft in scenario.craft for rule in craft.rules]
    return FlightError(
        scenario.craft[failure.craft].name,
        rules[failure.rule].label,
        failure.frame,
        float(frames.times[failure.frame]),
    )


def _seam(scenario: Scenario, axis: str) -> tuple[float, float] | None:
    edge = scenario.arena.edges.left if axis == "x" else scenario.arena.edges.top
    return scenario.bounds(scenario.craft[0], axis) if edge.kind == "wrap" else None


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
        seam = _seam(scenario, axis)
        if seam is not None:
            paths[axis] = path + laps[axis] * (seam[1] - seam[0])
    data = {
        "frame": np.tile(np.arange(length), count),
        "t": np.tile(frames.times, count),
        "craft": pd.Categorical.from_codes(
            np.repeat(np.arange(count), length), [craft.name for craft in scenario.craft]
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
    sides = ("left", "right", "top", "bottom") if down else ("left", "right", "bottom", "top")
    rows: list[dict[str, object]] = []
    for event in recording.events:
        frame = int(event[layout.EVENT_FRAME])
        begin, end = frames.times[frame], frames.times[frame + 1]
        side = sides[int(event[layout.EVENT_SIDE])]
        rows.append(
            {
                "t": begin + event[layout.EVENT_FRACTION] * (end - begin),
                "kind": getattr(scenario.arena.edges, side).kind,
                "craft": scenario.craft[int(event[layout.EVENT_CRAFT])].name,
                "edge": side,
                "action": "",
                "x": event[layout.EVENT_X],
                "y": event[layout.EVENT_Y],
                "speed": event[layout.EVENT_SPEED],
                "count": int(event[layout.EVENT_COUNT]),
                "frame": frame,
            }
        )
    for t, action in lost:
        frame = int(np.searchsorted(frames.times, t, side="right")) - 1
        rows.append({"t": t, "kind": "lost_tap", "action": action, "count": 1, "frame": frame})
    table = pd.DataFrame(rows, columns=EVENT_COLUMNS).astype(
        {"t": float, "x": float, "y": float, "speed": float, "count": int, "frame": int}
    )
    texts = ["kind", "craft", "edge", "action"]
    table[texts] = table[texts].fillna("").astype(str)
    return table.sort_values("t", kind="stable", ignore_index=True)
