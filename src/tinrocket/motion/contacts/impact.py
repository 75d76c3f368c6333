"""Time of impact of two rounded convex polygons, one of which moves along a parabola.

The path in a step is d s + c s^2, with s from 0 to 1; c is zero for straight motion. Shapes that
slide along each other have a gap of mere rounding, and must not catch on corners that they pass: an
impact counts only if it would lead deeper than SLOP. Its time is then computed without that margin.
"""

from typing import Final

from tinrocket.language.intrinsics import sqrt
from tinrocket.language.subset import kernel
from tinrocket.motion.contacts.geometry import SLOP, edge_normal, parting_axis
from tinrocket.motion.contacts.tables import Point, RelativeMotion

NEVER: Final = 2.0
"""Fraction of a step that stands for "no impact"."""
END: Final = 1.0 + 1e-6
"""How far past the step's end a touch at its end is followed to decide if it is an impact."""
NEWTON: Final = 100
"""Most steps of Newton's method and of bisection."""
CLOSEST: Final = 1e-16
"""Shares of a step below this difference count as equal."""
ENTERED: Final = 1e-11
"""Difference of depths that counts as equal [px]."""


@kernel
def lay_way(way: RelativeMotion, dx: float, dy: float, cx: float, cy: float) -> RelativeMotion:
    """Store a path, and return it."""
    way.dx = dx
    way.dy = dy
    way.cx = cx
    way.cy = cy
    return way


@kernel
def falls_to_zero(height: float, slope: float, bend: float) -> float:
    """Return the first s >= 0 at which height + slope s + bend s^2 falls to zero.

    A value at or below zero does so at once if it falls. If it rises, as after a bounce, it does so
    when it returns, or at its highest point if that is below zero. No root is computed as a
    difference of nearly equal numbers.
    """
    if height <= 0.0 and slope <= 0.0:
        return 0.0
    if bend == 0.0:
        return height / -slope if slope < 0.0 else NEVER
    square = slope * slope - 4.0 * bend * height
    if square < 0.0:
        return slope / (-2.0 * bend) if height <= 0.0 else NEVER
    if slope > 0.0:
        return (slope + sqrt(square)) / (-2.0 * bend) if bend < 0.0 else NEVER
    return 2.0 * height / (sqrt(square) - slope)


@kernel
def meets_point(ax: float, ay: float, dx: float, dy: float, radius: float) -> float:
    """Return the fraction of a displacement d after which a point at a is within `radius` of 0."""
    size = dx * dx + dy * dy
    toward = ax * dx + ay * dy
    if toward >= 0.0 or size == 0.0:
        return NEVER
    room = ax * ax + ay * ay - radius * radius
    root = toward * toward - size * room
    if root < 0.0:
        return NEVER
    return max(room / (sqrt(root) - toward), 0.0)


@kernel
def square_at(s: float, e0: float, e1: float, e2: float, e3: float, e4: float) -> float:
    """Return e0 + e1 s + e2 s^2 + e3 s^3 + e4 s^4."""
    return (((e4 * s + e3) * s + e2) * s + e1) * s + e0


@kernel
def slope_at(s: float, e1: float, e2: float, e3: float, e4: float) -> float:
    """Return the derivative of that polynomial."""
    return ((4.0 * e4 * s + 3.0 * e3) * s + 2.0 * e2) * s + e1


@kernel
def curvature_at(s: float, e2: float, e3: float, e4: float) -> float:
    """Return the second derivative of that polynomial."""
    return (12.0 * e4 * s + 6.0 * e3) * s + 2.0 * e2


@kernel
def zeros_of_curvature(e2: float, e3: float, e4: float) -> tuple[float, float]:
    """Return where the slope of that polynomial has extremes, sorted, clamped to 0 and END."""
    square = 9.0 * e3 * e3 - 24.0 * e2 * e4
    if square <= 0.0:
        return END, END
    root = sqrt(square)
    one, other = (-3.0 * e3 - root) / (12.0 * e4), (-3.0 * e3 + root) / (12.0 * e4)
    return min(max(one, 0.0), END), min(max(other, 0.0), END)


@kernel
def zero_of_slope(low: float, high: float, e1: float, e2: float, e3: float, e4: float) -> float:
    """Return the one zero of the slope between two places where its sign differs.

    Newton's method, held within the bounds by bisection.
    """
    rises = slope_at(high, e1, e2, e3, e4) > 0.0
    s = 0.5 * (low + high)
    for _ in range(NEWTON):
        value = slope_at(s, e1, e2, e3, e4)
        if value == 0.0 or high - low <= CLOSEST:
            break
        if (value > 0.0) == rises:
            high = s
        else:
            low = s
        steep = curvature_at(s, e2, e3, e4)
        s = s - value / steep if steep != 0.0 else low
        if not (low < s and s < high):
            s = 0.5 * (low + high)
    return s


