"""All bodies in index order, in families of identical ones."""

from bisect import bisect_right
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import accumulate, chain


def numbered(name: str, count: int) -> tuple[str, ...]:
    """Return the names of the members of a group."""
    return tuple([f"{name} {number}" for number in range(1, count + 1)])


def any_found(names: Iterable[str], called: Sequence[str], count: int) -> bool:
    """Return whether any of some names is a name of a group, or of one of its members.

    Members are numbered after the first name of the group.
    """

    def is_numbered(name: str) -> bool:
        head, _space, number = name.rpartition(" ")
        whole = number.isascii() and number.isdecimal() and not number.startswith("0")
        return head == called[0] and whole and int(number) <= count

    return any(name in called or is_numbered(name) for name in names)


@dataclass(frozen=True, slots=True)
class Lattice:
    """Places side by side and below each other: all combinations, row by row.

    Attributes
    ----------
    x, y
        Coordinates of each column, and of each row [px].
    """

    x: tuple[float, ...]
    y: tuple[float, ...]

    @classmethod
    def of(
        cls, first: tuple[float, float], columns: int, rows: int, step: tuple[float, float]
    ) -> "Lattice":
        """Return places that begin with the first, at equal steps along each axis."""
        return cls(
            tuple([first[0] + column * step[0] for column in range(columns)]),
            tuple([first[1] + row * step[1] for row in range(rows)]),
        )

    def __iter__(self) -> Iterator[tuple[float, float]]:
        """Return every place."""
        return ((x, y) for y in self.y for x in self.x)

    def along(self, axis: str) -> tuple[float, ...]:
        """Return the places along an axis."""
        return self.x if axis == "x" else self.y


@dataclass(frozen=True, slots=True, eq=False)
class Family:
    """Alike bodies: a craft by itself, those of a pool or grid, or the pieces of an obstacle.

    Attributes
    ----------
    called
        Names of the group.
    names
        Name of each member.
    hidden
        Whether members cannot be found by their own names.
    """

    called: tuple[str, ...]
    names: tuple[str, ...]
    hidden: bool = False

    @property
    def count(self) -> int:
        """Number of members."""
        return len(self.names)


class Roster:
    """All families in order; each body has an index.

    Attributes
    ----------
    families
        Families in order.
    firsts, rows
        Index of the first body of each, and the range of its bodies.
    """

    def __init__(self, families: Iterable[Family]) -> None:
        self.families = tuple(families)
        *self.firsts, self._count = accumulate(
            (family.count for family in self.families), initial=0
        )
        self.rows = [
            slice(first, first + family.count)
            for first, family in zip(self.firsts, self.families, strict=True)
        ]

    def __len__(self) -> int:
        """Return the number of bodies."""
        return self._count

    @cached_property
    def names(self) -> tuple[str, ...]:
        """Name of each body."""
        return tuple(chain.from_iterable(family.names for family in self.families))

    @cached_property
    def own(self) -> dict[str, int]:
        """Index of each body that can be found by its own name."""
        numbers: dict[str, int] = {}
        for first, family in zip(self.firsts, self.families, strict=True):
            if not family.hidden:
                numbers.update(zip(family.names, range(first, first + family.count), strict=True))
        return numbers

    @cached_property
    def _shared(self) -> dict[str, list[range]]:
        """Indices of the bodies of each group name."""
        ranges: dict[str, list[range]] = {}
        for first, family in zip(self.firsts, self.families, strict=True):
            for name in family.called:
                ranges.setdefault(name, []).append(range(first, first + family.count))
        return ranges

    @property
    def called(self) -> dict[str, None]:
        """All names, each once."""
        return dict.fromkeys([*self._shared, *self.own])

    def __contains__(self, name: object) -> bool:
        """Return whether a name exists."""
        return isinstance(name, str) and (name in self._shared or name in self.own)

    def numbers(self, *names: str) -> list[int]:
        """Return the indices of the bodies with one of some names, in order."""
        ranges = [numbers for name in names for numbers in self._shared.get(name, ())]
        ranges += [range(self.own[name], self.own[name] + 1) for name in names if name in self.own]
        return sorted(set(chain.from_iterable(ranges))) if len(ranges) != 1 else list(ranges[0])

    def family(self, number: int) -> int:
        """Return the family of a body."""
        return bisect_right(self.firsts, number) - 1

    def known_as(self, name: str) -> tuple[str, ...]:
        """Return the names of the body whose own name this is, if any."""
        if name not in self.own:
            return ()
        return (name, *self.families[self.family(self.own[name])].called)

    def families_of(self, *names: str) -> set[int]:
        """Return the families with a body that has one of some names."""
        wanted = set(names)
        together = {
            n for n, family in enumerate(self.families) if not wanted.isdisjoint(family.called)
        }
        return together | {self.family(self.own[name]) for name in wanted if name in self.own}
