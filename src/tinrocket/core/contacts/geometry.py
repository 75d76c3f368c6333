"""Gap and time of impact of two rounded convex polygons.

Every shape is a convex polygon of one or more corners, blown up by a radius: a circle is a
point, a capsule a segment, a box four corners.  So one piece of geometry serves all pairs.
Corners run so that the inside is to the left of each edge, in the arena's own axes.
"""

import math

import numpy as np
from numpy.typing import NDArray

from tinrocket.core.jit import inlined, outlined

Floats = NDArray[np.float64]

NEVER = 2.0
"""A fraction of a step that is not reached."""


@inlined
def edge_normal(ax: float, ay: float, bx: float, by: float) -> tuple[float, float, float]:
    """Outward unit normal of the edge from a to b, and its length [px]."""
    dx, dy = bx - ax, by - ay
    length = math.sqrt(dx * dx + dy * dy)
    return dy / length, -dx / length, length


@outlined
def separation(one: Floats, other: Floats) -> tuple[float, float, float]:
    """Largest distance along a normal of `one` by which `other` lies outside of it.

    Negative if it overlaps along all of them: the depth along the shallowest.  The
    normal points from `one` to `other`.  Shape (n, 2) and (m, 2), n at least 2.
    """
    best, normal_x, normal_y = -math.inf, 0.0, 0.0
    count = len(one)
    for i in range(count):
        j = i + 1 if i + 1 < count else 0
        nx, ny, _length = edge_normal(one[i, 0], one[i, 1], one[j, 0], one[j, 1])
        least = math.inf
        for k in range(len(other)):
            reach = (other[k, 0] - one[i, 0]) * nx + (other[k, 1] - one[i, 1]) * ny
            least = min(least, reach)
        if least > best:
            best, normal_x, normal_y = least, nx, ny
    return best, normal_x, normal_y


@outlined
def nearest(one: Floats, other: Floats) -> tuple[float, float, float]:
    """Way (dx, dy) from `one` to the nearest corner of `other`, and its length squared."""
    best, way_x, way_y = math.inf, 0.0, 0.0
    count = len(one)
    for k in range(len(other)):
        px, py = other[k, 0], other[k, 1]
        for i in range(count):
            j = i + 1 if i + 1 < count else 0
            ax, ay = one[i, 0], one[i, 1]
            ex, ey = one[j, 0] - ax, one[j, 1] - ay
            size = ex * ex + ey * ey
            along = 0.0
            if size > 0.0:
                along = min(max(((px - ax) * ex + (py - ay) * ey) / size, 0.0), 1.0)
            dx, dy = px - ax - along * ex, py - ay - along * ey
            square = dx * dx + dy * dy
            if square < best:
                best, way_x, way_y = square, dx, dy
    return way_x, way_y, best


@outlined
def gap(one: Floats, other: Floats, radius: float) -> tuple[float, float, float]:
    """Gap [px] between two shapes, negative if they overlap, and the unit normal.

    The normal points from `one` to `other`; `radius` is the sum of their radii.
    """
    apart, nx, ny = -math.inf, 1.0, 0.0
    if len(one) > 1:
        apart, nx, ny = separation(one, other)
    if len(other) > 1:
        back, mx, my = separation(other, one)
        if back > apart:
            apart, nx, ny = back, -mx, -my
    # at exactly 0 a point may lie on the line of a segment and yet far from its ends
    if apart < 0.0 and (len(one) > 1 or len(other) > 1):
        return apart - radius, nx, ny
    dx, dy, square = nearest(one, other)
    if len(other) > 1:  # else that was all
        ex, ey, back_square = nearest(other, one)
        if back_square < square:
            dx, dy, square = -ex, -ey, back_square
    distance = math.sqrt(square)
    if distance > 0.0:
        nx, ny = dx / distance, dy / distance
    return distance - radius, nx, ny


@inlined
def meets_corner(
    px: float, py: float, dx: float, dy: float, cx: float, cy: float, radius: float
) -> float:
    """Fraction of the way d after which a point comes within `radius` of a corner."""
    ax, ay = px - cx, py - cy
    size = dx * dx + dy * dy
    toward = ax * dx + ay * dy
    if toward >= 0.0 or size == 0.0:
        return NEVER
    room = ax * ax + ay * ay - radius * radius
    root = toward * toward - size * room
    if root < 0.0:
        return NEVER
    # the smaller root, without taking the difference of near numbers
    return max(room / (math.sqrt(root) - toward), 0.0)


@outlined
def impact(
    one: Floats, other: Floats, radius: float, dx: float, dy: float
) -> tuple[float, float, float]:
    """When `other`, moved by d, comes to touch `one`: a fraction of d, and the unit normal.

    NEVER if it does not, or is moving away.  The two must not overlap; the normal points
    from `one` to `other`.

    Notes
    -----
    First contact of two rounded convex polygons is a corner of one with an edge of the
    other moved out by the radius, or with its corner within the radius.  Both are solved
    in closed form, for the corners of each against the features of the other.
    """
    best, normal_x, normal_y = NEVER, 0.0, 0.0
    for side in range(2):
        fixed, moved = (one, other) if side == 0 else (other, one)
        way_x, way_y = (dx, dy) if side == 0 else (-dx, -dy)
        count = len(fixed)
        for k in range(len(moved)):
            px, py = moved[k, 0], moved[k, 1]
            for i in range(count):
                ax, ay = fixed[i, 0], fixed[i, 1]
                # corners of one with those of the other are all met from the first side
                if side == 0 and (radius > 0.0 or count == 1 or len(moved) == 1):
                    t = meets_corner(px, py, way_x, way_y, ax, ay, radius)
                    if t < best and t <= 1.0:
                        nx, ny = px + t * way_x - ax, py + t * way_y - ay
                        length = math.sqrt(nx * nx + ny * ny)
                        if length > 0.0:
                            best, normal_x, normal_y = t, nx / length, ny / length
                if count == 1:
                    continue
                j = i + 1 if i + 1 < count else 0
                nx, ny, length = edge_normal(ax, ay, fixed[j, 0], fixed[j, 1])
                speed = way_x * nx + way_y * ny
                if speed >= 0.0:
                    continue
                height = (px - ax) * nx + (py - ay) * ny - radius
                t = max(height, 0.0) / -speed
                if t >= best or t > 1.0 or height < -1e-6 * (1.0 + radius):
                    continue
                x, y = px + t * way_x - ax, py + t * way_y - ay
                along = y * nx - x * ny
                if -1e-12 * length <= along <= length * (1.0 + 1e-12):
                    best, normal_x, normal_y = t, nx, ny
                    if side == 1:
                        normal_x, normal_y = -nx, -ny
    return best, normal_x, normal_y
