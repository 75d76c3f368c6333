"""Flying many variants in one call: each starts from the initial state with its own numbers."""

from tinrocket.language.intrinsics import copy_cells
from tinrocket.language.records import Floats, Ints, Record
from tinrocket.motion.body import Body


class Slot(Record):
    """A cell whose number differs between variants."""

    at: Floats
    column: int


class Batch(Record):
    """Cells that differ between variants, and the cells recorded for each variant."""

    variants: int
    image: Floats  # initial state
    state: Floats
    cells: int
    slots: Slot
    slot_count: int
    columns: Floats  # a row of numbers for each variant
    column_count: int
    out: Body  # last state of all craft
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
