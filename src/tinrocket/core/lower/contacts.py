"""Shapes, obstacles and contacts in the core's terms."""

import math
from collections.abc import Mapping
from dataclasses import dataclass
from itertools import product

import numpy as np
from numpy.typing import NDArray

from tinrocket.core.contacts import meetings as by
from tinrocket.core.contacts.meetings import NO_MEETINGS, Meetings
from tinrocket.core.lower.angles import Heading
from tinrocket.scenario import shapes
from tinrocket.scenario.contact import Contact
from tinrocket.scenario.craft import Craft
from tinrocket.scenario.scenario import Scenario

Floats = NDArray[np.float64]

RESPONSES = {
    "count": by.PASS,
    "bounce": by.BOUNCE,
    "block": by.BLOCK,
    "stop": by.STOP,
    "remove": by.REMOVE,
    "split": by.SPLIT,
}
FINDS = {"overlap": by.OVERLAP, "swept": by.SWEPT, "sight": by.SIGHT}
CLOSE = 1e-6
"""What boxes around bodies are larger, so that rounding hides no contact [px]."""
ELLIPSE = 32
"""Corners of an ellipse."""


@dataclass(frozen=True, slots=True)
class Outline:
    """A convex polygon blown up by a radius."""

    corners: Floats
    radius: float
    turns: bool

    @property
    def reach(self) -> float:
        """How far its farthest point is from its place."""
        return float(np.sqrt((self.corners**2).sum(axis=1)).max()) + self.radius

    @property
    def extent(self) -> Floats:
        """How far from its place it comes along x and along y, however it is turned."""
        if self.turns:
            return np.array([self.reach, self.reach])
        along: Floats = np.abs(self.corners).max(axis=0) + self.radius
        return along


def lower_contacts(
    scenario: Scenario, pools: Mapping[str, tuple[int, int]]
) -> tuple[Meetings, tuple[str, ...]]:
    """Return which bodies may meet, and the names of all bodies."""
    pieces = [(piece, obstacle) for obstacle in scenario.obstacle for piece in obstacle.pieces]
    view = ["view"] if scenario.view else []
    crafts = len(scenario.fleet) + len(view)
    names = [*(craft.name for craft in scenario.fleet), *view, *(one[0] for one, _of in pieces)]
    up = Heading.of(scenario.arena).up
    if not scenario.contact:
        return NO_MEETINGS, tuple(names)
    bodies = [hit_outlines(craft, up) for craft in scenario.fleet]
    bodies += [[Outline(np.zeros((1, 2)), 0.0, False)] for _ in view]
    bodies += [outlines(obstacle.shape, up) for _piece, obstacle in pieces]
    parts = [part for body in bodies for part in body]
    first = np.concatenate([[0], np.cumsum([len(body) for body in bodies])]).tolist()
    called: list[set[str]] = [{craft.name, *craft.groups} for craft in scenario.fleet]
    called += [set() for _ in view]
    called += [{one[0], of.name, *of.groups} for one, of in pieces]
    pairs: list[tuple[int, ...]] = []
    for index, contact in enumerate(scenario.contact):
        others = [number for number, names in enumerate(called) if contact.between[1] in names]
        for one in (number for number in range(crafts) if contact.between[0] in called[number]):
            for other in others:
                both = product(
                    range(first[one], first[one + 1]), range(first[other], first[other + 1])
                )
                if other != one:
                    group = len(pairs)
                    pairs += [(one, other, index, *shapes_of, group) for shapes_of in both]
    met = np.array(pairs, dtype=np.int64).reshape(-1, 6)
    extents = np.array([one.extent for one in parts])
    # who looks for something to hit may do so from afar
    closeness = np.array([np.inf if one.find == "sight" else CLOSE for one in scenario.contact])
    sizes = [len(one.corners) for one in parts]
    meetings = Meetings(
        pairs=met,
        numbers=np.array([_numbers(contact, scenario, pools) for contact in scenario.contact]),
        kicks=np.array([_kicks(contact) for contact in scenario.contact]),
        corners=np.concatenate([one.corners for one in parts]),
        first=np.concatenate([[0], np.cumsum(sizes)]).astype(np.int64),
        radii=np.array([one.radius for one in parts]),
        reach=np.array([one.reach for one in parts]),
        turns=np.array([float(one.turns) for one in parts]),
        apart=extents[met[:, 3]] + extents[met[:, 4]] + closeness[met[:, 2]][:, None],
        safe=np.array([craft.safe for craft in scenario.fleet]),
        places=np.array([place for (_name, *place), _of in pieces]).reshape(-1, 2),
    )
    return meetings, tuple(names)


