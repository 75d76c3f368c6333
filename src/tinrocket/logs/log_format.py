"""The format of a game's logs."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from tinrocket.errors import OptionError

Align = Literal["start", "motion", "keys"]
FirstRow = Literal["told", "start", "end"]
Angle = Literal["deg", "rad"]


@dataclass(frozen=True, slots=True)
class LogFormat:
    """Options for reading logs.

    Attributes
    ----------
    columns
        For a meaning (t, dt, frame, craft, x, y, vx, vy, heading, alive, event, ``in.<action>``)
        its column; other columns are recognised by their names.
    wrap_x, wrap_y
        Range in which an axis wraps, low and high [px] (default: found from jumps).
    guesses_wraps
        Whether axes without a range are searched for wraps.
    align
        The beginning of time: the ``start`` of the log, the first ``motion``, or the first of the
        ``keys``.
    craft
        Name of a log's only craft, if no column gives it.
    y_up
        Whether y grows upward (default: as in the scenario beside the log, else downward).
    rate
        Frames per second of a log that counts frames or rounds its times.
    heading
        Unit of headings (default: recognised by the column's name or their range).
    first_row
        Meaning of the first row: the ``start``, before anything moved; the ``end`` of the first
        frame; or ``told``, the moment in its time column.

    Raises
    ------
    OptionError
        If a wrap does not go from low to high, or the rate is not above 0.
    """

    columns: Mapping[str, str] = field(default_factory=dict)
    wrap_x: tuple[float, float] | None = None
    wrap_y: tuple[float, float] | None = None
    align: Align = "start"
    craft: str = "craft"
    y_up: bool | None = None
    rate: float | None = None
    heading: Angle | None = None
    first_row: FirstRow = "told"
    guesses_wraps: bool = True

    def __post_init__(self) -> None:
        """Refuse invalid options."""
        for axis, wrap in (("x", self.wrap_x), ("y", self.wrap_y)):
            if wrap is not None and not wrap[0] < wrap[1]:
                raise OptionError(
                    f"{axis} cannot wrap from {wrap[0]:g} to {wrap[1]:g}; give low:high"
                )
        if self.rate is not None and not 0.0 < self.rate < 1e6:
            raise OptionError(f"there are some frames in a second, not {self.rate:g}")
