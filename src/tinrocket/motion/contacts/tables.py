"""The contact tables: which bodies may meet, what they look like, and what then happens.

Bodies are the craft, then the pieces of obstacles.  Most have one convex part.  Which pairs may
meet at all depends on the roles of both; rows exist only for close pairs.
"""

from typing import Final

from tinrocket.language.records import Floats, Ints, Record

# Responses
PASS: Final = 0  # nothing but the event
BOUNCE: Final = 1
BLOCK: Final = 2  # no further in, but along
STOP: Final = 3  # both are stopped for good
REMOVE: Final = 4  # one or both are gone
SPLIT: Final = 5  # the first is gone, and smaller ones are there

# How it is found that a pair meets
OVERLAP: Final = 0
SWEPT: Final = 1
SIGHT: Final = 2  # by a ray along the heading

CHANCES: Final = 4096
"""Random numbers of a contact, after which they begin anew."""


class Contact(Record):
    """What happens when two bodies meet."""

    response: int
    detection: int
    push_out: int  # whether bodies that overlap are put apart
    push_side: int  # on which side of the other: 0 to 3, 4 and 5 for an axis, -1 for the nearest
    restitution: float
    largest_angle: float  # rad from the normal, by where on the bat it struck; 0: a mirror
    velocity_transfer: float  # share of the bat's velocity that is added
    random_angle: float  # largest random turn [rad]
    speed_factor: float
    max_speed: float
    hard_hit_speed: float  # of the bat, above which a hit is a hard one
    removes_one: int
    removes_other: int
    side: int  # that scores, or -1
    points: float
    pool: int  # the craft that a split sends from
    pool_size: int
    pieces: int
    spread: float  # angle between the first and the last piece [rad]
    piece_speed_factor: float  # speed factor of the pieces of a split
    piece_speed: float  # their own speed instead; below 0 if they have none
    random_pieces: int  # whether each goes a random way
    pierces: int  # whether a removed body stays there for others to the end of the step
    ends: int  # ENDS_NOTHING, or what it ends
    adds_x: Floats  # amounts to add to the velocity, picked at random
    adds_y: Floats
    adds_count: int
    effects_above: float  # speeds of the other between which a hit has effects
    effects_below: float
    chances: Floats
    gate: int  # address of the flags that switch it off for each craft, or -1
    next: int  # what else comes of it, as a further row; -1 if nothing does
    holds: int  # whether a squeeze holds the other, instead of letting it pass over the first


class BodyShape(Record):
    """What a body is, whatever becomes of it."""

    role: int  # the same for bodies with the same contacts
    first: int  # of its parts
    past: int
    weight: float  # 1 / mass; 0 if nothing moves it, below 0 if it was not given
    extent_x: float  # how far from its place any part of it comes
    extent_y: float


class ContactRule(Record):
    """A contact that bodies of two roles may have, the first of them listed before the other."""

    contact: int
    swapped: int  # whether the other one responds
    mutual: int  # whether each responds to both


class CandidatePair(Record):
    """Two bodies that may meet: all of them are listed where there are few."""

    low: int
    high: int
    apart_x: float  # how far from each other their places can be when they meet
    apart_y: float


class Entry(Record):
    """A body in a cell of the grid."""

    body: int
    next: int  # the next in the cell, from 1; 0 if there is none


class Grid(Record):
    """Spatial grid of bodies; its cells repeat after so many across."""

    cell: float  # how wide a cell is [px]
    still_across: int  # cells of still bodies, along x and along y
    still_first: Ints  # where those in each of these cells begin in the next, and where they end
    still: Ints  # still bodies, cell by cell
    still_wide: Ints  # bodies that would take too many cells
    still_wide_count: int
    across: int  # cells of craft
    heads: Ints  # the first entry of each of these cells, from 1; 0 if there is none
    entries: Entry
    entry_count: int
    entry_room: int
    wide: Ints  # bodies that would take too many cells
    wide_count: int


class Pair(Record):
    """Parts of two bodies that are close, and may meet."""

    one: int  # the craft that responds
    other: int  # the body it meets; with a mass, it responds as well
    give_one: float  # 1 / mass; 0 for what no hit moves
    give_other: float
    contact: int
    part_one: int
    part_other: int
    image_x: float  # which image of the other it is about; see `images`
    image_y: float
    group: int  # the first pair of the two bodies and this contact
    alone: int  # whether it is all of its group
    apart_x: float  # how far from each other their places can be when they meet
    apart_y: float
    rank: float  # order of evaluation: by contact, then by one, then by other
    past: int  # of the first pair of two bodies: the one behind their last
    next_one: int  # and the first pair of one with its next body, from 1; 0 if there is none
    next_other: int  # and of other


LEANING: Final = 2
"""How a pair is marked that bears a load within a step before it touches."""


class Status(Record):
    """Memory of a pair."""

    touching: int  # 1 if it touches, or LEANING
    seen: int  # the last step, from 1, in which bodies of several parts were looked at
    near: int  # its place among those that may meet in this step, from 1; 0 if it is not
    squeezed: int  # 1 if the first could not be put out of the other; 2 in the next step
    met: float  # the last step, from 1, in which it met


class RestState(Record):
    """Memory of a pair at rest, or squeezed."""

    squeezed_x: float  # the normal along which it was tried to put the first out of the other
    squeezed_y: float
    load: float  # the pair's load of the last step, the warm start of the next
    load_of_way: float


class Part(Record):
    """A convex polygon of one or more corners, rounded by a radius."""

    first: int
    past: int
    radius: float
    reach: float  # how far its farthest point is from its body's place
    turns: int  # whether it turns with the heading
    extent_x: float  # how far it comes along x, however it is turned
    extent_y: float


