"""A flown update as a trajectory: paths, events found in the motion, and watched values."""

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from tinrocket.flight.pacing import Pacing
from tinrocket.own_update.craft_places import Seen
from tinrocket.scenario.arena import AXES, Arena, Axis
from tinrocket.trajectory.bodies import Body
from tinrocket.trajectory.columns import ACTION, EVENT_COLUMNS, TEXTS, EventColumns
from tinrocket.trajectory.frames import Frames
from tinrocket.trajectory.interpolate import magnitude, wrapped
from tinrocket.trajectory.motion_events import SIDES, new_event, wrap_events
from tinrocket.trajectory.wraps import Seams, find_seams

Floats = NDArray[np.float64]
TURNED = 0.2
"""Smallest share of the speed that a bounce keeps."""
SUDDEN = 4.0
"""Factor by which a bounce changes the velocity more than the frames around it do."""
SLOW = 1.0
"""Smallest speed of a bounce [px/s]."""


@dataclass(eq=False)
class Recorded:
    """Observed craft and values of an update after each of its steps.

    Attributes
    ----------
    steps
        The craft after each step, the start first.
    watched
        For each watched value its number after each step.
    """

    steps: list[list[Seen]] = field(default_factory=list)
    watched: dict[str, list[float]] = field(default_factory=dict)

    def repeat(self) -> None:
        """Record a step without an observation."""
        self.steps.append(self.steps[-1])
        for values in self.watched.values():
            values.append(values[-1])


def names_of(recorded: Recorded) -> list[tuple[str, str]]:
    """Return names and families of all craft, in the order in which they first appear."""
    return list(
        dict.fromkeys((craft.name, craft.family) for step in recorded.steps for craft in step)
    )


def paths_of(recorded: Recorded, names: Sequence[str]) -> dict[str, Floats]:
    """Return x, y and heading of each craft after each step, shape (3, S + 1); NaN if absent."""
    rows = {name: np.full((3, len(recorded.steps)), np.nan) for name in names}
    for number, step in enumerate(recorded.steps):
        for craft in step:
            heading = math.nan if craft.heading is None else craft.heading
            rows[craft.name][:, number] = craft.x, craft.y, heading
    return rows


def shown(path: Floats, pacing: Pacing, far: tuple[float, float]) -> Floats:
    """Return a path at the frames' times, between its steps where the game interpolates.

    A step that is longer than half of `far` is a jump, across which nothing is interpolated.
    """
    now = path[:, pacing.done]
    if pacing.blend is None:
        return now
    before = path[:, np.maximum(pacing.done - 1, 0)]
    step = now - before
    jumps = (np.abs(step[0]) > 0.5 * far[0]) | (np.abs(step[1]) > 0.5 * far[1])
    between = before + pacing.blend * step
    between[:, jumps] = now[:, jumps]
    return between


@dataclass(frozen=True, slots=True)
class Shape:
    """How paths become frames: pacing, sampled input, arena, and unit of headings.

    Attributes
    ----------
    pacing
        Frames and steps.
    inputs
        For each action its value at the frames' times.
    arena
        The declared playfield, or None.
    degrees
        Degrees for each unit of the code's heading.
    seams
        Seams found in a longer flight of the same update, because few jumps show no seam.
    """

    pacing: Pacing
    inputs: Mapping[str, Floats]
    arena: Arena | None
    degrees: float
    seams: Mapping[str, Seams] | None = None


@dataclass(frozen=True, slots=True)
class Flown:
    """The parts of a trajectory.

    Attributes
    ----------
    frames
        A row for each craft and frame.
    make_events
        Function that returns the events.
    bodies
        Bodies of craft in lists, for pictures and comparisons.
    seams
        Where axes wrap.
    """

    frames: Frames
    make_events: Callable[[], EventColumns]
    bodies: dict[str, Body]
    seams: dict[str, Seams]


def as_frames(recorded: Recorded, shape: Shape) -> Flown:
    """Return frames and events of a recording."""
    pacing, known = shape.pacing, names_of(recorded)
    names = tuple(name for name, _family in known)
    families = dict(known)
    by_step = paths_of(recorded, names)
    singles = {name: path for name, path in by_step.items() if not families[name]}
    seams: dict[str, Seams] = {}
    if shape.seams is not None:
        seams = {name: own for name, own in shape.seams.items() if name in by_step}
    elif singles:
        within = {name: dict(zip(AXES, path[:2], strict=True)) for name, path in singles.items()}
        recordings: dict[Axis, Any] = {"x": None, "y": None}
        found_seams, _notes = find_seams(within, recordings)
        seams = {name: own for name, own in found_seams.items() if own}
    columns: list[dict[str, Floats]] = []
    gone = False
    for name in names:
        far = _extent(by_step[name])
        column = _column(shown(by_step[name], pacing, far), shape, seams.get(name, {}))
        gone = gone or "alive" in column
        columns.append(column)
    for column in columns:
        if gone:
            column.setdefault("alive", np.ones(pacing.times.size))
    order = list(columns[0]) if columns else []
    block = np.stack([np.concatenate([values[name] for values in columns]) for name in order])
    count = pacing.times.size
    frames = Frames(
        names, (count,) * len(names), tuple(order), block, np.tile(np.arange(count), len(names))
    )
    bodies = {
        name: Body(shape.arena or Arena(width=1.0, height=1.0), family=family, pooled=True)
        for name, family in known
        if family
    }
    make = partial(_events, frames, recorded, shape, seams, families)
    return Flown(frames, make, bodies, seams)


