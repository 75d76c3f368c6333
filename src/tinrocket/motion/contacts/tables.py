"""The contact tables: bodies, shapes, contacts and their outcomes.

Bodies are the craft, then the pieces of obstacles.  Most have one convex part.  Which pairs may
meet at all depends on the roles of both; rows exist only for close pairs.
"""

from typing import Final

from tinrocket.language.records import Floats, Ints, Record

# Responses
PASS: Final = 0  # only the event
BOUNCE: Final = 1
BLOCK: Final = 2  # stops at the surface, slides along
STOP: Final = 3  # both stop for good
REMOVE: Final = 4  # removes one or both
SPLIT: Final = 5  # replaces the first by smaller ones

# Detection
OVERLAP: Final = 0
SWEPT: Final = 1
SIGHT: Final = 2  # by a ray along the heading

CHANCES: Final = 4096
"""Length of the cycle of a contact's random numbers."""


class Contact(Record):
    """What happens when two bodies meet."""

    response: int
    detection: int
    push_out: int  # whether bodies that overlap are put apart
    push_side: int  # on which side of the other: 0 to 3, 4 and 5 for an axis, -1 for the nearest
    restitution: float
    largest_angle: float  # rad from the normal, by where on the bat it struck; 0: a mirror
    velocity_transfer: float  # share of the other's velocity that is added
    normal_transfer: float  # multiple of the other's velocity along the normal that is added
    friction: float  # coefficient of friction of a bounce
    random_angle: float  # largest random turn [rad]
    speed_factor: float
    hard_speed_factor: float  # of a hard hit
    max_speed: float
    hard_hit_speed: float  # speed of the bat above which a hit is a hard one
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
    piece_deviation: float  # largest random deviation of a piece's speed, as a share of it
    random_pieces: int  # whether each flies in a random direction
    pierces: int  # whether a removed body stays for others until the end of the step
    ends: int  # ENDS_NOTHING, or the kind of end
    adds_x: Floats  # amounts to add to the velocity, picked at random
    adds_y: Floats
    adds_count: int
    effects_above: float  # speeds of the other between which a hit has effects
    effects_below: float
    chances: Floats
    gate: int  # address of the flags that disable it for each craft, or -1
    next: int  # row of its next outcome, or -1
    holds: int  # whether a squeeze holds the other, instead of letting it pass over the first


class BodyShape(Record):
    """Constant properties of a body."""

    role: int  # equal for bodies with the same contacts
    first: int  # of its parts
    past: int
    weight: float  # 1 / mass; 0 if nothing moves it, negative if not given
    extent_x: float  # largest distance of a part from its place
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
    """Spatial grid of bodies; it is periodic."""

    cell: float  # width of a cell [px]
    still_across: int  # cells of still bodies, along x and along y
    still_first: Ints  # begin and end of the entries of each of these cells in the next table
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
    image_x: float  # image of the other; see `images`
    image_y: float
    group: int  # the first pair of the two bodies and this contact
    alone: int  # whether it is the only pair of its group
    apart_x: float  # how far from each other their places can be when they meet
    apart_y: float
    rank: float  # order of evaluation: by contact, then by one, then by other
    past: int  # of the first pair of two bodies: index behind their last
    next_one: int  # and the first pair of one with its next body, from 1; 0 if there is none
    next_other: int  # and the same for the other body


LEANING: Final = 2
"""Mark of a pair that bears a load within a step before it touches."""


class Status(Record):
    """Memory of a pair."""

    touching: int  # 1 if it touches, or LEANING
    seen: int  # last step, from 1, in which bodies of several parts were tested
    near: int  # its index in the near list, from 1; 0 if it is not near
    squeezed: int  # 1 if the two could not be put apart; 2 in the next step
    met: float  # the last step, from 1, in which it met


class RestState(Record):
    """Memory of a pair at rest, or squeezed."""

    squeezed_x: float  # normal along which the two should have been put apart
    squeezed_y: float
    load: float  # the pair's load of the last step, the warm start of the next
    load_of_way: float


class Part(Record):
    """A convex polygon of one or more corners, rounded by a radius."""

    first: int
    past: int
    radius: float
    reach: float  # distance of its farthest point from its body's place
    turns: int  # whether it turns with the heading
    extent_x: float  # largest extent along x, at any heading
    extent_y: float


class Point(Record):
    """A place, or a corner relative to its body's place."""

    x: float
    y: float


