"""Gap and time of impact of two rounded convex polygons.

Every shape is a convex polygon of one or more corners, blown up by a radius: a circle is a
point, a capsule a segment, a box four corners.  So one piece of geometry serves all pairs.
Corners run so that the inside is to the left of each edge, in the arena's own axes.
"""

from typing import Final

from tinrocket.kernel.intrinsics import INFINITE, sqrt
from tinrocket.kernel.subset import kernel
from tinrocket.motion.contacts.tables import Point

NEVER: Final = 2.0
"""A fraction of a step that is not reached."""


@kernel
def edge_normal(a: Point, b: Point) -> tuple[float, float, float]:
    """Return the outward unit normal of the edge from a to b, and its length."""
    dx, dy = b.x - a.x, b.y - a.y
    length = sqrt(dx * dx + dy * dy)
    return dy / length, -dx / length, length


@kernel
def separation(one: Point, count: int, other: Point, others: int) -> tuple[float, float, float]:
    """Return the largest distance along a normal of `one` by which `other` lies outside of it.

    Negative if it overlaps along all of them: the depth along the shallowest.  The
    normal points from `one` to `other`; `one` has at least two corners.
    """
    best, normal_x, normal_y = -INFINITE, 0.0, 0.0
    for i in range(count):
        corner, following = one[i], one[i + 1 if i + 1 < count else 0]
        nx, ny, _length = edge_normal(corner, following)
        least = INFINITE
        for k in range(others):
            reach = (other[k].x - corner.x) * nx + (other[k].y - corner.y) * ny
            least = min(least, reach)
        if least > best:
            best, normal_x, normal_y = least, nx, ny
    return best, normal_x, normal_y


@kernel
def nearest(one: Point, count: int, other: Point, others: int) -> tuple[float, float, float]:
    """Return the way from `one` to the nearest corner of `other`, and its length squared."""
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

    The normal points from `one` to `other`; `radius` is the sum of their radii.
    """
    apart, nx, ny = -INFINITE, 1.0, 0.0
    if count > 1:
        apart, nx, ny = separation(one, count, other, others)
    if others > 1:
        back, mx, my = separation(other, others, one, count)
        if back > apart:
            apart, nx, ny = back, -mx, -my
    # at exactly 0 a point may lie on the line of a segment and yet far from its ends
    if apart < 0.0 and (count > 1 or others > 1):
        return apart - radius, nx, ny
    dx, dy, square = nearest(one, count, other, others)
    if others > 1:  # else that was all
        ex, ey, back_square = nearest(other, others, one, count)
        if back_square < square:
            dx, dy, square = -ex, -ey, back_square
    distance = sqrt(square)
    if distance > 0.0:
        nx, ny = dx / distance, dy / distance
    return distance - radius, nx, ny


@kernel
def meets_corner(ax: float, ay: float, dx: float, dy: float, radius: float) -> float:
    """Return the fraction of the way d after which a point at a comes within `radius` of 0."""
    size = dx * dx + dy * dy
    toward = ax * dx + ay * dy
    if toward >= 0.0 or size == 0.0:
        return NEVER
    room = ax * ax + ay * ay - radius * radius
    root = toward * toward - size * room
    if root < 0.0:
        return NEVER
    # the smaller root, without taking the difference of near numbers
    return max(room / (sqrt(root) - toward), 0.0)


@kernel
def impact_corners(
    one: Point, count: int, other: Point, others: int, radius: float, dx: float, dy: float
) -> tuple[float, float, float]:
    """Return when a corner of `other`, moved by d, meets one of `one`, and the normal."""
    best, normal_x, normal_y = NEVER, 0.0, 0.0
    for k in range(others):
        px, py = other[k].x, other[k].y
        for i in range(count):
            ax, ay = px - one[i].x, py - one[i].y
            t = meets_corner(ax, ay, dx, dy, radius)
            if t < best and t <= 1.0:
                nx, ny = ax + t * dx, ay + t * dy
                length = sqrt(nx * nx + ny * ny)
                if length > 0.0:
                    best, normal_x, normal_y = t, nx / length, ny / length
    return best, normal_x, normal_y


@kernel
def impact_edges(
    one: Point, count: int, other: Point, others: int, radius: float, dx: float, dy: float
) -> tuple[float, float, float]:
    """Return when a corner of `other`, moved by d, meets an edge of `one`, and the normal."""
    best, normal_x, normal_y = NEVER, 0.0, 0.0
    for i in range(count):
        corner, following = one[i], one[i + 1 if i + 1 < count else 0]
        ax, ay = corner.x, corner.y
        nx, ny, length = edge_normal(corner, following)
        speed = dx * nx + dy * ny
        if speed < 0.0:
            for k in range(others):
                px, py = other[k].x - ax, other[k].y - ay
                height = px * nx + py * ny - radius
                t = max(height, 0.0) / -speed
                if t < best and t <= 1.0 and height >= -1e-6 * (1.0 + radius):
                    along = (py + t * dy) * nx - (px + t * dx) * ny
                    if -1e-12 * length <= along and along <= length * (1.0 + 1e-12):
                        best, normal_x, normal_y = t, nx, ny
    return best, normal_x, normal_y


@kernel
def impact(
    one: Point, count: int, other: Point, others: int, radius: float, dx: float, dy: float
) -> tuple[float, float, float]:
    """Return when `other`, moved by d, comes to touch `one`: a fraction of d, and the normal.

    NEVER if it does not, or is moving away.  The two must not overlap; the normal points
    from `one` to `other`.

    Notes
    -----
    First contact of two rounded convex polygons is a corner of one with an edge of the
    other moved out by the radius, or with its corner within the radius.  Both are solved
    in closed form, for the corners of each against the features of the other.
    """
    best, normal_x, normal_y = NEVER, 0.0, 0.0
    if radius > 0.0 or count == 1 or others == 1:
        best, normal_x, normal_y = impact_corners(one, count, other, others, radius, dx, dy)
    if count > 1:
        t, nx, ny = impact_edges(one, count, other, others, radius, dx, dy)
        if t < best:
            best, normal_x, normal_y = t, nx, ny
    if others > 1:
        t, nx, ny = impact_edges(other, others, one, count, radius, -dx, -dy)
        if t < best:
            best, normal_x, normal_y = t, -nx, -ny
    return best, normal_x, normal_y
