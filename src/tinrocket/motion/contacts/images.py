"""Images of bodies: across an edge that wraps, the arena continues at its other edge.

A body half over such an edge meets bodies there. A pair stores the image of its other body as the
number of arenas between the two if neither had wrapped, which does not change as they wrap.
"""

from tinrocket.language.subset import kernel
from tinrocket.motion.contacts.tables import Box, Pair
from tinrocket.motion.sides import WRAP, X_HIGH, X_LOW, Y_HIGH, Y_LOW
from tinrocket.motion.world import World


@kernel
def wraps_x(world: World, body: int) -> bool:
    """Return whether a body wraps along x; obstacles do not."""
    if body >= world.crafts or world.contacts.period_x == 0.0:
        return False
    walls = world.bodies[body].walls
    return walls[X_LOW].kind == WRAP and walls[X_HIGH].kind == WRAP


@kernel
def wraps_y(world: World, body: int) -> bool:
    """Return whether a body wraps along y."""
    if body >= world.crafts or world.contacts.period_y == 0.0:
        return False
    walls = world.bodies[body].walls
    return walls[Y_LOW].kind == WRAP and walls[Y_HIGH].kind == WRAP


@kernel
def laps_of(world: World, body: int) -> tuple[float, float]:
    """Return the number of wraps of a body along x and y."""
    laps_x, laps_y = 0.0, 0.0
    if wraps_x(world, body):
        laps_x = world.bodies[body].wraps_x
    if wraps_y(world, body):
        laps_y = world.bodies[body].wraps_y
    return laps_x, laps_y


@kernel
def image_of(world: World, low: int, high: int, across: float, down: float) -> tuple[float, float]:
    """Return the image of the second body that lies a number of arenas across and down."""
    low_x, low_y = laps_of(world, low)
    high_x, high_y = laps_of(world, high)
    return across + low_x - high_x, down + low_y - high_y


@kernel
def shift_of(world: World, pair: Pair) -> tuple[float, float]:
    """Return the offset of the image of the other body of a pair from the body itself."""
    contacts = world.contacts
    if contacts.images == 0:
        return 0.0, 0.0
    one_x, one_y = laps_of(world, pair.one)
    other_x, other_y = laps_of(world, pair.other)
    across, down = pair.image_x + other_x - one_x, pair.image_y + other_y - one_y
    return across * contacts.period_x, down * contacts.period_y


@kernel
def seen_at(world: World, pair: Pair) -> tuple[float, float]:
    """Return the place of the other of a pair, as the first meets it."""
    path = world.contacts.paths[pair.other]
    if world.contacts.images == 0:
        return path.x, path.y
    shift_x, shift_y = shift_of(world, pair)
    return path.x + shift_x, path.y + shift_y


@kernel
def has_images(world: World, one: int, other: int, across: float, down: float) -> bool:
    """Return whether one of two bodies wraps along each axis along which the image is displaced."""
    along_x = across == 0.0 or wraps_x(world, one) or wraps_x(world, other)
    return along_x and (down == 0.0 or wraps_y(world, one) or wraps_y(world, other))


@kernel
def lay_box(box: Box, x: float, y: float, far_x: float, far_y: float) -> Box:
    """Store a box around a place, for the body itself and not an image; return it."""
    box.x = x
    box.y = y
    box.far_x = far_x
    box.far_y = far_y
    box.across = 0.0
    box.down = 0.0
    return box


@kernel
def move_box(world: World, x: float, y: float, n: int) -> bool:
    """Move the box around a place for the nth of nine images; return whether there is one."""
    contacts, box = world.contacts, world.contacts.box
    row = int(float(n) / 3.0)
    box.across = float(n - 3 * row) - 1.0
    box.down = float(row) - 1.0
    box.x = x - box.across * contacts.period_x
    box.y = y - box.down * contacts.period_y
    if box.across != 0.0 and contacts.period_x == 0.0:
        return False
    if box.down != 0.0 and contacts.period_y == 0.0:
        return False
    return box.across != 0.0 or box.down != 0.0


@kernel
def embrace(world: World, body: int, far_x: float, far_y: float) -> None:
    """Extend the box around all paths by the path of a body."""
    contacts, path = world.contacts, world.contacts.paths[body]
    contacts.least_x = min(contacts.least_x, path.home_x - far_x)
    contacts.most_x = max(contacts.most_x, path.home_x + far_x)
    contacts.least_y = min(contacts.least_y, path.home_y - far_y)
    contacts.most_y = max(contacts.most_y, path.home_y + far_y)


@kernel
def reaches_any(world: World, box: Box) -> bool:
    """Return whether a box meets the box around all paths."""
    contacts = world.contacts
    low_x, high_x = box.x - box.far_x, box.x + box.far_x
    low_y, high_y = box.y - box.far_y, box.y + box.far_y
    within_x = high_x >= contacts.least_x and low_x <= contacts.most_x
    return within_x and high_y >= contacts.least_y and low_y <= contacts.most_y