@kernel
def zero_of_square(
    low: float, high: float, e0: float, e1: float, e2: float, e3: float, e4: float
) -> float:
    """Return where a polynomial that falls between two places is zero, by the same method."""
    s = 0.5 * (low + high)
    for _ in range(NEWTON):
        value = square_at(s, e0, e1, e2, e3, e4)
        if value == 0.0 or high - low <= CLOSEST:
            break
        if value > 0.0:
            low = s
        else:
            high = s
        steep = slope_at(s, e1, e2, e3, e4)
        s = s - value / steep if steep != 0.0 else low
        if not (low < s and s < high):
            s = 0.5 * (low + high)
    return s


@kernel
def meets_point_in_bend(
    ax: float, ay: float, dx: float, dy: float, cx: float, cy: float, radius: float
) -> float:
    """Return when a point at a, on the path d s + c s^2, comes within `radius` of 0.

    Notes
    -----
    The square of the distance is a polynomial of degree 4.  It falls or rises between the zeros
    of its slope, which has one zero at most between the zeros of its own slope: so each is enclosed
    before it is searched, and none is missed, however flat the path passes.
    """
    e0 = ax * ax + ay * ay - radius * radius
    e1 = 2.0 * (ax * dx + ay * dy)
    e2 = dx * dx + dy * dy + 2.0 * (ax * cx + ay * cy)
    e3 = 2.0 * (dx * cx + dy * cy)
    e4 = cx * cx + cy * cy
    touches = 2.0 * radius * ENTERED
    if (e1 < 0.0 or (e1 == 0.0 and e2 < 0.0)) and e0 <= touches:
        return 0.0
    first, second = zeros_of_curvature(e2, e3, e4)
    begin, low, before = 0.0, 0.0, e0
    # three intervals of the slope; each ends at a zero of it, or at its end
    for stretch in range(6):
        high = first if stretch < 2 else second if stretch < 4 else END
        if stretch % 2 == 0:
            if slope_at(low, e1, e2, e3, e4) * slope_at(high, e1, e2, e3, e4) >= 0.0:
                continue
            high = zero_of_slope(low, high, e1, e2, e3, e4)
        after = square_at(high, e0, e1, e2, e3, e4)
        if before <= touches and after < -touches:
            return begin  # it has touched since then, and enters from here
        if before > 0.0 and after <= 0.0:
            return zero_of_square(begin, high, e0, e1, e2, e3, e4)
        begin, before = high, after
        if stretch % 2 == 1:
            low = high
    return NEVER


@kernel
def meets_corner(ax: float, ay: float, way: RelativeMotion, radius: float) -> float:
    """Return when a point at a comes within `radius` of 0 and then deeper than a touch."""
    dx, dy, cx, cy = way.dx, way.dy, way.cx, way.cy
    inner = radius - SLOP if radius > SLOP else radius
    if cx == 0.0 and cy == 0.0:
        if meets_point(ax, ay, dx, dy, inner) > END:
            return NEVER
        return meets_point(ax, ay, dx, dy, radius)
    if meets_point_in_bend(ax, ay, dx, dy, cx, cy, inner) > END:
        return NEVER
    return meets_point_in_bend(ax, ay, dx, dy, cx, cy, radius)


@kernel
def impact_corners(
    one: Point,
    count: int,
    other: Point,
    others: int,
    radius: float,
    way: RelativeMotion,
) -> tuple[float, float, float]:
    """Return when a corner of `other` meets one of `one`, and the normal."""
    best, normal_x, normal_y = NEVER, 0.0, 0.0
    for k in range(others):
        px, py = other[k].x, other[k].y
        for i in range(count):
            ax, ay = px - one[i].x, py - one[i].y
            t = meets_corner(ax, ay, way, radius)
            if t < best and t <= 1.0:
                nx, ny = ax + (way.dx + way.cx * t) * t, ay + (way.dy + way.cy * t) * t
                length = sqrt(nx * nx + ny * ny)
                if length > 0.0:
                    best, normal_x, normal_y = t, nx / length, ny / length
    return best, normal_x, normal_y


