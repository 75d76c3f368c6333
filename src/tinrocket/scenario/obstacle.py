"""Obstacles, which never move: single pieces, and rows or grids of them."""

from tinrocket.scenario.body_index import Family, Lattice, any_found, numbered
from tinrocket.scenario.craft import Count
from tinrocket.scenario.numbers import Length, Model, Name
from tinrocket.scenario.shapes import Point, StillShape


class Obstacle(Model):
    """A body that does not move, or a grid of alike ones."""

    name: Name
    """By which contacts find all of it."""
    at: Point
    """The place of the first, from which its shape is counted."""
    shape: StillShape
    """Of each piece."""
    groups: tuple[Name, ...] = ()
    """Further names under which contacts find it."""
    columns: Count = 1
    """How many side by side."""
    rows: Count = 1
    """How many below each other."""
    step: tuple[Length, Length] = (0.0, 0.0)
    """From one column to the next, and from one row to the next [px]."""

    @property
    def called(self) -> tuple[str, ...]:
        """The names by which contacts find all of it."""
        return (self.name, *self.groups)

    def goes_by(self, *names: str) -> bool:
        """Whether it, or a piece of it, is found by one of some names."""
        return any_found(names, self.called, self.count if self.count > 1 else 0)

    @property
    def count(self) -> int:
        """How many pieces there are."""
        return self.columns * self.rows

    @property
    def places(self) -> Lattice:
        """Where each piece is."""
        return Lattice.of(self.at, self.columns, self.rows, self.step)

    @property
    def family(self) -> Family:
        """The piece by itself, or all of them, numbered from 1 row by row."""
        names = numbered(self.name, self.count) if self.count > 1 else (self.name,)
        return Family(self.called, names)
