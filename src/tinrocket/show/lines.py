"""The path of a craft as lines, with gaps at wraps, absences and relocations."""

import numpy as np
from matplotlib.axes import Axes
from matplotlib.patches import Rectangle
from numpy.typing import NDArray

from tinrocket.scenario.arena import AXES
from tinrocket.show.scene import Scene
from tinrocket.trajectory.frames import Track
from tinrocket.trajectory.trajectory import Trajectory

Floats = NDArray[np.float64]


def path_of(
    trajectory: Trajectory, craft: str, scene: Scene | None = None
) -> tuple[Floats, Floats]:
    """Return the shown path of a craft, with a gap at each wrap and absence.

    The frame in which a craft wraps is drawn twice, out of the arena at one side and into
    it at the other; what lies outside is for the caller to clip, see `clip_of`.
    """
    track = trajectory.track(craft)
    laps = np.column_stack([track["wraps_x"], track["wraps_y"]])
    body = trajectory.bodies.get(craft)
    along = _while_there(track, sent=body is not None and body.pooled)
    wraps = np.flatnonzero((laps[1:] != laps[:-1]).any(axis=1) & along[1:]) + 1
    t = track["t"]
    along &= t <= trajectory.ends_at  # the path ends with the game
    axes = []
    for number, axis in enumerate(AXES):
        path = track[f"{axis}_unwrapped"]
        shown = np.where(along, track[axis], np.nan)
        if scene is not None:
            shown = scene.along(number, shown, t)
        low, high = trajectory.seam(axis, craft) or (0.0, 0.0)
        period = high - low
        count = track[f"wraps_{axis}"]
        leaving = path[wraps] - count[wraps - 1] * period
        entering = path[wraps - 1] - count[wraps] * period
        gaps = np.full(wraps.size, np.nan)
        extra = np.column_stack([leaving, gaps, entering]).ravel()
        axes.append(np.insert(shown, np.repeat(wraps, 3), extra))
    return axes[0], axes[1]


def _while_there(track: Track, *, sent: bool) -> NDArray[np.bool_]:
    """Return which frames of a path belong to a line that begins in the frame before.

    No line leads to a frame in which the craft is absent, just appears, or is put back to its
    start. A member of a pool may disappear and be sent again, anywhere, within a frame.
    """
    x, y = track["x"], track["y"]
    along = np.ones(x.size, dtype=bool)
    if "cut" in track:  # the view jumps, and with it the picture
        along &= track["cut"] == 0.0
    if "alive" not in track:
        return along
    there = track["alive"] != 0
    back = leaps(track) & (sent | ((x[1:] == x[0]) & (y[1:] == y[0])))
    along[1:] &= there[:-1] & ~back
    along[0] &= there[0]
    return along


def leaps(track: Track) -> NDArray[np.bool_]:
    """Return the frames, without the first, to whose place a craft cannot have flown.

    In frame timing it may fly several times as fast as its speed, so its own usual step
    counts too.
    """
    t, speed = track["t"], track["speed"]
    steps = np.hypot(np.diff(track["x"]), np.diff(track["y"]))
    usual = np.maximum(speed[1:], speed[:-1]) * np.diff(t)
    moving = (steps > 0.0) & (usual > 0.0)
    pace = float(np.median(steps[moving] / usual[moving])) if moving.any() else 1.0
    far: NDArray[np.bool_] = steps > 2.0 * max(pace, 1.0) * usual + 1.0
    return far


def comings(track: Track) -> NDArray[np.int64]:
    """Return the rows in which a craft appears, or is sent to another place."""
    there = track["alive"] != 0 if "alive" in track else np.ones(track["t"].size, dtype=bool)
    return np.flatnonzero(there & np.concatenate([[True], ~there[:-1] | leaps(track)]))


def clip_of(ax: Axes, trajectory: Trajectory, craft: str) -> Rectangle | None:
    """Return the box outside which the two ends of a wrap are not drawn."""
    body = trajectory.bodies.get(craft)
    seams = trajectory.seam("x", craft), trajectory.seam("y", craft)
    if (body is not None and body.in_view) or seams == (None, None):
        return None
    # it replaces the clip box of the Axes, so it must not be larger
    shown = sorted(ax.get_xlim()), sorted(ax.get_ylim())
    boxes = [
        (max(seam[0], low), min(seam[1], high)) if seam else (low, high)
        for seam, (low, high) in zip(seams, shown, strict=True)
    ]
    (x0, x1), (y0, y1) = boxes
    return Rectangle((x0, y0), x1 - x0, y1 - y0, transform=ax.transData)
