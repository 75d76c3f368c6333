"""Which bodies may meet, what they look like, and what then happens, as plain arrays."""

from collections.abc import Callable
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Indices = NDArray[np.int64]

# Responses
PASS: Final = 0  # nothing but the event
BOUNCE: Final = 1
BLOCK: Final = 2  # no further in, but along
STOP: Final = 3  # both stand still from now on
REMOVE: Final = 4  # one or both are gone
SPLIT: Final = 5  # the first is gone, and smaller ones are there

# How it is found that a pair meets
OVERLAP: Final = 0.0
SWEPT: Final = 1.0
SIGHT: Final = 2.0  # by a look along the heading

# Columns of the numbers of a contact
RESPONSE: Final = 0
FIND: Final = 1
PUSH_OUT: Final = 2
RESTITUTION: Final = 3
BY_PLACE: Final = 4  # largest angle [rad] from the normal, by where on the bat; 0: a mirror
SHARE: Final = 5  # of the bat's velocity that is added
KICK: Final = 6  # largest random turn [rad]
FASTER: Final = 7  # factor of the speed at each hit
TOP: Final = 8
HARD: Final = 9  # speed of the bat above which a hit is a hard one
GONE_ONE: Final = 10  # whether the first body is removed
GONE_OTHER: Final = 11
SIDE: Final = 12  # that scores, or -1
POINTS: Final = 13
INTO: Final = 14  # first craft of the pool that a split sends from
INTO_SIZE: Final = 15
PIECES: Final = 16
FAN: Final = 17  # angle between the first and the last piece [rad]
PIECE_SPEED: Final = 18  # factor of the speed of what is split
NUMBERS: Final = 19

# Columns of a path
AT: Final = 0  # the fraction of the step at which the place is reached
PX: Final = 1
PY: Final = 2
WX: Final = 3  # the way that a whole step would be from there
WY: Final = 4
PACE: Final = 5  # the way for each unit of velocity [s]
PATH: Final = 6

KICKS: Final = 4096
"""Random numbers of a contact, after which they begin anew."""


class Meetings(NamedTuple):
    """Bodies are the craft, then what stands still; B in all, of H convex parts, R contacts.

    Most bodies have one part; P pairs of parts may meet.

    Attributes
    ----------
    pairs
        Shape (P, 6): the craft that responds, the other body, the contact, a part of each of
        the two, and the first row of the two bodies and this contact.
    numbers
        Shape (R, NUMBERS): what happens.
    kicks
        Shape (R, KICKS): random numbers in [-1, 1].
    corners
        Shape (K, 2): of all parts, counted from their bodies' places [px].
    first
        Shape (H + 1,): part h has the corners ``first[h]:first[h + 1]``.
    radii, reach
        Shape (H,): by how much the corners are rounded, and how far the farthest point of
        a part is from its body's place [px].
    turns
        Shape (H,): 1 if the corners turn with the heading.
    places
        Shape (B - C, 2): of what stands still.
    apart
        Shape (P, 2): how far from each other the places of a pair can be when it meets, along
        x and along y.
    safe
        Shape (C,): how long after it appears nothing hits a craft [s].
    """

    pairs: Indices
    numbers: Floats
    kicks: Floats
    corners: Floats
    first: Indices
    radii: Floats
    reach: Floats
    turns: Floats
    places: Floats
    apart: Floats
    safe: Floats


Meet = Callable[..., int]
"""As `phase.meet`."""

NO_MEETINGS = Meetings(
    pairs=np.empty((0, 6), dtype=np.int64),
    numbers=np.empty((0, NUMBERS)),
    kicks=np.empty((0, KICKS)),
    corners=np.empty((0, 2)),
    first=np.zeros(1, dtype=np.int64),
    radii=np.empty(0),
    reach=np.empty(0),
    turns=np.empty(0),
    places=np.empty((0, 2)),
    apart=np.empty((0, 2)),
    safe=np.empty(0),
)
