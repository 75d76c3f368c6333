"""A view: a camera that follows a craft."""

from tinrocket.language.intrinsics import floor
from tinrocket.language.records import Record
from tinrocket.language.subset import kernel
from tinrocket.motion.body import Body


class Looking(Record):
    """Place of a view without the limits of the world."""

    x: float
    y: float


class LookNumbers(Record):
    """Numbers and choices of a view."""

    share: float
    most: float
    per: float
    zone_x: float
    zone_y: float
    period_x: float
    period_y: float
    lifted: float
    along_x: bool
    along_y: bool
    free: bool


@kernel
def way_to(
    place: float, target: float, zone: float, share: float, most: float, period: float
) -> float:
    """Return how far a view moves toward a target that may be off its middle by a distance.

    With a period above 0 it takes the shorter way, which may lead across a wrapping edge.
    """
    apart = target - place
    if period > 0.0:
        apart -= period * floor(apart / period + 0.5)
    beyond = max(apart - zone, 0.0) + min(apart + zone, 0.0)
    return min(max(beyond * share, -most), most)


@kernel
def look(
    body: Body,
    memory: Looking,
    target_x: float,
    target_y: float,
    height: float,
    there: bool,
    own: LookNumbers,
) -> None:
    """P += way; v = way / step, along the axes on which it follows.

    `lifted` is what a height above the ground is along y: 1, -1, or 0 if it does not count.
    """
    if there:
        if own.free:
            body.x = memory.x
            body.y = memory.y
        if own.along_x:
            way_x = way_to(body.x, target_x, own.zone_x, own.share, own.most, own.period_x)
            body.vx = way_x * own.per
            body.x += way_x
        if own.along_y:
            seen_y = target_y + own.lifted * height
            way_y = way_to(body.y, seen_y, own.zone_y, own.share, own.most, own.period_y)
            body.vy = way_y * own.per
            body.y += way_y
        if own.free:
            memory.x = body.x
            memory.y = body.y
