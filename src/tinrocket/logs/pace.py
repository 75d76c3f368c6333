"""Fly a scenario for comparison with a log: with the frames, keys and start of the log."""

from collections.abc import Collection
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from tinrocket.comparison.drift import measure_drift
from tinrocket.comparison.run import Run
from tinrocket.logs.read import motion_of
from tinrocket.logs.times import LONG
from tinrocket.scenario.clock import Clock
from tinrocket.scenario.scenario import Scenario
from tinrocket.scenario.tape import Tape
from tinrocket.trajectory.columns import ACTION
from tinrocket.trajectory.trajectory import Trajectory

Floats = NDArray[np.float64]

STEADY = 1e-7
"""Difference up to which frames count as those of a whole rate [s]."""
BETTER = 0.1
"""Ratio of two distances below which one is a better match."""


def frames_before(flight: Trajectory) -> tuple[Floats, NDArray[np.int64]]:
    """Return the moments of a log's rows, and the number of frames of the game before each.

    Frames that were not printed are counted by their numbers; those before a late first row are
    as long as the others.
    """
    name = flight.craft[0]
    rows = flight.recorded.rows(name)
    t, number = flight.track(name)["t"], flight.recorded.index[rows]
    many = np.diff(number, prepend=number[0])
    if t[0] > 0.0:
        usual = float(np.median(np.diff(t) / many[1:]))
        many[0] = max(round(float(t[0]) / usual), 1) if t[0] > LONG * usual else 1
    return t, many


def clock_of(flight: Trajectory, *, from_first_row: bool = False) -> Clock:
    """Return the frames of a flight as a captured clock.

    They begin at 0 although the flight may begin later; or, `from_first_row`, with the frame after
    the first row that is not at 0.
    """
    each = _lengths(flight)
    if from_first_row:
        each = each[1:]
    rate = 1.0 / float(np.median(each))
    whole = round(rate)
    if whole > 0 and np.abs(np.cumsum(each) - np.arange(1, each.size + 1) / whole).max() < STEADY:
        return Clock(rate=float(whole))  # a rate, without accumulated rounding
    return Clock(name=flight.clock, frame_times=tuple(each.tolist()))


def _lengths(flight: Trajectory) -> Floats:
    """Return the length of each frame of the game [s], unprinted frames included."""
    t, many = frames_before(flight)
    lengths = np.diff(t, prepend=0.0)
    some = many > 0
    return (lengths[some] / many[some]).repeat(many[some])


def like(scenario: Scenario, flight: Trajectory) -> Scenario:
    """Return a scenario with the length of a flight and, if it has its keys, those as its tape."""
    length: dict[str, object] = {"duration": flight.duration}
    tape = _tape_in_frames(flight, scenario.actions)
    if tape is None:
        return scenario.replaced(**length)
    whole = tape.replaced(sampling=scenario.tape.sampling, pointers=scenario.tape.pointers)
    return scenario.replaced(**(length | {"tape": whole}))


def records_keys(flight: Trajectory) -> bool:
    """Return whether a flight has a column of any action."""
    return any(name.startswith(ACTION) for name in flight.track(flight.craft[0]))


def tape_of_log(flight: Trajectory, actions: Collection[str] | None = None) -> Tape | None:
    """Return the keys that a log records as a tape in seconds, or None if it has none.

    Parameters
    ----------
    flight
        A log; see `read_log`.
    actions
        Actions to read (default: all).

    Examples
    --------
    >>> tape = tr.tape_of_log(tr.simulate(tr.read_demo("rocket")))
    >>> sorted(tape.holds)
    ['left', 'right', 'thrust']
    """
    counted = _tape_in_frames(flight, actions)
    if counted is None:
        return None
    moments = np.concatenate([[0.0], np.cumsum(_lengths(flight))]).tolist()

    def at(frames: object) -> float:
        return float(moments[int(str(frames).split(maxsplit=1)[0])])

    return Tape(
        holds={key: tuple((at(a), at(b)) for a, b in held) for key, held in counted.holds.items()},
        values={
            key: tuple((at(a), v) for a, v in changes) for key, changes in counted.values.items()
        },
    )


def _tape_in_frames(flight: Trajectory, actions: Collection[str] | None) -> Tape | None:
    """Return the keys that a log records as a tape that counts the log's frames.

    A game prints the keys of a frame beside the places after it, so keys are down from the
    beginning of the frame. A flight recorded by this library has the keys of the frame that begins
    at a row.
    """
    track = flight.track(flight.craft[0])
    columns = [name for name in track if name.startswith(ACTION)]
    if actions is not None:
        columns = [name for name in columns if name.removeprefix(ACTION) in actions]
    if not columns:
        return None
    _t, many = frames_before(flight)
    ends = np.cumsum(many)
    begins = ends - many
    skipped = 0 if many[0] > 0 else 1  # no frame comes before the first row
    begins = np.append(begins[skipped:], ends[-1])
    if not flight.keys_led:
        skipped, begins = 0, ends
    holds, values = {}, {}
    for column in columns:
        action, down = column.removeprefix(ACTION), track[column][skipped:]
        down = down if flight.keys_led else down[:-1]  # no frame begins at the last row
        changes = np.flatnonzero(np.diff(down, prepend=0.0, append=0.0)).tolist()
        if set(down.tolist()) <= {0.0, 1.0}:
            frames = [f"{int(begins[row])} frames" for row in changes]
            holds[action] = tuple(zip(frames[::2], frames[1::2], strict=True))
        else:
            last = len(down)
            values[action] = tuple(
                (f"{int(begins[row])} frames", float(down[row])) for row in changes if row < last
            )
    return Tape(holds=holds, values=values)


def first_motion(flight: Trajectory) -> float:
    """Return the moment before which nothing has moved [s]; 0 if nothing ever does."""
    moments = [moment for name in flight.craft for moment in motion_of(flight.track(name))]
    return min(moments, default=0.0)


def moved_by(flight: Trajectory, later: float) -> Trajectory:
    """Return a flight that begins later by some time [s]."""
    if later == 0.0:
        return flight
    recorded = flight.recorded
    block = recorded.block.copy()
    block[recorded.names.index("t")] += later
    happened = dict(flight.happened)
    happened["t"] = happened["t"] + later
    return replace(
        flight,
        recorded=replace(recorded, block=block),
        make_events=lambda: happened,
    )


def off_by_a_frame(run: Run, tolerance: float, *, both: bool = False) -> tuple[str, ...]:
    """Return a hint if a log fits its reference far better a frame earlier or later.

    With `both`, each of two logs is moved by its own frame.
    """
    craft, far = run.farthest
    if not craft or far <= tolerance:
        return ()
    name = next(drift.craft for family, drift in run.drifts.items() if drift and family == craft)
    frame = 1.0 / run.rate
    for later, row in ((frame, "end"), (-frame, "start")):
        own = np.sign(later) / run.reference.rate if both else 0.0
        reference = moved_by(run.reference, float(own))
        shifted = measure_drift(moved_by(run.flight, later), reference, name, run.until - frame)
        if shifted.largest < BETTER * far:
            when = "the end of the first frame" if row == "end" else "the start"
            return (
                (
                    f"fits {_times(far, shifted.largest)} if its first row is "
                    f"{when}; set --first-row {row}"
                ),
            )
    return ()


def _times(far: float, near: float) -> str:
    """Return how much better a log fits: exactly, or by a factor."""
    return "exactly" if near < 1e-6 * far else f"{far / near:.0f} times better"