@kernel
def impact_edges(
    one: Point,
    count: int,
    other: Point,
    others: int,
    radius: float,
    way: RelativeMotion,
    sign: float,
) -> tuple[float, float, float]:
    """Return when a corner of `other` meets an edge of `one`, and the normal.

    `sign` is -1 where `one` moves, and `other` moves in reverse, relatively.
    """
    dx, dy, cx, cy = sign * way.dx, sign * way.dy, sign * way.cx, sign * way.cy
    best, normal_x, normal_y = NEVER, 0.0, 0.0
    for i in range(count):
        corner, following = one[i], one[i + 1 if i + 1 < count else 0]
        ax, ay = corner.x, corner.y
        nx, ny, length = edge_normal(corner, following)
        slope, bend = dx * nx + dy * ny, cx * nx + cy * ny
        if slope < 0.0 or bend < 0.0:
            for k in range(others):
                px, py = other[k].x - ax, other[k].y - ay
                height = px * nx + py * ny - radius
                # from behind the edge's line it may rise over it, and fall back onto the edge
                outside = height > -SLOP or (slope > 0.0 and slope * slope > 4.0 * bend * height)
                enters = falls_to_zero(height + SLOP, slope, bend)
                if outside and enters <= END:
                    t = falls_to_zero(height, slope, bend)
                    # past the end of the edge it may still meet the corner
                    qx, qy = px + (dx + cx * enters) * enters, py + (dy + cy * enters) * enters
                    along = qy * nx - qx * ny
                    inside = -1e-12 * length <= along and along <= length * (1.0 + 1e-12)
                    if t < best and t <= 1.0 and inside:
                        best, normal_x, normal_y = t, nx, ny
    return best, normal_x, normal_y


@kernel
def impact_sharp(
    one: Point,
    count: int,
    other: Point,
    others: int,
    way: RelativeMotion,
) -> tuple[float, float, float]:
    """Return when two polygons without a radius come to overlap, and the normal.

    Notes
    -----
    They overlap when no normal of either separates them. The normal along which they are farthest
    apart gives a lower bound of the time of impact; at that time another normal may separate them.
    The last separating normal is the one along which they meet.
    """
    dx, dy, cx, cy = way.dx, way.dy, way.cx, way.cy
    apart, nx, ny = parting_axis(one, count, other, others)
    s, normal_x, normal_y, touch = 0.0, nx, ny, NEVER
    for _ in range(64):
        slope = (dx + 2.0 * cx * s) * nx + (dy + 2.0 * cy * s) * ny
        bend = cx * nx + cy * ny
        step = falls_to_zero(apart + SLOP, slope, bend)
        if apart <= ENTERED - SLOP:
            if s > 0.0:
                return touch, normal_x, normal_y
            if slope < 0.0 or bend >= 0.0:  # they touch already
                return (0.0 if slope < 0.0 else NEVER), nx, ny
            step = falls_to_zero(apart, slope, bend)
        normal_x, normal_y = nx, ny
        touch = s + falls_to_zero(apart, slope, bend)
        if s + step > END or touch > 1.0:
            return NEVER, nx, ny
        x0, y0 = (dx + cx * s) * s, (dy + cy * s) * s
        s += step
        shift(other, others, (dx + cx * s) * s - x0, (dy + cy * s) * s - y0)
        apart, nx, ny = parting_axis(one, count, other, others)
    return NEVER, nx, ny


@kernel
def shift(corners: Point, count: int, dx: float, dy: float) -> None:
    """Move corners."""
    for k in range(count):
        corners[k].x += dx
        corners[k].y += dy


@kernel
def impact(
    one: Point,
    count: int,
    other: Point,
    others: int,
    radius: float,
    way: RelativeMotion,
) -> tuple[float, float, float]:
    """Return when `other`, on the path d s + c s^2, touches `one`, and the normal.

    NEVER if it does not, or is moving away.  The two must not overlap by more than SLOP; the
    normal points from `one` to `other`.  The corners of `other` may be moved.

    Notes
    -----
    First contact of two rounded convex polygons is a corner of one with an edge of the
    other moved out by the radius, or with its corner within the radius.  Both are solved for the
    corners of each against the features of the other.
    """
    if radius == 0.0 and count > 1 and others > 1:
        return impact_sharp(one, count, other, others, way)
    best, normal_x, normal_y = impact_corners(one, count, other, others, radius, way)
    if count > 1:
        t, nx, ny = impact_edges(one, count, other, others, radius, way, 1.0)
        if t < best:
            best, normal_x, normal_y = t, nx, ny
    if others > 1:
        t, nx, ny = impact_edges(other, others, one, count, radius, way, -1.0)
        if t < best:
            best, normal_x, normal_y = t, -nx, -ny
    return best, normal_x, normal_y
