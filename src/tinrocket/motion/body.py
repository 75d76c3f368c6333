"""Records of craft and edges."""

from typing import Final

from tinrocket.language.maths import sincos
from tinrocket.language.records import Record
from tinrocket.language.subset import kernel


class Wall(Record):
    """An edge: what it does to a craft, and its place."""

    kind: int
    at: float  # relative to its carrier, if it has one
    restitution: float


class Body(Record):
    """A craft.  Speeds count in the scenario's unit of time, a second or a tuned frame.

    Recorded fields come first: those up to `wraps_y` always, the next two if they can change, and
    the resources that exist.
    """

    x: float
    y: float
    vx: float
    vy: float
    heading: float  # rad, counted so that the craft points along (cos, sin)
    wraps_x: float
    wraps_y: float
    height: float  # above the ground, in a hop
    alive: float  # 1; 0 while absent; FROZEN or PAUSED: present, but does not move
    level_1: float  # levels of the scenario's resources
    level_2: float
    level_3: float
    level_4: float
    level_5: float
    level_6: float
    spin: float  # rad per unit of time
    kept_ax: float  # the acceleration of the last step, where a rule keeps it
    kept_ay: float
    touch_x: float  # -1 or 1 if the low or high wall held it in its last step, else 0
    touch_y: float
    airborne: float  # 1 while a hop lifts it over walls and bodies
    born: float  # when it appeared
    born_count: float  # number of steps before it appeared
    sight: float  # length of its ray along the heading in this step
    before_x: float  # place at the start of the step, moved along by wraps
    before_y: float
    low_x: float  # bounds that the edges set it
    high_x: float
    low_y: float
    high_y: float
    faced: float  # the heading of which the next two are cosine and sine
    face_x: float
    face_y: float
    time: float  # when the step begins, for rules of the user's
    invulnerable: float  # time after its appearance in which nothing hits it
    room_low_x: float  # its room: it meets nothing there while all others stay in theirs
    room_high_x: float
    room_low_y: float
    room_high_y: float
    push_x: float  # velocity that pushes have added in this step
    push_y: float
    stride: float  # how long it moves in a step; 0 for the length of the step
    own_stride: float  # the same while its own time is not scaled
    pace: float  # scale of its own time
    movement: int  # STRAIGHT or CURVED
    meets: int  # whether it may meet another body within a step
    index: int
    walls: Wall  # four: low x, high x, low y, high y
    carrier: int  # index of the craft that its bounds are relative to, or -1


STATE: Final = Body.offsets["before_x"]
"""Cells of a craft's state, set by a start and by a new life."""
ALWAYS_RECORDED: Final = Body.offsets["wraps_y"] + 1
MOST_RECORDED: Final = Body.offsets["alive"] + 1


def level_field(place: int) -> str:
    """Return the field that holds a resource, by its index in the scenario."""
    return f"level_{place + 1}"


STRAIGHT: Final = 0  # straight through a step at the speed of its end, as by Euler
CURVED: Final = 1  # on the parabola of its push: half steps, or closed form

FROZEN: Final = -1.0
PAUSED: Final = -2.0  # between two rounds
HELD: Final = -3.0  # while its own time has stopped


@kernel
def stride_of(body: Body, dt: float) -> float:
    """Return how long a craft moves in a step of `dt`; per frame, that is a tuned frame."""
    return body.stride if body.stride > 0.0 else dt


@kernel
def bend_of(push: float, dt: float) -> float:
    """Return the largest offset of the parabola of a step from its chord.

    For y = w s + c s^2, with s from 0 to 1, that is c / 4; c is half of the velocity that the push
    adds in the step, times the step.
    """
    return 0.125 * abs(push) * dt


@kernel
def face(body: Body) -> None:
    """Update the direction of the heading, if the heading has changed."""
    if body.heading != body.faced:
        cos_h, sin_h = sincos(body.heading)
        body.faced = body.heading
        body.face_x = cos_h
        body.face_y = sin_h
