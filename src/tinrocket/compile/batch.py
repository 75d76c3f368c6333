"""Flying many variants in one call: the state is laid out anew for each, with its own numbers."""

from tinrocket.language.intrinsics import copy_cells
from tinrocket.language.records import Floats, Ints, Record
from tinrocket.motion.body import Body


class Slot(Record):
    """A cell that gets a number of its own in each variant."""

    at: Floats
    column: int


class Batch(Record):
    """The cells that differ between variants, and the ones recorded of each."""

    variants: int
    image: Floats  # the state before the first step
    state: Floats
    cells: int
    slots: Slot
    slot_count: int
    columns: Floats  # a row of numbers for each variant
    column_count: int
    out: Body  # how all craft are in the end
    failed: Ints


BODY_CELLS = Body.size

TEXT = """
def fly_batch() -> None:
    for variant in range(batch.variants):
        copy_cells(batch.state, batch.image, batch.cells)
        slots = batch.slots
        columns = batch.columns
        for n in range(batch.slot_count):
            place = slots[n].at
            place[0] = columns[variant * batch.column_count + slots[n].column]
        fly()
        copy_cells(batch.out[variant * world.crafts], bodies, BODY_CELLS * world.crafts)
        failed = batch.failed
        failed[variant] = world.failed
"""
NAMES = {"copy_cells": copy_cells, "BODY_CELLS": BODY_CELLS}
