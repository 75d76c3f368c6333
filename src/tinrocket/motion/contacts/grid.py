"""Broad phase: bodies by the cells of a spatial grid that their paths may enter.

The grid is periodic, so that a body far out is in some cell too. A body that would cover too many
cells is listed separately, and paired with all. Craft are inserted in each step; still bodies have
a grid of their own from the start.
"""

from typing import Final

from tinrocket.language.intrinsics import INFINITE, floor
from tinrocket.language.subset import kernel
from tinrocket.motion.contacts.images import lay_box, move_box, reaches_any
from tinrocket.motion.contacts.pairs import consider, mark_partners, room_of
from tinrocket.motion.contacts.tables import Box, Grid
from tinrocket.motion.world import World

MAX_CELLS_PER_BODY: Final = 36.0
"""Most cells that one body covers, or is searched in."""
FARTHEST: Final = 1e12
"""The last distinct column and row."""


@kernel
def cell_of(across: int, column: float, row: float) -> int:
    """Return the cell of the table that a cell of the periodic grid maps to."""
    side = float(across)
    x = column - floor(column / side) * side
    y = row - floor(row / side) * side
    return int(x + y * side)


@kernel
def covered(
    grid: Grid, x: float, y: float, far_x: float, far_y: float
) -> tuple[float, float, float, float]:
    """Return the first column and row that a box covers, and their numbers, which are limited."""
    column, row = floor((x - far_x) / grid.cell), floor((y - far_y) / grid.cell)
    columns = floor((x + far_x) / grid.cell) - column + 1.0
    rows = floor((y + far_y) / grid.cell) - row + 1.0
    if columns * rows <= MAX_CELLS_PER_BODY and abs(column) < FARTHEST and abs(row) < FARTHEST:
        return column, row, columns, rows
    return 0.0, 0.0, INFINITE, INFINITE


@kernel
def clear(world: World) -> None:
    """Remove all craft from the grid."""
    grid = world.contacts.grid
    for cell in range(grid.across * grid.across):
        grid.heads[cell] = 0
    grid.entry_count = 0
    for n in range(grid.wide_count):
        world.contacts.paths[grid.wide[n]].wide = 0
    grid.wide_count = 0


@kernel
def enter_cells(world: World, body: int) -> None:
    """Insert a craft into all cells that it may reach in this step."""
    grid, path = world.contacts.grid, world.contacts.paths[body]
    far_x, far_y = room_of(world, body)
    column, row, columns, rows = covered(grid, path.home_x, path.home_y, far_x, far_y)
    if columns < INFINITE and grid.entry_count + int(columns * rows) <= grid.entry_room:
        for x in range(int(columns)):
            for y in range(int(rows)):
                cell = cell_of(grid.across, column + float(x), row + float(y))
                entry = grid.entries[grid.entry_count]
                grid.entry_count += 1
                entry.body = body
                entry.next = grid.heads[cell]
                grid.heads[cell] = grid.entry_count
    elif path.wide == 0:
        path.wide = 1
        grid.wide[grid.wide_count] = body
        grid.wide_count += 1


@kernel
def search_still(world: World, body: int, after: int, box: Box) -> None:
    """Find still bodies, listed after a body, that overlap a box."""
    grid = world.contacts.grid
    column, row, columns, rows = covered(grid, box.x, box.y, box.far_x, box.far_y)
    for n in range(grid.still_wide_count):
        if grid.still_wide[n] > after:
            consider(world, body, grid.still_wide[n], box)
    for right in range(int(columns)):
        for below in range(int(rows)):
            cell = cell_of(grid.still_across, column + float(right), row + float(below))
            for n in range(grid.still_first[cell], grid.still_first[cell + 1]):
                if grid.still[n] > after:
                    consider(world, body, grid.still[n], box)


@kernel
def search_box(world: World, body: int, after: int, box: Box) -> None:
    """Find bodies, listed after one, that may come into a box, and list their pairs with it."""
    contacts, grid = world.contacts, world.contacts.grid
    column, row, columns, rows = 0.0, 0.0, INFINITE, INFINITE
    if contacts.couple_count < 0:
        column, row, columns, rows = covered(grid, box.x, box.y, box.far_x, box.far_y)
    if columns == INFINITE:
        for other in range(after + 1, contacts.body_count):
            consider(world, body, other, box)
        return
    for n in range(grid.wide_count):
        if grid.wide[n] > after:
            consider(world, body, grid.wide[n], box)
    for right in range(int(columns)):
        for below in range(int(rows)):
            cell = cell_of(grid.across, column + float(right), row + float(below))
            listed = grid.heads[cell]
            for _ in range(grid.entry_count):
                if listed == 0:
                    break
                entry = grid.entries[listed - 1]
                if entry.body > after:
                    consider(world, body, entry.body, box)
                listed = entry.next
    search_still(world, body, after, box)


@kernel
def list_in_box(
    world: World, body: int, after: int, x: float, y: float, far_x: float, far_y: float
) -> None:
    """List the pairs of a body with those that may come into a box, unless they are listed."""
    contacts = world.contacts
    mark_partners(world, body, 1)
    search_box(world, body, after, lay_box(contacts.box, x, y, far_x, far_y))
    if contacts.images != 0:
        for image in range(9):
            beside = move_box(world, x, y, image)
            if beside and reaches_any(world, contacts.box):
                search_box(world, body, after, contacts.box)
    mark_partners(world, body, 0)
