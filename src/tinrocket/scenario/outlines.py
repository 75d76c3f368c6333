"""Shapes as convex polygons with rounded corners: drawn shapes and hit shapes."""

import math
from collections.abc import Sequence
from dataclasses import dataclass

from tinrocket.scenario import shapes
from tinrocket.scenario.arena import Reach
from tinrocket.scenario.craft import Craft

Corner = tuple[float, float]

ELLIPSE = 32
"""Number of corners of an ellipse."""


@dataclass(frozen=True, slots=True)
class Outline:
    """A convex polygon widened by a radius; its inside is to the left of its edges."""

    corners: tuple[Corner, ...]
    radius: float
    turns: bool

    @property
    def reach(self) -> float:
        """Distance of its farthest point from its place."""
        return math.sqrt(max(x * x + y * y for x, y in self.corners)) + self.radius

    @property
    def extent(self) -> tuple[float, float]:
        """Largest extent along x and y at any heading."""
        if self.turns:
            return self.reach, self.reach
        x, y = (max(map(abs, places)) for places in zip(*self.corners, strict=True))
        return x + self.radius, y + self.radius

    @property
    def sides(self) -> Reach:
        """Extents along x and y, toward low and toward high coordinates."""
        if self.turns:
            return (self.reach, self.reach), (self.reach, self.reach)
        x, y = zip(*self.corners, strict=True)
        return (
            (self.radius - min(x), self.radius + max(x)),
            (self.radius - min(y), self.radius + max(y)),
        )


def reach_of(craft: Craft, up: float) -> Reach:
    """Return the extents of the hit shape of a craft, toward low and high coordinates."""
    if craft.shape is None and craft.hit is None:
        return (craft.radius, craft.radius), (craft.radius, craft.radius)
    sides = [outline.sides for outline in hit_outlines(craft, up)]
    low_x, high_x, low_y, high_y = (
        max(side[axis][end] for side in sides) for axis in (0, 1) for end in (0, 1)
    )
    return (low_x, high_x), (low_y, high_y)


def hit_outlines(craft: Craft, up: float) -> list[Outline]:
    """Return the hit shape of a craft."""
    shape = craft.shape
    if shape is None and craft.radius == 0.0 and craft.hit is None:
        return [Outline(((0.0, 0.0),), 0.0, False)]
    drawn = shape or shapes.Circle(radius=max(craft.radius, 1e-9))
    return hit_outlines_of(drawn, craft.hit, up) or outlines(drawn, up)


def hit_outlines_of(drawn: shapes.Shape, hit: shapes.Hit | None, up: float) -> list[Outline]:
    """Return the hit shape of a drawn shape; None if both are the same."""
    if hit is None:
        return []
    if hit.shape is not None:
        return outlines(hit.shape, up)
    whole = outlines(drawn, up)
    if hit.scale is not None:
        return [_scaled(outline, hit.scale) for outline in whole]
    return [inset(outline, hit.inset or 0.0) for outline in whole]


def _scaled(outline: Outline, size: float) -> Outline:
    corners = tuple((x * size, y * size) for x, y in outline.corners)
    return Outline(corners, outline.radius * size, outline.turns)


def outlines(shape: shapes.StillShape, up: float) -> list[Outline]:
    """Return the convex parts of a shape, several for a mask; `up` is 1 if y grows upward."""
    if not isinstance(shape, shapes.Mask):
        return [outline(shape)]
    middle_x, middle_y, size = len(shape.rows[0]) / 2, len(shape.rows) / 2, shape.scale
    parts = []
    for left, top, right, bottom in shape.rectangles:
        low, high = sorted((-up * (top - middle_y), -up * (bottom - middle_y)))
        x0, x1 = (left - middle_x) * size, (right - middle_x) * size
        y0, y1 = low * size, high * size
        parts.append(Outline(((x0, y0), (x1, y0), (x1, y1), (x0, y1)), 0.0, shape.turns))
    return parts


def outline(shape: shapes.ConvexShape) -> Outline:
    """Return a convex shape as a rounded polygon."""
    if isinstance(shape, shapes.Circle):
        return Outline(((0.0, 0.0),), shape.radius, False)
    if isinstance(shape, shapes.Segment):
        return Outline(((0.0, 0.0), shape.to), 0.0, False)
    if isinstance(shape, shapes.Polygon):
        corners = shape.points
        pairs = zip(corners, (*corners[1:], corners[0]), strict=True)
        area = sum(ax * by - ay * bx for (ax, ay), (bx, by) in pairs)
        return Outline(corners if area > 0 else corners[::-1], 0.0, shape.turns)
    unit: Sequence[Corner]
    if isinstance(shape, shapes.Box):
        unit = ((-1.0, -1.0), (1.0, -1.0), (1.0, 1.0), (-1.0, 1.0))
    elif isinstance(shape, shapes.Diamond):
        unit = ((1.0, 0.0), (0.0, 1.0), (-1.0, 0.0), (0.0, -1.0))
    else:
        angles = [n * (2 * math.pi / ELLIPSE) for n in range(ELLIPSE)]
        unit = [(math.cos(angle), math.sin(angle)) for angle in angles]
    half_x, half_y = shape.width / 2, shape.height / 2
    return Outline(tuple((x * half_x, y * half_y) for x, y in unit), 0.0, shape.turns)


def inset(drawn: Outline, by_px: float) -> Outline:
    """Return an outline inset by some px; a negative inset enlarges it."""
    corners = drawn.corners
    if len(corners) == 1:
        return Outline(corners, max(drawn.radius - by_px, 0.0), drawn.turns)
    inward = []
    for (ax, ay), (bx, by) in zip(corners, (*corners[1:], corners[0]), strict=True):
        length = math.sqrt((bx - ax) * (bx - ax) + (by - ay) * (by - ay))
        inward.append((-(by - ay) / length, (bx - ax) / length))
    moved = []
    for index, (x, y) in enumerate(corners):
        (nx, ny), (mx, my) = inward[index], inward[index - 1]
        share = by_px / (1.0 + nx * mx + ny * my)
        moved.append((x + share * (nx + mx), y + share * (ny + my)))
    return Outline(tuple(moved), drawn.radius, drawn.turns)
