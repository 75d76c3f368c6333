"""Test whether anything may meet in a step, cheap enough for every step.

Each craft has a room of its own within the arena. While all craft stay in their rooms nothing
meets, and most steps need no further test.
"""

from typing import Final

from tinrocket.language.intrinsics import NOT_A_NUMBER, floor
from tinrocket.language.subset import kernel
from tinrocket.motion.body import CURVED, bend_of, stride_of
from tinrocket.motion.contacts.images import wraps_x, wraps_y
from tinrocket.motion.world import World

LEAST: Final = 1 / 256
"""Smallest share of the gap between two craft that the slower one gets."""


@kernel
def invalidate_rooms(world: World) -> None:
    """Invalidate the rooms of craft: any craft may have been placed anywhere."""
    world.contacts.all_clear = 0


@kernel
def lay_segments(world: World) -> None:
    """Store where each craft began and ended the step, and set its room to the whole arena."""
    segments = world.contacts.segments
    for n in range(world.crafts):
        body, segment = world.bodies[n], segments[n]
        body.room_low_x = body.low_x
        body.room_high_x = body.high_x
        body.room_low_y = body.low_y
        body.room_high_y = body.high_y
        segment.x1 = body.x
        segment.y1 = body.y
        segment.x0 = body.before_x
        segment.y0 = body.before_y
        if body.movement == CURVED:
            stride = stride_of(body, world.dt)
            segment.bend_x = bend_of(body.push_x, stride)
            segment.bend_y = bend_of(body.push_y, stride)
        if body.alive <= 0.0:  # it is stopped or absent
            nowhere = NOT_A_NUMBER if body.alive == 0.0 else 0.0
            segment.x0 = body.x + nowhere
            segment.y0 = body.y + nowhere


@kernel
def share_of(way: float, other_way: float) -> float:
    """Return the share of the gap between two craft that the first gets, by their speeds."""
    both = way + other_way
    return min(max(way / both, LEAST), 1.0 - LEAST) if both > 0.0 else 0.5


@kernel
def kept_off(low: float, high: float, at: float, room: float, below: bool) -> tuple[float, float]:
    """Return bounds within some room of a place, towards what lies below or above."""
    if below:
        low = max(low, at - room)
    else:
        high = min(high, at + room)
    return low, high


@kernel
def periods_of(world: World, one: int, other: int) -> tuple[float, float]:
    """Return the distance between images of bodies along x and y; 0 without images."""
    period_x, period_y = 0.0, 0.0
    if wraps_x(world, one) or wraps_x(world, other):
        period_x = world.contacts.period_x
    if wraps_y(world, one) or wraps_y(world, other):
        period_y = world.contacts.period_y
    return period_x, period_y


@kernel
def to_nearest(apart: float, period: float) -> float:
    """Return the distance to the nearest image, along an axis that wraps."""
    return -period * floor(apart / period + 0.5) if period > 0.0 else 0.0


@kernel
def anything_near(world: World) -> bool:
    """Return whether the boxes around any pair meet on their paths, or a pair touched before.

    If nothing is near, each craft gets a room in which it meets nothing: a pair is kept apart along
    the axis along which it is farther apart.
    """
    contacts, crafts, bodies = world.contacts, world.crafts, world.bodies
    segments = contacts.segments
    contacts.all_clear = 0
    if (
        contacts.couple_count < 0 or contacts.sees != 0
    ):  # with a grid or ray casts, always run the whole phase
        return True
    for n in range(contacts.pair_count):
        if contacts.status[n].touching != 0:
            return True
    lay_segments(world)
    for n in range(contacts.couple_count):
        couple = contacts.couples[n]
        one, other = segments[couple.low], segments[couple.high]
        x0, x1 = one.x0 - other.x0, one.x1 - other.x1
        y0, y1 = one.y0 - other.y0, one.y1 - other.y1
        period_x, period_y = 0.0, 0.0
        if contacts.images != 0:
            period_x, period_y = periods_of(world, couple.low, couple.high)
            shift_x, shift_y = to_nearest(x1, period_x), to_nearest(y1, period_y)
            x0, x1, y0, y1 = x0 + shift_x, x1 + shift_x, y0 + shift_y, y1 + shift_y
        # twice the smallest gap between the boxes on the path from x0 to x1, and from y0 to y1
        bend_x, bend_y = one.bend_x + other.bend_x, one.bend_y + other.bend_y
        room_x = abs(x0 + x1) - abs(x1 - x0) - 2.0 * (couple.apart_x + bend_x)
        room_y = abs(y0 + y1) - abs(y1 - y0) - 2.0 * (couple.apart_y + bend_y)
        if period_x > 0.0:  # and towards the image on its other side
            beyond = period_x - max(abs(x0), abs(x1)) - couple.apart_x - bend_x
            room_x = min(room_x, 2.0 * beyond)
        if period_y > 0.0:
            beyond = period_y - max(abs(y0), abs(y1)) - couple.apart_y - bend_y
            room_y = min(room_y, 2.0 * beyond)
        if room_x <= 0.0 and room_y <= 0.0:
            return True
        alone = couple.high >= crafts
        if room_x > room_y:
            room = abs(x1) - couple.apart_x
            share = 1.0 if alone else share_of(abs(one.x1 - one.x0), abs(other.x1 - other.x0))
            body = bodies[couple.low]
            body.room_low_x, body.room_high_x = kept_off(
                body.room_low_x, body.room_high_x, one.x1, share * room, x1 > 0.0
            )
            if period_x > 0.0:  # and away from the image on its other side
                beyond = period_x - abs(x1) - couple.apart_x
                body.room_low_x, body.room_high_x = kept_off(
                    body.room_low_x, body.room_high_x, one.x1, share * beyond, x1 <= 0.0
                )
            if not alone:
                body = bodies[couple.high]
                body.room_low_x, body.room_high_x = kept_off(
                    body.room_low_x, body.room_high_x, other.x1, room - share * room, x1 < 0.0
                )
                if period_x > 0.0:
                    rest = (1.0 - share) * (period_x - abs(x1) - couple.apart_x)
                    body.room_low_x, body.room_high_x = kept_off(
                        body.room_low_x, body.room_high_x, other.x1, rest, x1 >= 0.0
                    )
        elif room_y >= room_x:  # NaN if one of the two has no place
            room = abs(y1) - couple.apart_y
            share = 1.0 if alone else share_of(abs(one.y1 - one.y0), abs(other.y1 - other.y0))
            body = bodies[couple.low]
            body.room_low_y, body.room_high_y = kept_off(
                body.room_low_y, body.room_high_y, one.y1, share * room, y1 > 0.0
            )
            if period_y > 0.0:
                beyond = period_y - abs(y1) - couple.apart_y
                body.room_low_y, body.room_high_y = kept_off(
                    body.room_low_y, body.room_high_y, one.y1, share * beyond, y1 <= 0.0
                )
            if not alone:
                body = bodies[couple.high]
                body.room_low_y, body.room_high_y = kept_off(
                    body.room_low_y, body.room_high_y, other.y1, room - share * room, y1 < 0.0
                )
                if period_y > 0.0:
                    rest = (1.0 - share) * (period_y - abs(y1) - couple.apart_y)
                    body.room_low_y, body.room_high_y = kept_off(
                        body.room_low_y, body.room_high_y, other.y1, rest, y1 >= 0.0
                    )
    contacts.all_clear = 1
    return False
