"""Which column of a game's log is what, by its name or as told."""

import re
from collections.abc import Iterable, Mapping

from tinrocket.analysis.columns import ACTION
from tinrocket.errors import TrajectoryError, nearest

NAMES = {
    "t": "t time seconds secs s sec elapsed clock timestamp ms millis milliseconds",
    "dt": "dt delta delta_time frame_time frametime frame",
    "craft": "craft name who id entity object player",
    "x": "x px pos_x x_pos position_x posx",
    "y": "y py pos_y y_pos position_y posy",
    "vx": "vx vel_x x_vel velocity_x velx speed_x",
    "vy": "vy vel_y y_vel velocity_y vely speed_y",
    "heading": "heading angle rotation rot direction",
    "alive": "alive there active",
    "event": "event events what",
}
"""What people call the columns of a log, with or without a unit (``t_ms``, ``time (s)``)."""

MEANT = {name: meaning for meaning, names in NAMES.items() for name in names.split()}
UNITS = re.compile(r"[\s_\[(]+(ms|s|px|deg|px/s)[\])]*$")
IN_MS = re.compile(r"(^|[^a-z])(ms|millis|milliseconds)\b")


def meanings(columns: Iterable[str], told: Mapping[str, str], source: str) -> dict[str, str]:
    """Return what each known column of a log means: t, dt, craft, x, y, ... or ``in.<action>``.

    Parameters
    ----------
    columns
        Names in the log's header.
    told
        For meanings the columns that have them, which goes before what names say.

    Raises
    ------
    TrajectoryError
        If a told column or meaning does not exist, or x, y or any time is missing.
    """
    names = list(columns)
    found: dict[str, str] = {}
    for meaning, column in told.items():
        if meaning not in NAMES and not meaning.startswith(ACTION):
            known = [*NAMES, f"{ACTION}thrust"]
            raise TrajectoryError(f"{source}: no column is a '{meaning}'{nearest(meaning, known)}")
        if column not in names:
            raise TrajectoryError(f"{source}: has no column '{column}'{nearest(column, names)}")
        found[column] = meaning
    for column in names:
        meaning = column if column.startswith(ACTION) else MEANT.get(_plain(column), "")
        if meaning and column not in found and meaning not in found.values():
            found[column] = meaning
    lack = [axis for axis in ("x", "y") if axis not in found.values()]
    if not {"t", "dt"} & set(found.values()):
        lack.append("t (or dt)")
    if lack:
        raise TrajectoryError(
            f"{source}: no column for {', '.join(lack)} among {', '.join(names)}; "
            f"say which one it is, such as --columns {lack[0][:1]}={names[0]}"
        )
    return found


def counts_ms(column: str) -> bool:
    """Whether a column's name says that it counts milliseconds."""
    return IN_MS.search(column.strip().lower().replace("_", " ")) is not None


def _plain(column: str) -> str:
    name = column.strip().lower()
    return name if name in MEANT else UNITS.sub("", name).replace(" ", "_")
