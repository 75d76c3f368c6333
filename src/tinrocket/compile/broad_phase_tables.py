"""Broad phase: bodies that may meet, their parts and roles, and the list of pairs or the grid."""

import math
from collections.abc import Sequence
from functools import cached_property
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from tinrocket.compile.lower_craft import places_of
from tinrocket.compile.memory import LARGEST, Layout, Place, refuse_beyond
from tinrocket.language.records import CELL, Ints
from tinrocket.limits import PAIRS, PAIRS_OF_ONE, most
from tinrocket.motion.contacts import tables as contacts
from tinrocket.motion.contacts.grid import FARTHEST, MAX_CELLS_PER_BODY
from tinrocket.motion.contacts.pairs import CLOSE
from tinrocket.scenario.outlines import Outline, hit_outlines, outlines
from tinrocket.scenario.scenario import Scenario

COUPLES = 4096
"""Most pairs of bodies that are listed one by one; with more, a grid is used."""
CELLS_OF_A_PAIR = sum(
    record.size
    for record in (contacts.Pair, contacts.Status, contacts.RestState, contacts.NearPair)
)
"""About how many cells of memory a pair takes."""
CELLS_OF_ONE, CELLS_BESIDES = 8, 256
"""Cells of the grid that a craft covers on average, and room for the few that cover more."""


class Role(NamedTuple):
    """Properties that decide which contacts a body may have."""

    names: frozenset[str]
    is_craft: bool


class ContactRule(NamedTuple):
    """A contact that two bodies may have."""

    contact: int
    swapped: bool
    mutual: bool


