"""Whether anything may meet in a step: asked in every one, so it must cost next to nothing.

Who was far from everything else a moment ago still is, as long as nobody has gone half of
that way: most steps need no more than that.
"""

from tinrocket.kernel.intrinsics import INFINITE, NOT_A_NUMBER
from tinrocket.kernel.subset import kernel
from tinrocket.motion.world import World


@kernel
def unsettle(world: World) -> None:
    """Forget what is known to be far apart: a craft may have been put anywhere."""
    world.contacts.quiet_x = -1.0


@kernel
def still_quiet(world: World) -> bool:
    """Whether all craft are so near to where they were that nothing can meet.

    Nobody may have been put somewhere since, only have moved.
    """
    quiet_x, quiet_y = world.contacts.quiet_x, world.contacts.quiet_y
    segments, bodies = world.contacts.segments, world.bodies
    for n in range(world.crafts):
        way_x = abs(bodies[n].x - segments[n].x1)
        way_y = abs(bodies[n].y - segments[n].y1)
        if not (way_x <= quiet_x and way_y <= quiet_y):
            return False
    return True


@kernel
def lay_segments(world: World) -> None:
    """Take down where each craft began and ended the step."""
    segments = world.contacts.segments
    for n in range(world.crafts):
        body, segment = world.bodies[n], segments[n]
        segment.x1 = body.x
        segment.y1 = body.y
        segment.x0 = body.before_x
        segment.y0 = body.before_y
        if body.alive <= 0.0:  # it stands still, or is not there and so nowhere
            nowhere = NOT_A_NUMBER if body.alive == 0.0 else 0.0
            segment.x0 = body.x + nowhere
            segment.y0 = body.y + nowhere


@kernel
def anything_near(world: World) -> bool:
    """Whether the boxes around a pair come together on the straight way of the step.

    Or whether a pair has touched before.  If nothing is near, it is kept how far the craft may
    go along x and along y before it must be asked again: a pair is kept apart by the axis along
    which it is farther.
    """
    contacts, crafts = world.contacts, world.crafts
    segments = contacts.segments
    contacts.quiet_x = -1.0
    if contacts.couple_count < 0 or contacts.sees != 0:  # of so many, somebody always is
        return True
    for n in range(contacts.pair_count):
        if contacts.status[n].touching != 0:
            return True
    lay_segments(world)
    least_x, least_y = INFINITE, INFINITE
    for n in range(contacts.couple_count):
        couple = contacts.couples[n]
        one, other = segments[couple.low], segments[couple.high]
        x0, x1 = one.x0 - other.x0, one.x1 - other.x1
        y0, y1 = one.y0 - other.y0, one.y1 - other.y1
        # twice the least room between the boxes on the way from x0 to x1, and from y0 to y1
        room_x = abs(x0 + x1) - abs(x1 - x0) - 2.0 * couple.apart_x
        room_y = abs(y0 + y1) - abs(y1 - y0) - 2.0 * couple.apart_y
        if room_x <= 0.0 and room_y <= 0.0:
            return True
        share = 0.25 if couple.high < crafts else 0.5  # a craft goes half of the way
        if room_x > room_y:
            least_x = min(least_x, share * room_x)
        else:
            least_y = min(least_y, share * room_y)  # of who is nowhere it is not a number
    contacts.quiet_x = least_x
    contacts.quiet_y = least_y
    return False
