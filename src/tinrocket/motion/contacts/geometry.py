"""The gap between two rounded convex polygons, and the normal along which they touch.

Every shape is a convex polygon of one or more corners, widened by a radius: a circle is a point, a
capsule a segment, a box four corners. So one geometry serves all pairs.
Corners run so that the inside is to the left of each edge, in the arena's own axes.
"""

from typing import Final

from tinrocket.language.intrinsics import INFINITE, sqrt
from tinrocket.language.subset import kernel
from tinrocket.motion.contacts.tables import Point

SLOP: Final = 1e-8
"""Depth up to which two bodies only touch [px]. The rounding of a long slide stays below it, and is
not taken for an impact.
"""
DEEP: Final = 2e-7
"""Depth from which two bodies are put apart [px]; less depth is left to their motion."""
BLURRED: Final = 1e-6
"""Distance of two corners below which their direction is rounding [px]."""


@kernel
def edge_normal(a: Point, b: Point) -> tuple[float, float, float]:
    """Return the outward unit normal of the edge from a to b, and its length."""
    dx, dy = b.x - a.x, b.y - a.y
    length = sqrt(dx * dx + dy * dy)
    return dy / length, -dx / length, length


@kernel
def reach_along(corner: Point, nx: float, ny: float, other: Point, others: int) -> float:
    """Return the distance of the nearest corner of `other` beyond a corner, along a normal."""
    least = INFINITE
    for k in range(others):
        least = min(least, (other[k].x - corner.x) * nx + (other[k].y - corner.y) * ny)
    return least


@kernel
def separation(one: Point, count: int, other: Point, others: int) -> tuple[float, float, float]:
    """Return the largest distance along a normal of `one` by which `other` lies outside of it.

    If it overlaps along all normals, it is negative: the smallest depth.  The
    normal points from `one` to `other`; `one` has at least two corners.  A segment has its two
    ends as well.
    """
    best, normal_x, normal_y = -INFINITE, 0.0, 0.0
    for i in range(count):
        corner, following = one[i], one[i + 1 if i + 1 < count else 0]
        nx, ny, _length = edge_normal(corner, following)
        reach = reach_along(corner, nx, ny, other, others)
        if reach > best:
            best, normal_x, normal_y = reach, nx, ny
        if count == 2:
            beyond = reach_along(corner, ny, -nx, other, others)
            if beyond > best:
                best, normal_x, normal_y = beyond, ny, -nx
    return best, normal_x, normal_y


@kernel
def parting_axis(one: Point, count: int, other: Point, others: int) -> tuple[float, float, float]:
    """Return the distance of two polygons along the best normal of both, and that normal.

    It is negative if they overlap. The normal points from `one` to `other`.
    """
    apart, nx, ny = -INFINITE, 1.0, 0.0
    if count > 1:
        apart, nx, ny = separation(one, count, other, others)
    if others > 1:
        back, mx, my = separation(other, others, one, count)
        if back > apart:
            apart, nx, ny = back, -mx, -my
    return apart, nx, ny


@kernel
def nearest(one: Point, count: int, other: Point, others: int) -> tuple[float, float, float]:
    """Return the vector from `one` to the nearest corner of `other`, and its squared length."""
    best, way_x, way_y = INFINITE, 0.0, 0.0
    for k in range(others):
        px, py = other[k].x, other[k].y
        for i in range(count):
            corner, following = one[i], one[i + 1 if i + 1 < count else 0]
            ax, ay = corner.x, corner.y
            ex, ey = following.x - ax, following.y - ay
            size = ex * ex + ey * ey
            along = 0.0
            if size > 0.0:
                along = min(max(((px - ax) * ex + (py - ay) * ey) / size, 0.0), 1.0)
            dx, dy = px - ax - along * ex, py - ay - along * ey
            square = dx * dx + dy * dy
            if square < best:
                best, way_x, way_y = square, dx, dy
    return way_x, way_y, best


@kernel
def gap(
    one: Point, count: int, other: Point, others: int, radius: float
) -> tuple[float, float, float]:
    """Return the gap between two shapes, negative if they overlap, and the unit normal.

    The normal points from `one` to `other`; `radius` is the sum of their radii.  Where the inner
    polygons touch, it is their separating normal.
    """
    apart, nx, ny = parting_axis(one, count, other, others)
    # at exactly 0 a point may lie on the line of a segment and yet far from its ends
    if apart < 0.0 and (count > 1 or others > 1):
        return apart - radius, nx, ny
    dx, dy, square = nearest(one, count, other, others)
    if others > 1:  # otherwise the polygons decide
        ex, ey, back_square = nearest(other, others, one, count)
        if back_square < square:
            dx, dy, square = -ex, -ey, back_square
    distance = sqrt(square)
    blurred = distance < BLURRED and (count > 1 or others > 1)
    if distance > 0.0 and not blurred:
        nx, ny = dx / distance, dy / distance
    return distance - radius, nx, ny
