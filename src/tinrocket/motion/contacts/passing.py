"""Bodies of several parts that pass through each other: when they meet again.

Each two parts overlap for an interval; the bodies touch while any two parts overlap.
"""

from tinrocket.language.subset import kernel
from tinrocket.motion.contacts.geometry import SLOP, gap
from tinrocket.motion.contacts.impact import NEVER, impact, lay_way
from tinrocket.motion.contacts.pairs import past_group
from tinrocket.motion.contacts.paths import both_radii, heading_of, outline
from tinrocket.motion.contacts.tables import NearPair, Pair, RelativeMotion
from tinrocket.motion.world import World


@kernel
def lay_parts(world: World, pair: Pair, x: float, y: float) -> tuple[int, int]:
    """Place the two parts of a pair, the first relative to the other's body."""
    contacts = world.contacts
    part, wall = contacts.parts[pair.part_one], contacts.parts[pair.part_other]
    corners = outline(world, contacts.shape, part, heading_of(world, pair.one), x, y)
    others = outline(world, contacts.wall, wall, heading_of(world, pair.other), 0.0, 0.0)
    return corners, others


@kernel
def time_together(
    world: World, pair: Pair, x: float, y: float, dx: float, dy: float, cx: float, cy: float
) -> tuple[float, float, float, float]:
    """Return begin and end of the overlap of two parts on a path, and the normal as they meet.

    Parameters
    ----------
    x, y
        Place of the first body relative to the other.
    dx, dy, cx, cy
        Its path d s + c s^2, with s from 0 to 1.

    Returns
    -------
        Two values of s, NEVER if they do not meet; the second is NEVER if they still overlap in
        the end.
    """
    contacts, radius = world.contacts, both_radii(world, pair)
    corners, others = lay_parts(world, pair, x, y)
    room, nx, ny = gap(contacts.wall, others, contacts.shape, corners, radius)
    begins = 0.0
    if room > SLOP:
        way = lay_way(contacts.way, dx, dy, cx, cy)
        begins, nx, ny = impact(contacts.wall, others, contacts.shape, corners, radius, way)
    if begins > 1.0:
        return NEVER, NEVER, nx, ny
    end_x, end_y = x + dx + cx, y + dy + cy
    corners, others = lay_parts(world, pair, end_x, end_y)
    room, _x, _y = gap(contacts.wall, others, contacts.shape, corners, radius)
    if room <= SLOP:
        return begins, NEVER, nx, ny
    back = lay_way(contacts.way, -dx - 2.0 * cx, -dy - 2.0 * cy, cx, cy)
    since, _x, _y = impact(contacts.wall, others, contacts.shape, corners, radius, back)
    return begins, max(1.0 - since, begins), nx, ny


@kernel
def leads_group(world: World, near: NearPair) -> bool:
    """Return whether a pair is the first near one of its two bodies and its contact."""
    contacts = world.contacts
    for n in range(contacts.pairs[near.pair].group, near.pair):
        if contacts.status[n].near != 0:
            return False
    return True


@kernel
def meet_again(world: World, near: NearPair, x: float, y: float, way: RelativeMotion) -> float:
    """Return when two touching bodies meet again after they separate, or NEVER.

    The time is a fraction of the path. The normal is written into `near`; the path is overwritten.
    """
    contacts = world.contacts
    first = contacts.pairs[near.pair].group
    past = past_group(world, first)
    dx, dy, cx, cy = way.dx, way.dy, way.cx, way.cy
    parted, best = 0.0, NEVER
    for _ in range(past - first):
        before = parted
        best = NEVER
        for n in range(first, past):
            if contacts.status[n].near == 0:
                continue
            begins, ends, nx, ny = time_together(world, contacts.pairs[n], x, y, dx, dy, cx, cy)
            if begins <= parted:
                parted = max(parted, ends)
            elif begins < best:
                best = begins
                near.normal_x = nx
                near.normal_y = ny
        if parted == before:
            break
    return best if best > parted else NEVER
