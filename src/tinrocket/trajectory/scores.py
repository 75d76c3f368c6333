"""The state of the game beside the craft: scores and lives in every frame, and its end."""

import numpy as np
from numpy.typing import NDArray

from tinrocket.scenario.scenario import Scenario
from tinrocket.trajectory.columns import SCORE, EventColumns
from tinrocket.trajectory.frames import Frames


def game_columns(scenario: Scenario) -> list[str]:
    """Return the columns about the game: a score for each side, and lives."""
    lives = scenario.rounds is not None and scenario.rounds.lives is not None
    return [*(SCORE + side for side in scenario.sides), *(["lives"] if lives else [])]


def with_game(
    recorded: Frames, events: EventColumns, scenario: Scenario
) -> tuple[Frames, EventColumns]:
    """Fill the columns for scores and lives, and cut both where the game ends the run."""
    rounds = scenario.rounds
    restarts = events["frame"][events["kind"] == "restart"] + 1
    for side in scenario.sides:
        mine = (events["kind"] == "score") & (events["other"] == side)
        recorded.column(SCORE + side)[:] = _so_far(mine, events, recorded, restarts)
    if rounds is not None and rounds.lives is not None:
        lost = _so_far(events["kind"] == "life_lost", events, recorded, restarts)
        recorded.column("lives")[:] = rounds.lives - lost
    over = events["frame"][events["kind"] == "over"]
    if rounds is None or rounds.at_end != "end" or not over.size:
        return recorded, events
    last = int(over[0]) + 1
    in_game = events["frame"] < last
    return recorded.until(last), {name: column[in_game] for name, column in events.items()}


def _so_far(
    chosen: NDArray[np.bool_],
    events: EventColumns,
    recorded: Frames,
    restarts: NDArray[np.int64],
) -> NDArray[np.float64]:
    """Return the running sum of counts; an event counts from the end of its frame.

    A restart resets the sum.
    """
    length = int(recorded.index.max()) + 1
    happened = np.bincount(
        np.minimum(events["frame"][chosen] + 1, length - 1),
        weights=events["count"][chosen],
        minlength=length,
    )
    total = happened.cumsum()
    before = np.zeros(length)  # the sum at the last restart
    for frame in np.minimum(restarts, length - 1):
        before[frame:] = total[frame]
    so_far: NDArray[np.float64] = (total - before)[recorded.index]
    return so_far
