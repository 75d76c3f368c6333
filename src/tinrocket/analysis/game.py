"""The state of the game beside the craft: scores and lives in every frame, and its end."""

from dataclasses import replace

import numpy as np
import pandas as pd

from tinrocket.analysis.trajectory import SCORE, Trajectory
from tinrocket.scenario.scenario import Scenario


def with_game(flight: Trajectory, scenario: Scenario) -> Trajectory:
    """Return a flight with columns for scores and lives, cut where the game ends the run."""
    rounds = scenario.rounds
    if not scenario.sides and rounds is None:
        return flight
    frames, events = flight.frames.copy(), flight.events
    restarts = events["frame"][events["kind"] == "restart"].to_numpy() + 1
    for side in scenario.sides:
        mine = events[(events["kind"] == "score") & (events["other"] == side)]
        frames[SCORE + side] = _so_far(mine, frames, restarts)
    if rounds is not None and rounds.lives is not None:
        lost = events[events["kind"] == "life_lost"]
        frames["lives"] = rounds.lives - _so_far(lost, frames, restarts)
    over = events[events["kind"] == "over"]
    if rounds is None or rounds.at_end != "end" or over.empty:
        return replace(flight, frames=frames)
    last = int(over["frame"].iloc[0]) + 1
    kept = events[events["frame"] < last]
    return replace(flight, frames=frames[frames.index <= last], make_events=lambda: kept)


def _so_far(events: pd.DataFrame, frames: pd.DataFrame, restarts: np.ndarray) -> np.ndarray:
    """Return the sum of counts up to each frame; what happens in one is seen at its end.

    It begins anew in the frames in which everything does.
    """
    length = int(frames.index.max()) + 1
    happened = np.bincount(
        np.minimum(events["frame"].to_numpy() + 1, length - 1),
        weights=events["count"].to_numpy(),
        minlength=length,
    )
    total = happened.cumsum()
    before = np.zeros(length)  # what counted until the last restart
    for frame in np.minimum(restarts, length - 1):
        before[frame:] = total[frame]
    so_far: np.ndarray = (total - before)[frames.index]
    return so_far