class StepPath(Record):
    """Path of a body in the rest of a step: at + way d + curve d^2 after a share d."""

    at: float  # the fraction of the step at which the place is reached
    x: float
    y: float
    way_x: float  # displacement of a whole step at the speed of that moment
    way_y: float
    curve_x: float  # half of the growth of that displacement in a whole step
    curve_y: float
    pace: float  # displacement per unit of velocity
    reach_x: float  # largest distance from its place in the rest of this step
    reach_y: float
    there: int
    crossed: int  # whether it met an edge in this step
    pushed: int  # edges that push it, as bits
    moved: int  # whether an impact has changed its path
    stuck: int  # whether it is frozen for the rest of the step
    heaped: int  # whether it rests against another that a hit moves; see `rest`
    leaves: int  # whether it disappears at the end of the step
    met: int  # number of impacts in this step
    met_last: int  # last other body, or -1; whether that is movable, and when
    met_gives: int
    met_at: float
    side: int  # next edge that it meets, and when; NEVER without one
    side_at: float
    loses_at: float  # when it slides off its support, or NEVER
    loses: int  # index of that pair in the near list
    falls: int  # whether it has lost its support in this step
    lies_x: int  # edge on which it rests: -1 low, 1 high, 0 none
    lies_y: int
    side_load_x: float  # load of that edge, as a velocity: warm start of the next step
    side_load_y: float
    side_load_of_way_x: float
    side_load_of_way_y: float
    last_x: float  # place and moment of its last impact
    last_y: float
    last_at: float
    close: int  # number of consecutive impacts at that place
    stuck_in: float  # the last step, from 1, in which it was frozen
    squeezed_in: float  # last in which a body blocked the push of an edge
    home_x: float  # box that holds its path in this step; if it may leave
    home_y: float  # the box, neighbours are searched again
    room_x: float
    room_y: float
    first_pair: int  # its first pair with its first body, from 1; 0 if there is none
    first_near: int  # the first of those that are near, from 1; 0 if there is none
    mark: int  # mark: whether it has pairs with the current body
    wide: int  # whether it covers too many cells of the grid
    end_x: float  # its last state if it meets nothing
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
    gap: float  # gap before it, negative if they overlap
    anew: int  # whether the two touch now, and separate before that
    rests: int  # whether one rests on the other
    load: float  # its load, as momentum
    next_one: int  # the next of the first body's pairs that are near, from 1; 0 if there is none
    next_other: int  # and of the second body's
    slack: float  # the speed at which it would just close its gap in the rest of the step


class Touch(Record):
    """A body that a condition tests for contact with a craft."""

    craft: int
    name: int  # name index of the other bodies


class Box(Record):
    """A search box, and the image of the body that is searched."""

    x: float  # its middle, moved back by the displacement of the image
    y: float
    far_x: float  # half of its size
    far_y: float
    across: float  # displacement of the image in arenas, along x and y
    down: float


class Segment(Record):
    """Where a body began and ended the step of its last neighbour search."""

    x0: float
    y0: float
    x1: float
    y1: float
    bend_x: float  # offset of its parabola from the chord
    bend_y: float


class Contacts(Record):
    """Root record of the contact phase."""

    traits: BodyShape
    roles: int
    law_first: Ints  # begin and end of the contacts of two roles in the next table
    laws: ContactRule
    overlaps: int  # whether any contact tests for overlap at the end
    sees: int  # whether any craft casts a ray
    couples: CandidatePair
    couple_count: int  # negative if they are too many to list, and there is a grid
    grid: Grid
    body_count: int
    pairs: Pair
    pair_count: int
    pair_room: int
    full: int  # whether there was no room for a pair
    order: Ints  # order of processing of the pairs
    sorted: Ints  # workspace for sorting them
    status: Status
    holds: RestState
    near: NearPair
    near_count: int
    tree: Ints  # tournament tree of impacts; see `soonest`
    tree_size: int
    meetings: int  # in this step
    calmed: int  # number of impacts when touching bodies were last brought to rest
    contacts: Contact
    hits: Ints  # of each contact
    parts: Part
    corners: Point
    paths: StepPath
    segments: Segment
    touches: Touch
    names: int  # names that conditions test
    named: Ints  # for each role and name, whether the role has that name
    barred: Floats  # for each craft and gated contact: whether it is disabled
    shape: Point  # workspace for the corners of two parts
    wall: Point
    way: RelativeMotion
    box: Box  # search box for other bodies
    images: int  # whether any edge wraps, so that bodies have images
    period_x: float  # distance between images; 0 without wrapping along that axis
    period_y: float
    least_x: float  # box around all paths of this step
    most_x: float
    least_y: float
    most_y: float
    all_clear: int  # whether nothing meets while all craft stay in their rooms
    pushed: int  # whether any craft that may rest on another is pushed
