"""What stands still on the bench: single pieces, and rows or grids of them."""

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

    @property
    def pieces(self) -> tuple[tuple[str, float, float], ...]:
        """Name and place of each piece, row by row."""
        many = self.columns * self.rows > 1
        x, y = self.at
        return tuple(
            (
                f"{self.name} {row * self.columns + column + 1}" if many else self.name,
                x + column * self.step[0],
                y + row * self.step[1],
            )
            for row in range(self.rows)
            for column in range(self.columns)
        )
