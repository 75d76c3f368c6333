"""The meaning of each column of a game's log, by its name or as given."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from tinrocket.errors import TrajectoryError, nearest
from tinrocket.trajectory.columns import ACTION

NAMES = {
    "t": "t time seconds secs s sec elapsed clock timestamp ms millis milliseconds us",
    "dt": "dt delta delta_time frame_time frametime elapsed_time",
    "frame": "frame frames frame_number frame_no frame_count frame_index tick ticks step n",
    "craft": "craft name who id entity object player",
    "x": "x px pos_x x_pos position_x posx pos_0 position_0 p_x p_0 xy_0",
    "y": "y py pos_y y_pos position_y posy pos_1 position_1 p_y p_1 xy_1",
    "vx": "vx vel_x x_vel velocity_x velx speed_x vel_0 velocity_0 v_x v_0",
    "vy": "vy vel_y y_vel velocity_y vely speed_y vel_1 velocity_1 v_y v_1",
    "heading": "heading angle rotation rot direction",
    "alive": "alive there active",
    "event": "event events what",
    "keys": "keys pressed held buttons inputs",
}
"""Common names of the columns of a log, with or without a unit (``t_ms``, ``time (s)``)."""

MEANT = {name: meaning for meaning, names in NAMES.items() for name in names.split()}
OF_CRAFT = ("x", "y", "vx", "vy", "heading", "alive", "event")
"""Meanings of which a row may have several, each of another craft: ``ship.x``, ``ball_x``."""
UNITS = re.compile(r"[\s_\[(]+(ms|us|µs|s|px|deg|degrees|rad|radians|px/s)[\])]*$")
IN = {
    1e-3: re.compile(r"(^|[^a-z])(ms|millis|milliseconds)\b"),
    1e-6: re.compile(r"(^|[^a-z])(us|µs|micros|microseconds)\b"),
}
RADIANS, DEGREES = (re.compile(rf"(^|[^a-z])({unit})\b") for unit in ("rad|radians", "deg|degrees"))
CAMEL = re.compile(r"(?<=[a-z0-9])(?=[A-Z])")


@dataclass(frozen=True, slots=True)
class Layout:
    """Meanings of the columns of a log.

    Attributes
    ----------
    shared
        Meanings of the columns of a whole row: t, dt, frame, craft, x, ... or ``in.<action>``.
    of_craft
        If a row holds several craft: the meanings of the columns of each.
    """

    shared: Mapping[str, str]
    of_craft: Mapping[str, Mapping[str, str]]

    @property
    def known(self) -> set[str]:
        """All columns with a meaning."""
        return {*self.shared, *(name for column in self.of_craft.values() for name in column)}


def layout_of(columns: Iterable[str], declared: Mapping[str, str], source: str) -> Layout:
    """Return the meaning of each known column of a log.

    Parameters
    ----------
    columns
        Names in the log's header.
    told
        Columns by meaning, as given; these take precedence over names.

    Raises
    ------
    TrajectoryError
        If a given column or meaning does not exist, or x, y or any time is missing.
    """
    names = list(columns)
    if not names:
        raise TrajectoryError(f"{source}: holds no columns; print t, x and y in each frame")
    named = _told(names, declared, source)
    for column in names:
        meaning = column if column.startswith(ACTION) else MEANT.get(plain(column), "")
        if meaning == "frame" and unit_of(column) is not None:
            meaning = "dt"  # such as frame_ms
        if meaning and column not in named and meaning not in named.values():
            named[column] = meaning
    of_craft = _several(names, named)
    if of_craft and {"x", "y"} <= set(named.values()):
        of_craft = {}  # for example x and y beside mouse_x and mouse_y, or wraps_x and wraps_y
    has = set(named.values()) | ({"x", "y"} if of_craft else set())
    lack = [axis for axis in ("x", "y") if axis not in has]
    if not {"t", "dt", "frame"} & has:
        lack.append("t (or dt, or frame)")
    if lack:
        raise TrajectoryError(
            f"{source}: no column for {', '.join(lack)} among {', '.join(names)}; "
            f"map it, such as --columns {lack[0][:1]}={names[0]}"
        )
    return Layout(named, of_craft)


def _told(names: list[str], declared: Mapping[str, str], source: str) -> dict[str, str]:
    columns = {}
    for meaning, column in declared.items():
        if meaning not in NAMES and not meaning.startswith(ACTION):
            known = [*NAMES, f"{ACTION}thrust"]
            raise TrajectoryError(f"{source}: no column is a '{meaning}'{nearest(meaning, known)}")
        if column not in names:
            raise TrajectoryError(f"{source}: has no column '{column}'{nearest(column, names)}")
        columns[column] = meaning
    return columns


def _several(names: list[str], columns: Mapping[str, str]) -> dict[str, dict[str, str]]:
    """Return the craft in column names such as ``ship.x`` or ``ball_vy``."""
    crafts: dict[str, dict[str, str]] = {}
    for column in names:
        if column in columns:
            continue
        for mark in (".", "_", " "):
            craft, _mark, rest = UNITS.sub("", CAMEL.sub("_", column)).partition(mark)
            meaning = MEANT.get(plain(rest), "")
            if craft and meaning in OF_CRAFT:
                crafts.setdefault(craft, {}).setdefault(column, meaning)
                break
    return {craft: own for craft, own in crafts.items() if {"x", "y"} <= set(own.values())}


def unit_of(column: str) -> float | None:
    """Return the unit of time in a column's name [s], or None."""
    name = column.strip().lower().replace("_", " ")
    return next((unit for unit, said in IN.items() if said.search(name)), None)


def angle_of(column: str) -> str | None:
    """Return the unit of angles in a column's name, ``rad`` or ``deg``, or None."""
    name = column.strip().lower().replace("_", " ")
    if RADIANS.search(name):
        return "rad"
    return "deg" if DEGREES.search(name) else None


def plain(column: str) -> str:
    """Return a column's name as `NAMES` has it: without a unit, dots, brackets and capitals."""
    name = CAMEL.sub("_", column.strip()).lower()
    if name not in MEANT:
        name = UNITS.sub("", name)
    return re.sub(r"[\s.\[\]]+", "_", name).strip("_")