class Point(Record):
    """A place, or a corner counted from its body's place."""

    x: float
    y: float


class StepPath(Record):
    """Path of a body in the rest of a step: at + way d + curve d^2 after a share d of it."""

    at: float  # the fraction of the step at which the place is reached
    x: float
    y: float
    way_x: float  # the way that a whole step would be from there, at the speed of that moment
    way_y: float
    curve_x: float  # half of how much the way grows in a whole step
    curve_y: float
    pace: float  # the way for each unit of velocity
    reach_x: float  # how far from its position it may get in the rest of this step
    reach_y: float
    there: int
    crossed: int  # whether it met a side of the arena in this step
    pushed: int  # the sides that have moved past it and push it, as bits
    moved: int  # whether something it met has changed its way
    stuck: int  # whether it is frozen for the rest of the step
    heaped: int  # whether it rests against another that a hit moves; see `rest`
    leaves: int  # whether it is gone when the step ends
    met: int  # how often it has met something in this step
    met_last: int  # what that was, or -1; whether that gives way, and when
    met_gives: int
    met_at: float
    side: int  # the next side that it meets, and when; NEVER if it meets none
    side_at: float
    loses_at: float  # when it slides off what holds it up; NEVER if it does not
    loses: int  # the place of that pair among those that are near
    falls: int  # whether it has lost what held it up in this step
    lies_x: int  # the side on which it lies, -1 for the low one and 1 for the high; 0 for none
    lies_y: int
    side_load_x: float  # what that side bears of it, as a velocity, with which the next step begins
    side_load_y: float
    side_load_of_way_x: float
    side_load_of_way_y: float
    last_x: float  # where it last met something
    last_y: float
    close: int  # how often that was where it had met something just before
    stuck_in: float  # the last step, from 1, in which it was frozen
    squeezed_in: float  # the last in which something did not let it go where a side pushes it
    home_x: float  # all of its way in this step lies within some room of a place; if it may leave
    home_y: float  # that, neighbours are searched again
    room_x: float
    room_y: float
    first_pair: int  # its first pair with its first body, from 1; 0 if there is none
    first_near: int  # the first of those that are near, from 1; 0 if there is none
    mark: int  # whether it is among the pairs of the body that is looked at
    wide: int  # whether it is listed as one that takes too many cells of the grid
    end_x: float  # how it ends the step if it meets nothing
    end_y: float
    end_vx: float
    end_vy: float


class RelativeMotion(Record):
    """The relative path of two bodies in the rest of a step: d s + c s^2, s from 0 to 1."""

    dx: float
    dy: float
    cx: float
    cy: float


class NearPair(Record):
    """A pair that may meet in the rest of the step."""

    pair: int
    moment: float  # NEVER if it does not
    normal_x: float
    normal_y: float
    gap: float  # before it, below zero if they overlap
    anew: int  # whether the two touch now, and will have parted before that
    rests: int  # whether one lies on the other
    load: float  # what it bears, as momentum
    next_one: int  # the next of the first body's pairs that are near, from 1; 0 if there is none
    next_other: int  # and of the other's
    slack: float  # the speed at which it would just close its gap in the rest of the step


class Touch(Record):
    """A body that a condition tests for contact with a craft."""

    craft: int
    name: int  # by which the others are called


class Box(Record):
    """Where a body is looked for: a box, and which image of it is meant."""

    x: float  # its middle, moved back by the arenas that the image lies apart
    y: float
    far_x: float  # from there to its sides
    far_y: float
    across: float  # how many arenas the image lies apart along x, and along y
    down: float


class Segment(Record):
    """Where a body began and ended the step of its last neighbour search."""

    x0: float
    y0: float
    x1: float
    y1: float
    bend_x: float  # how far its parabola came off the straight way between them
    bend_y: float


class Contacts(Record):
    """All of it."""

    traits: BodyShape
    roles: int
    law_first: Ints  # where the laws of two roles begin in the next, and where they end
    laws: ContactRule
    overlaps: int  # whether any contact tests for overlap at the end
    sees: int  # whether any looks ahead
    couples: CandidatePair
    couple_count: int  # below 0 if they are too many to list, and there is a grid
    grid: Grid
    body_count: int
    pairs: Pair
    pair_count: int
    pair_room: int
    full: int  # whether there was no room for a pair
    order: Ints  # pairs as they are looked at
    sorted: Ints  # workspace for sorting them
    status: Status
    holds: RestState
    near: NearPair
    near_count: int
    tree: Ints  # which of those meets soonest; see `soonest`
    tree_size: int
    meetings: int  # in this step
    calmed: int  # how many there were when all that touched was last brought to rest
    contacts: Contact
    hits: Ints  # of each contact
    parts: Part
    corners: Point
    paths: StepPath
    segments: Segment
    touches: Touch
    names: int  # names that conditions test
    named: Ints  # for each role and each of these, whether it is called so
    barred: Floats  # of each craft, for each contact that waits for something: whether it is off
    shape: Point  # workspace for the corners of two parts
    wall: Point
    way: RelativeMotion
    box: Box  # in which others are looked for
    images: int  # whether any side wraps, so that bodies have images across it
    period_x: float  # how far apart these are; 0 if none wraps along that axis
    period_y: float
    least_x: float  # the box around all bodies and their ways in this step
    most_x: float
    least_y: float
    most_y: float
    all_clear: int  # whether nothing meets as long as all craft are where they are free
    pushed: int  # whether anything that may lie on something is pushed