def _extent(path: Floats) -> tuple[float, float]:
    with np.errstate(all="ignore"):
        spans = [
            float(np.nanmax(coordinate) - np.nanmin(coordinate))
            if np.isfinite(coordinate).any()
            else 0.0
            for coordinate in path[:2]
        ]
    return spans[0] or math.inf, spans[1] or math.inf


def _column(path: Floats, shape: Shape, seams: Seams) -> dict[str, Floats]:
    """Return the columns of one craft."""
    pacing = shape.pacing
    there = np.isfinite(path[0]) & np.isfinite(path[1])
    place = path[:2].copy()
    if not there.all():
        for row in place:
            row[~there] = np.interp(pacing.times[~there], pacing.times[there], row[there])
    column: dict[str, Floats] = {"t": pacing.times}
    seen: dict[Axis, Floats] = {}
    laps: dict[Axis, Floats] = {}
    lines: dict[Axis, Floats] = {}
    for axis, row in zip(AXES, place, strict=True):
        seam = seams.get(axis)
        lines[axis] = row if seam is None else np.unwrap(row, period=seam[1] - seam[0])
        seen[axis], laps[axis] = wrapped(lines[axis], seam)
    column |= {axis: seen[axis] for axis in AXES}
    spans = np.diff(pacing.times)
    for axis in AXES:
        velocity = np.zeros(pacing.times.size)
        velocity[1:] = np.diff(lines[axis]) / spans
        if velocity.size > 1:
            velocity[0] = velocity[1]
        column[f"v{axis}"] = velocity
    column["heading"] = path[2] * shape.degrees
    column |= {f"wraps_{axis}": laps[axis] for axis in AXES}
    column |= {f"{axis}_unwrapped": lines[axis] for axis in AXES}
    column["speed"] = magnitude(column["vx"], column["vy"])
    if not np.array_equal(pacing.shown, pacing.times):
        column["lag"] = pacing.times - pacing.shown
    if not there.all():
        column["alive"] = there.astype(float)
    for action, values in shape.inputs.items():
        column[ACTION + action] = values
    return column


def _events(
    frames: Frames,
    recorded: Recorded,
    shape: Shape,
    seams: Mapping[str, Seams],
    families: Mapping[str, str],
) -> EventColumns:
    tracks = {name: frames.of(name) for name in frames.craft}
    rows = wrap_events({name: tracks[name] for name in seams}, seams)
    for name, track in tracks.items():
        alive = track.get("alive")
        if alive is not None:
            rows += _comings(name, families[name], track, alive)
        if not families[name]:
            rows += _bounces(name, track)
    rows += _changes(recorded, shape.pacing)
    rows.sort(key=lambda row: float(row["t"]))  # type: ignore[arg-type]
    changes: dict[str, Any] = {}
    for column in EVENT_COLUMNS:
        values = [row[column] for row in rows]
        if column in TEXTS:
            changes[column] = np.array(values, dtype=np.str_) if values else np.empty(0, np.str_)
        else:
            kind = np.int64 if column in ("count", "frame") else np.float64
            changes[column] = np.array(values, dtype=kind)
    return changes


def _comings(name: str, family: str, track: Mapping[str, Floats], alive: Floats) -> list[Any]:
    """Return when a craft appears and disappears."""
    rows = []
    for frame in (np.flatnonzero(np.diff(alive)) + 1).tolist():
        kind = "appear" if alive[frame] else "disappear"
        event = new_event(kind, family or name, float(track["t"][frame]), frame)
        at = frame if alive[frame] else frame - 1
        rows.append(event | {axis: float(track[axis][at]) for axis in AXES})
    return rows


def _bounces(name: str, track: Mapping[str, Floats]) -> list[Any]:
    """Return sudden reversals of a velocity along an axis: bounces off a wall or a body."""
    rows = []
    for axis in AXES:
        velocity = track[f"v{axis}"]
        if velocity.size < 5:
            continue
        step = np.abs(np.diff(velocity))
        turned = (velocity[1:] * velocity[:-1] < 0.0) | (
            (velocity[:-1] != 0.0) & (np.abs(velocity[1:]) < 1e-9)
        )
        for at in np.flatnonzero(turned).tolist():
            # a bounce within a frame takes two steps of the differences of places
            around = np.concatenate([step[max(at - 3, 0) : max(at - 1, 0)], step[at + 2 : at + 4]])
            if at == 0 or not around.size or step[at] < SUDDEN * float(around.max()) + SLOW:
                continue
            frame = at + 1
            later = abs(float(velocity[min(at + 2, velocity.size - 1)]))
            before = abs(float(velocity[max(at - 1, 0)]))
            kind = "bounce" if later >= TURNED * before else "clamp"
            if kind == "clamp" and later > 1e-9:
                continue
            edge = SIDES[axis][int(velocity[at] > 0.0)]
            event = new_event(kind, name, float(track["t"][frame]), frame)
            rows.append(
                event
                | {place: float(track[place][frame]) for place in AXES}
                | {"edge": edge, "speed": before}
            )
    return rows


def _changes(recorded: Recorded, pacing: Pacing) -> list[Any]:
    """Return the changes of watched values."""
    rows = []
    for name, values in recorded.watched.items():
        numbers = np.array(values)[pacing.done]
        kind = name.rpartition(".")[2]
        for frame in (np.flatnonzero(np.diff(np.nan_to_num(numbers))) + 1).tolist():
            event = new_event(kind, name.rpartition(".")[0], float(pacing.times[frame]), frame)
            change = numbers[frame] - numbers[frame - 1]
            whole = round(change) if math.isfinite(change) else 0
            rows.append(event | {"count": whole})
    return rows