class Bodies:
    """All bodies in index order: craft, the view, pieces of obstacles.

    Parameters
    ----------
    requested
        Names that conditions refer to.
    images
        Number of images of each body that another may meet, across wrapping edges.

    Attributes
    ----------
    count, crafts
        Number of bodies, and of those that are craft or the view, which come first.
    parts
        Parts of each shape, stored once for all members of a pool or grid.
    part_counts, past, extents
        For each body: its number of parts, the index behind its last part, and how far they reach
        from its place along x and y [px].
    """

    def __init__(
        self, scenario: Scenario, up: float, requested: Sequence[str], images: int = 1
    ) -> None:
        shaped = [(hit_outlines(craft, up), craft.count) for craft in scenario.craft]
        shaped += [([Outline(((0.0, 0.0),), 0.0, False)], 1)] if scenario.view else []
        self.scenario = scenario
        self.images = images
        self.crafts = sum(count for _parts, count in shaped)
        shaped += [(outlines(obstacle.shape, up), obstacle.count) for obstacle in scenario.obstacle]
        still = [places_of(obstacle.places) for obstacle in scenario.obstacle]
        self.places = np.concatenate([np.empty((0, 2)), *still])
        self.parts = [part for parts, _count in shaped for part in parts]
        counts, each = np.array([(len(parts), count) for parts, count in shaped]).T
        self.part_counts, self.past = counts.repeat(each), counts.cumsum().repeat(each)
        reach = np.array([part.extent for part in self.parts])
        self.extents = np.maximum.reduceat(reach, counts.cumsum() - counts).repeat(each, axis=0)
        self.count = len(self.past)
        self.weights = np.zeros(self.count)
        for craft, rows in zip(scenario.craft, scenario.fleet.rows, strict=True):
            self.weights[rows] = _weight(craft.mass)
        named = {name for contact in scenario.contact for name in contact.between} | set(requested)
        self.roles, self.role = self._roles(named)

    def _roles(self, named: set[str]) -> tuple[list[Role], NDArray[np.int64]]:
        """Return all roles in the order in which bodies have them, and which each body has."""
        bodies, known = self.scenario.bodies, dict[Role, int]()
        role = np.empty(self.count, dtype=np.int64)
        for rows, family in zip(bodies.rows, bodies.families, strict=True):
            alike = Role(frozenset(named.intersection(family.called)), rows.start < self.crafts)
            role[rows] = known.setdefault(alike, len(known))
        # of equal roles, prefer one that a contact names
        for name in named.intersection(bodies.own):
            body = bodies.own[name]
            shared = bodies.families[bodies.family(body)].called
            own = Role(frozenset(named.intersection((name, *shared))), body < self.crafts)
            role[body] = known.setdefault(own, len(known))
        numbers, firsts, role = np.unique(role, return_index=True, return_inverse=True)
        order = np.argsort(firsts)
        roles = list(known)
        return [roles[numbers[n]] for n in order], np.argsort(order)[role]

    @cached_property
    def laws(self) -> list[list[list[ContactRule]]]:
        """Contacts of two bodies by their roles; that of the lower index comes first."""
        return [[self._laws(role, other) for other in self.roles] for role in self.roles]

    def _laws(self, low: Role, high: Role) -> list[ContactRule]:
        """Return the contacts of two bodies.

        A contact that is named both ways round is one pair, like that of a group with itself.
        """
        laws: list[ContactRule] = []
        known: dict[bool, int] = {}
        for index, contact in enumerate(self.scenario.contact):
            first, second = contact.between
            solid = contact.response in ("bounce", "block")
            for swapped, one, other in ((False, low, high), (True, high, low)):
                if not (one.is_craft and first in one.names and second in other.names):
                    continue
                back = known.get(not swapped) if solid else None
                if back is not None:
                    laws[back] = laws[back]._replace(mutual=True)
                    continue
                if solid:
                    known.setdefault(swapped, len(laws))
                laws.append(ContactRule(index, swapped, False))
        return laws

    def trait_table(self, layout: Layout) -> Place:
        """Return the role of each body."""
        table = layout.reserve(contacts.BodyShape, self.count)
        table.write_rows(
            role=self.role,
            first=self.past - self.part_counts,
            past=self.past,
            weight=self.weights,
            extent_x=self.extents[:, 0],
            extent_y=self.extents[:, 1],
        )
        return table

    def part_table(self, layout: Layout) -> Place:
        """Return the parts of all bodies."""
        table = layout.reserve(contacts.Part, len(self.parts))
        past = np.cumsum([len(part.corners) for part in self.parts])
        extents = np.array([part.extent for part in self.parts])
        table.write_rows(
            first=np.concatenate([[0], past[:-1]]),
            past=past,
            radius=[part.radius for part in self.parts],
            reach=[part.reach for part in self.parts],
            turns=[part.turns for part in self.parts],
            extent_x=extents[:, 0],
            extent_y=extents[:, 1],
        )
        return table

    def law_tables(self, layout: Layout) -> dict[str, Place]:
        """Return the contacts of each two roles."""
        rows = [law for by_other in self.laws for both in by_other for law in both]
        ends = np.cumsum([len(both) for by_other in self.laws for both in by_other])
        table = layout.reserve(contacts.ContactRule, len(rows))
        columns = np.array(rows, dtype=np.int64).reshape(-1, 3).T
        table.write_rows(**dict(zip(ContactRule._fields, columns, strict=True)))
        return {"law_first": layout.indices(np.concatenate([[0], ends])), "laws": table}

    @cached_property
    def _meets(self) -> NDArray[np.int64]:
        """How many contacts bodies of two roles may have."""
        return np.array([[len(both) for both in by_other] for by_other in self.laws])

    @cached_property
    def _couples(self) -> tuple[NDArray[np.int64], NDArray[np.int64]] | None:
        """Return all pairs that may meet, or None if they are too many."""
        members = [np.flatnonzero(self.role == role) for role in range(len(self.roles))]
        meeting = np.argwhere(self._meets > 0)
        if sum(members[one].size * members[other].size for one, other in meeting) > 2 * COUPLES:
            return None
        both = [np.stack(np.meshgrid(members[one], members[other])) for one, other in meeting]
        low, high = np.concatenate([np.empty((2, 0), int), *(n.reshape(2, -1) for n in both)], 1)
        listed = np.lexsort((high, low))
        listed = listed[low[listed] < high[listed]]
        return low[listed], high[listed]

    def couples(self, layout: Layout) -> dict[str, Place | int]:
        """Return the list of pairs that may meet, or a grid that finds close bodies."""
        if self._couples is None:
            return {"couple_count": -1, "grid": self._grid(layout)}
        low, high = self._couples
        table = layout.reserve(contacts.CandidatePair, len(low))
        apart = self.extents[low] + self.extents[high] + CLOSE
        table.write_rows(low=low, high=high, apart_x=apart[:, 0], apart_y=apart[:, 1])
        return {"couple_count": len(low), "couples": table}

    def _grid(self, layout: Layout) -> Place:
        """Return a grid with cells three times as wide as most craft."""
        arena = self.scenario.arena
        wide = 6.0 * float(np.median(self.extents[: self.crafts].max(axis=1)))
        apart = math.sqrt(arena.width * arena.height / self.count) / 2
        cell, across = max(wide, apart), _across(self.crafts)
        entries = CELLS_OF_ONE * self.crafts + CELLS_BESIDES
        grid = layout.reserve(contacts.Grid, state=True)
        grid.write(
            cell=cell,
            across=across,
            heads=layout.reserve(Ints, across * across),
            entries=layout.reserve(contacts.Entry, entries),
            entry_room=entries,
            wide=layout.reserve(Ints, self.crafts, state=True),
            **self._still_cells(cell, layout),
        )
        return grid

    def _still_cells(self, cell: float, layout: Layout) -> dict[str, Place | int]:
        """Return the cells of each still body, as `grid.covered` computes them."""
        reach, bodies = self.extents[self.crafts :], np.arange(self.crafts, self.count)
        low = np.floor((self.places - reach) / cell)
        size = np.floor((self.places + reach) / cell) - low + 1.0
        taken = size.prod(axis=1)
        narrow = (taken <= MAX_CELLS_PER_BODY) & (np.abs(low) < FARTHEST).all(axis=1)
        low, rows = low[narrow], size[narrow, 1].astype(np.int64)
        counts = taken[narrow].astype(np.int64)
        nth = np.arange(counts.sum()) - (counts.cumsum() - counts).repeat(counts)
        across = _across(bodies.size)
        column, row = low.repeat(counts, axis=0).T + np.divmod(nth, rows.repeat(counts))
        cells = (column % across + row % across * across).astype(np.int64)
        firsts = np.bincount(cells, minlength=across * across).cumsum()
        wide = bodies[~narrow]
        return {
            "still_across": across,
            "still_first": layout.indices(np.concatenate([[0], firsts])),
            "still": layout.indices(
                bodies[narrow].repeat(counts)[np.argsort(cells, kind="stable")]
            ),
            "still_wide": layout.indices(wide),
            "still_wide_count": wide.size,
        }

    @cached_property
    def room(self) -> int:
        """Number of pairs of parts that there is room for: all of them, or of many the close ones.

        A craft within a mask is close to all of its parts: reserve room for all of them.
        """

        def pairs(parts: NDArray[np.int64]) -> float:
            counts = np.bincount(self.role, parts, len(self.roles))
            # each pair is listed from both of its bodies
            return 0.5 * float((np.outer(counts, counts) * self._meets).sum())

        every, single = pairs(self.part_counts), pairs((self.part_counts == 1).astype(np.int64))
        every, single = self.images * every, self.images * single
        usual = PAIRS + PAIRS_OF_ONE * self.crafts
        raised = most(PAIRS) + most(PAIRS_OF_ONE) * self.crafts
        fits = LARGEST / (2 * CELL * CELLS_OF_A_PAIR) - (every - single)  # beside all other tables
        close = max(usual, min(raised, fits)) + every - single
        room = max(math.ceil(min(every, close)), 1)
        refuse_beyond(room * CELLS_OF_A_PAIR)
        return room


def _weight(mass: float | str | None) -> float:
    """Return 1 / mass: 0 for a body that nothing moves, negative for one without mass."""
    if mass is None:
        return -1.0
    return 0.0 if isinstance(mass, str) else 1.0 / mass


def _across(bodies: int) -> int:
    """Return how many cells along x and along y a grid of so many bodies has."""
    return 1 << max(math.ceil(math.log2(max(2 * bodies, 1)) / 2), 3)