def _numbers(
    contact: Contact, scenario: Scenario, pools: Mapping[str, tuple[int, int]]
) -> list[float]:
    numbers, find = [0.0] * by.NUMBERS, scenario.find
    numbers[by.RESPONSE] = RESPONSES[contact.response]
    numbers[by.FIND] = FINDS[contact.find or find]
    numbers[by.PUSH_OUT] = float(contact.push_out)
    numbers[by.RESTITUTION] = contact.restitution
    if contact.angle == "by_place":
        numbers[by.BY_PLACE] = math.radians(contact.largest_angle)
    numbers[by.SHARE] = contact.bat_share
    numbers[by.KICK] = math.radians(contact.kick)
    numbers[by.FASTER] = contact.faster
    numbers[by.TOP] = math.inf if contact.top is None else contact.top
    numbers[by.HARD] = math.inf if contact.hard_above is None else contact.hard_above
    numbers[by.GONE_ONE] = float(contact.gone in ("first", "both"))
    numbers[by.GONE_OTHER] = float(contact.gone in ("second", "both"))
    numbers[by.SIDE] = float(scenario.sides.index(contact.scores)) if contact.scores else -1.0
    numbers[by.POINTS] = contact.points
    if contact.into:
        numbers[by.INTO], numbers[by.INTO_SIZE] = pools[contact.into]
        numbers[by.PIECES], numbers[by.PIECE_SPEED] = contact.pieces, contact.piece_speed
        numbers[by.FAN] = math.radians(contact.fan)
    return numbers


def _kicks(contact: Contact) -> Floats:
    return np.random.default_rng(contact.seed).uniform(-1.0, 1.0, by.KICKS)


def hit_outlines(craft: Craft, up: float) -> list[Outline]:
    """Return what of a craft can be hit."""
    shape = craft.shape
    if shape is None and craft.radius == 0.0 and craft.hit is None:
        return [Outline(np.zeros((1, 2)), 0.0, False)]
    drawn = shape or shapes.Circle(radius=max(craft.radius, 1e-9))
    return hit_outlines_of(drawn, craft.hit, up) or outlines(drawn, up)


def hit_outlines_of(drawn: shapes.Shape, hit: shapes.Hit | None, up: float) -> list[Outline]:
    """Return what can be hit of what is drawn; nothing if it is just that."""
    if hit is None:
        return []
    if hit.shape is not None:
        return outlines(hit.shape, up)
    whole = outlines(drawn, up)
    if hit.scale is not None:
        size = hit.scale
        return [Outline(one.corners * size, one.radius * size, one.turns) for one in whole]
    return [inset(one, hit.inset or 0.0) for one in whole]


def outlines(shape: shapes.StillShape, up: float) -> list[Outline]:
    """Return the convex parts of a shape: one, but of a mask; `up` is 1 where y grows upward."""
    if not isinstance(shape, shapes.Mask):
        return [outline(shape)]
    middle_x, middle_y, size = len(shape.rows[0]) / 2, len(shape.rows) / 2, shape.scale
    parts = []
    for left, top, right, bottom in shape.rectangles:
        low, high = sorted((-up * (top - middle_y), -up * (bottom - middle_y)))
        x = np.array([left, right, right, left]) - middle_x
        corners = np.stack([x, [low, low, high, high]], axis=1) * size
        parts.append(Outline(corners, 0.0, shape.turns))
    return parts


def outline(shape: shapes.ConvexShape) -> Outline:
    """Return a shape as a rounded polygon whose inside is to the left of its edges."""
    if isinstance(shape, shapes.Circle):
        return Outline(np.zeros((1, 2)), shape.radius, False)
    if isinstance(shape, shapes.Segment):
        return Outline(np.array([(0.0, 0.0), shape.to]), 0.0, False)
    if isinstance(shape, shapes.Polygon):
        corners = np.array(shape.points)
        following = np.roll(corners, -1, axis=0)
        area = (corners[:, 0] * following[:, 1] - corners[:, 1] * following[:, 0]).sum()
        return Outline(corners if area > 0 else corners[::-1].copy(), 0.0, shape.turns)
    half = np.array([shape.width / 2, shape.height / 2])
    if isinstance(shape, shapes.Box):
        corners = np.array([(-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0)])
    elif isinstance(shape, shapes.Diamond):
        corners = np.array([(1.0, 0.0), (0.0, 1.0), (-1.0, 0.0), (0.0, -1.0)])
    else:
        angles = np.arange(ELLIPSE) * (2 * math.pi / ELLIPSE)
        corners = np.stack([np.cos(angles), np.sin(angles)], axis=1)
    return Outline(corners * half, 0.0, shape.turns)


def inset(drawn: Outline, by_px: float) -> Outline:
    """Return an outline whose sides lie further in by some px; below zero further out."""
    if len(drawn.corners) == 1:
        return Outline(drawn.corners, max(drawn.radius - by_px, 0.0), drawn.turns)
    corners = drawn.corners
    edges = np.roll(corners, -1, axis=0) - corners
    normals = np.stack([-edges[:, 1], edges[:, 0]], axis=1)  # inward
    normals /= np.sqrt((normals**2).sum(axis=1))[:, None]
    before = np.roll(normals, 1, axis=0)
    meet = (normals * before).sum(axis=1)
    moved = corners + by_px * (normals + before) / (1.0 + meet)[:, None]
    return Outline(moved, drawn.radius, drawn.turns)
