"""Shapes of bodies: convex, or made of rectangles."""

import math
import re
from collections.abc import Iterable
from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from tinrocket.scenario.numbers import Length, Model, PositiveFactor, Size

Point = tuple[Length, Length]

NEAREST = 1e-6
"""Distance below which two corners are equal [px]."""


class Circle(Model):
    """A circle about the place of its body."""

    kind: Literal["circle"] = "circle"
    radius: Size
    """Radius [px]."""


class _Sized(Model):
    width: Size
    """Width [px]."""
    height: Size
    """Height [px]."""
    turns: bool = False
    """Whether it turns with the heading: width is then along it."""


class Box(_Sized):
    """A box about the place of its body, along the arena's axes or turning."""

    kind: Literal["box"] = "box"


class Ellipse(_Sized):
    """An ellipse about the place of its body, as a polygon of 32 corners."""

    kind: Literal["ellipse"] = "ellipse"


class Diamond(_Sized):
    """A box standing on its corner, within a width and a height."""

    kind: Literal["diamond"] = "diamond"


class Polygon(Model):
    """A convex polygon, with corners relative to the place of its body."""

    kind: Literal["polygon"] = "polygon"
    points: tuple[Point, ...] = Field(min_length=3)
    """Corners relative to the place of its body, in either sense [px]."""
    turns: bool = False
    """Whether it turns with the heading."""

    @model_validator(mode="after")
    def _convex_with_an_area(self) -> Self:
        around = [*self.points, *self.points[:2]]
        turns = [
            (bx - ax) * (cy - by) - (by - ay) * (cx - bx)
            for (ax, ay), (bx, by), (cx, cy) in zip(around, around[1:], around[2:], strict=False)
        ]
        if not any(turns):
            raise ValueError("the corners lie on one line; a polygon needs an area")
        if min(turns) < 0.0 < max(turns):
            sense = sum(turns) or max(turns)  # of two equal loops, either
            at = next(i for i, turn in enumerate(turns) if turn * sense < 0.0)
            corner = around[at + 1]
            raise ValueError(
                f"is not convex at the corner {list(corner)}; split it into convex parts"
            )
        ways = [math.atan2(by - ay, bx - ax) for (ax, ay), (bx, by) in pairwise(around[:-1])]
        if abs(sum(math.remainder(b - a, math.tau) for a, b in pairwise([*ways, ways[0]]))) > 7.0:
            raise ValueError("crosses itself; give its corners in their order around it")
        if any(math.dist(a, b) < NEAREST for a, b in pairwise([*self.points, self.points[0]])):
            raise ValueError("two corners that follow each other are the same; drop one of them")
        return self


class Segment(Model):
    """A straight wall without a width, from the place of its body to an end."""

    kind: Literal["segment"] = "segment"
    to: Point
    """End relative to the place of its body [px]."""

    @model_validator(mode="after")
    def _has_a_length(self) -> Self:
        if math.hypot(*self.to) < NEAREST:
            raise ValueError("a segment needs a length; 'to' is where it begins")
        return self


class Mask(Model):
    """The pixels of a picture, about the place of its body, as the rectangles they fill."""

    kind: Literal["mask"] = "mask"
    rows: tuple[str, ...] = Field(min_length=1)
    """Rows of the picture from the top, a `#` for each pixel that can be hit, else a point."""
    scale: Size = 1.0
    """Size of a pixel [px]."""
    turns: bool = False
    """Whether it turns with the heading."""

    @model_validator(mode="after")
    def _a_picture(self) -> Self:
        if len({len(row) for row in self.rows}) > 1:
            raise ValueError("all rows of a mask must be as long as the first")
        strange = sorted(set("".join(self.rows)) - {"#", "."})
        if strange:
            raise ValueError(f"a mask is made of '#' and '.', not of '{strange[0]}'")
        if not any("#" in row for row in self.rows):
            raise ValueError("nothing of the mask can be hit; a shape needs an area")
        return self

    @classmethod
    def of(
        cls, pixels: Iterable[Iterable[object]], scale: float = 1.0, *, turns: bool = False
    ) -> Self:
        """Return the mask of an array of shape (rows, columns): true where it can be hit."""
        rows = tuple("".join("#" if pixel else "." for pixel in row) for row in pixels)
        return cls(rows=rows, scale=scale, turns=turns)

    @property
    def rectangles(self) -> list[tuple[int, int, int, int]]:
        """Columns and rows of the rectangles that fill it: left, top, right, bottom.

        Equal runs of consecutive rows are joined.
        """
        corners: list[tuple[int, int, int, int]] = []
        open_runs: dict[tuple[int, int], int] = {}
        for number, row in enumerate((*self.rows, "")):
            runs = {match.span() for match in re.finditer("#+", row)}
            for left, right in [run for run in open_runs if run not in runs]:
                corners.append((left, open_runs.pop((left, right)), right, number))
            open_runs |= {run: number for run in sorted(runs) if run not in open_runs}
        return sorted(corners, key=lambda rectangle: (rectangle[1], rectangle[0]))


ConvexShape = Circle | Box | Ellipse | Diamond | Polygon | Segment
Shape = Annotated[Circle | Box | Ellipse | Diamond | Polygon | Mask, Field(discriminator="kind")]
StillShape = Annotated[
    Circle | Box | Ellipse | Diamond | Polygon | Segment | Mask, Field(discriminator="kind")
]


def inside(shape: "ConvexShape | Mask", x: float, y: float, up: float) -> bool:
    """Return whether a place, relative to that of the body, lies inside of a shape.

    `up` is 1 where y grows upward, else -1.
    """
    if isinstance(shape, Mask):
        column = math.floor(x / shape.scale + len(shape.rows[0]) / 2)
        row = math.floor(-up * y / shape.scale + len(shape.rows) / 2)
        within = 0 <= row < len(shape.rows) and 0 <= column < len(shape.rows[0])
        return within and shape.rows[row][column] == "#"
    if isinstance(shape, Circle):
        return x * x + y * y < shape.radius**2
    if isinstance(shape, Segment):
        return False
    if isinstance(shape, Polygon):
        ends = zip(shape.points, (*shape.points[1:], shape.points[0]), strict=True)
        sides = [(bx - ax) * (y - ay) - (by - ay) * (x - ax) for (ax, ay), (bx, by) in ends]
        return all(side > 0.0 for side in sides) or all(side < 0.0 for side in sides)
    across, along = abs(x) / (shape.width / 2), abs(y) / (shape.height / 2)
    if isinstance(shape, Box):
        return max(across, along) < 1.0
    return across + along < 1.0 if isinstance(shape, Diamond) else across**2 + along**2 < 1.0


class Hit(Model):
    """The hit shape of a craft, derived from the drawn shape, or independent of it."""

    scale: PositiveFactor | None = None
    """Size as a factor of the drawn shape."""
    inset: Length | None = None
    """Inset from the drawn shape [px]; negative values enlarge it."""
    shape: Shape | None = None
    """A shape of its own."""

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        keys = [f"'{key}'" for key in type(self).model_fields if getattr(self, key) is not None]
        if len(keys) != 1:
            given = f"{' and '.join(keys)} are" if keys else "none is"
            raise ValueError(f"give exactly one of scale, inset, shape; {given} given")
        return self
