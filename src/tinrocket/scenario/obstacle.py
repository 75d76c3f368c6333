"""Obstacles, which never move: single pieces, and rows or grids of them."""

from tinrocket.scenario.body_index import Family, Lattice, any_found, numbered
from tinrocket.scenario.craft import Count
from tinrocket.scenario.numbers import Length, Model, Name
from tinrocket.scenario.shapes import Point, StillShape


class Obstacle(Model):
    """A body that does not move, or a grid of alike ones."""

    name: Name
    """Name by which contacts refer to all pieces."""
    at: Point
    """Place of the first piece [px]."""
    shape: StillShape
    """Shape of each piece."""
    groups: tuple[Name, ...] = ()
    """Further names under which contacts find it."""
    columns: Count = 1
    """Number of columns."""
    rows: Count = 1
    """Number of rows."""
    step: tuple[Length, Length] = (0.0, 0.0)
    """Distance of columns, and of rows [px]."""

    @property
    def called(self) -> tuple[str, ...]:
        """Names by which contacts refer to all pieces."""
        return (self.name, *self.groups)

    def goes_by(self, *names: str) -> bool:
        """Return whether it, or a piece, has one of some names."""
        return any_found(names, self.called, self.count if self.count > 1 else 0)

    @property
    def count(self) -> int:
        """Number of pieces."""
        return self.columns * self.rows

    @property
    def places(self) -> Lattice:
        """Place of each piece."""
        return Lattice.of(self.at, self.columns, self.rows, self.step)

    @property
    def family(self) -> Family:
        """Names of the pieces, numbered from 1 row by row."""
        names = numbered(self.name, self.count) if self.count > 1 else (self.name,)
        return Family(self.called, names)
