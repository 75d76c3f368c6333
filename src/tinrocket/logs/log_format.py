"""How a game's logs are to be read."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal

from tinrocket.errors import OptionError

Align = Literal["start", "motion", "keys"]
FirstRow = Literal["told", "start", "end"]
Angle = Literal["deg", "rad"]


@dataclass(frozen=True, slots=True)
class LogFormat:
    """How logs are to be read.

    Attributes
    ----------
    columns
        For a meaning (t, dt, frame, craft, x, y, vx, vy, heading, alive, event, ``in.<action>``)
        the column that has it; the others are known by their names.
    wrap_x, wrap_y
        Where an axis wraps, low and high [px]; found from jumps if not given.
    guesses_wraps
        Whether axes without a range are searched for wraps; beside a scenario none of whose craft
        wraps they are not.
    align
        When time begins: with the ``start`` of the log, the first ``motion``, or the first of the
        ``keys``.
    craft
        Name of a log's only craft, if no column gives it.
    y_up
        Whether y grows upward; if not given, as in the scenario beside the log, or downward.
    rate
        Frames per second, where the log counts frames or rounds its times.
    heading
        The unit of headings; known by the column's name, or by their range, if not given.
    first_row
        What the first row is: the ``start``, before anything moved; the ``end`` of the first
        frame; or as its time column gives, ``told``.

    Raises
    ------
    OptionError
        If a wrap does not go from low to high, or there are no frames in a second.
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
        """Refuse what no log is read by."""
        for axis, wrap in (("x", self.wrap_x), ("y", self.wrap_y)):
            if wrap is not None and not wrap[0] < wrap[1]:
                raise OptionError(
                    f"{axis} cannot wrap from {wrap[0]:g} to {wrap[1]:g}; give low:high"
                )
        if self.rate is not None and not 0.0 < self.rate < 1e6:
            raise OptionError(f"there are some frames in a second, not {self.rate:g}")
