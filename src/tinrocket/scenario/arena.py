"""The arena: its size, its axes, and its edges."""

from typing import Annotated, Any, Literal, Self

from pydantic import BeforeValidator, Field, model_validator

from tinrocket.errors import ScenarioError
from tinrocket.scenario.numbers import Distance, Fraction, Model, Name, Size

Side = Literal["left", "right", "top", "bottom"]
SIDES: tuple[Side, ...] = ("left", "right", "top", "bottom")
Axis = Literal["x", "y"]
AXES: tuple[Axis, Axis] = ("x", "y")
Reach = tuple[tuple[float, float], tuple[float, float]]
"""Extents of a body along x and y, toward low and toward high coordinates."""
EdgeKind = Literal["wrap", "clamp", "bounce", "open", "remove"]


class Angles(Model):
    """How headings are counted, as seen on the screen."""

    zero: Literal["right", "up", "left", "down"] = "right"
    """Direction of a craft with heading 0."""
    positive: Literal["clockwise", "counterclockwise"] = "clockwise"
    """Direction in which headings grow."""


class Edge(Model):
    """An edge of the arena: what it does to a craft that reaches it."""

    kind: EdgeKind
    """What the edge does; a plain name means an edge of that kind."""
    margin: Distance = 0.0
    """Distance outside of the edge at which it acts [px]."""
    restitution: Fraction | None = None
    """Share of the speed into the wall that a bounce gives back (default: 1)."""
    snap: bool = False
    """Whether a bounce puts the craft onto the edge, and a wrap onto the opposite edge, as simple
    games do; the overshoot is discarded.
    """
    keeps_velocity: bool = False
    """Whether a clamp changes the position only, so that the velocity keeps pushing."""

    @model_validator(mode="after")
    def _each_has_its_own(self) -> Self:
        if self.restitution is not None and self.kind != "bounce":
            raise ValueError(
                f"restitution belongs to a bounce, not to an edge of kind '{self.kind}'"
            )
        if self.snap and self.kind not in ("bounce", "wrap"):
            raise ValueError(
                f"snap belongs to a bounce or a wrap, not to an edge of kind '{self.kind}'"
            )
        if self.keeps_velocity and self.kind != "clamp":
            raise ValueError(
                f"keeps_velocity belongs to a clamp, not to an edge of kind '{self.kind}'"
            )
        return self


def _edge(value: Any) -> Any:
    return {"kind": value} if isinstance(value, str) else value


AnyEdge = Annotated[Edge, BeforeValidator(_edge)]


class Edges(Model):
    """The four edges.  A plain name means an edge of that kind; a single one applies to all."""

    left: AnyEdge = Edge(kind="wrap")
    """Edge at x = 0."""
    right: AnyEdge = Edge(kind="wrap")
    """Edge at x = width."""
    top: AnyEdge = Edge(kind="wrap")
    """Upper edge on the screen."""
    bottom: AnyEdge = Edge(kind="wrap")
    """Lower edge on the screen."""

    @model_validator(mode="before")
    @classmethod
    def _one_for_all(cls, value: Any) -> Any:
        whole = isinstance(value, str) or (isinstance(value, dict) and "kind" in value)
        if not whole:
            return value
        try:  # its errors are reported once, not for each edge
            edge = Edge.from_data(_edge(value))
        except ScenarioError as error:
            lines = [
                f"{problem.where}: {problem.what}" if problem.where else problem.what
                for problem in error.problems
            ]
            raise ValueError("\n".join(lines)) from None
        return dict.fromkeys(SIDES, edge)

    def at(self, side: Side) -> Edge:
        """Return the edge on a side."""
        edge: Edge = getattr(self, side)
        return edge

    @model_validator(mode="after")
    def _both_wrap_or_neither(self) -> Self:
        opposite: tuple[tuple[Side, Side], ...] = (("left", "right"), ("top", "bottom"))
        for one, other in opposite:
            kinds = self.at(one).kind, self.at(other).kind
            if "wrap" in kinds and kinds[0] != kinds[1]:
                raise ValueError(
                    f"'{one}' is '{kinds[0]}' but '{other}' is '{kinds[1]}'; "
                    f"opposite sides must both wrap, or neither"
                )
            if "wrap" in kinds and self.at(one).snap != self.at(other).snap:
                raise ValueError(f"'{one}' and '{other}' must both wrap onto the side, or neither")
        return self


class Arena(Model):
    """The playfield: x runs from 0 to `width`, y from 0 to `height`."""

    width: Size
    """Width: x runs from 0 to this [px]."""
    height: Size
    """Height: y runs from 0 to this [px]."""
    y_axis: Literal["up", "down"] = "down"
    """Direction in which y grows on the screen."""
    unit: Name = "px"
    """Name of the unit of lengths."""
    angles: Angles = Field(default_factory=Angles)
    """How headings are counted: direction of 0, and direction of growth."""
    edges: Edges = Field(default_factory=Edges)
    """The edges: one for all, or one each for left, right, top and bottom."""
    edges_act: Literal["before_contacts", "after_contacts"] = "before_contacts"
    """When edges act on craft with contacts found by overlap.  Swept craft meet edges and
    bodies in one time order.
    """

    @property
    def up(self) -> float:
        """Sign of y that points up on the screen: 1 or -1."""
        return 1.0 if self.y_axis == "up" else -1.0

    def ordered_edges(self, axis: Axis) -> tuple[Edge, Edge]:
        """Return the edges at the low and the high end of a coordinate."""
        low, high = self.sides(axis)
        return self.edges.at(low), self.edges.at(high)

    def sides(self, axis: Axis) -> tuple[Side, Side]:
        """Return the names of the edges at the low and the high end of a coordinate."""
        if axis == "x":
            return "left", "right"
        return ("bottom", "top") if self.y_axis == "up" else ("top", "bottom")

    def bounds(self, axis: Axis, reach: tuple[float, float] = (0.0, 0.0)) -> tuple[float, float]:
        """Return the coordinates at which the low and the high edge act on a craft.

        A margin moves an edge outward. A wall that clamps or bounces meets the hit shape of the
        craft, with its extents; every other edge meets its place.
        """
        edges = self.ordered_edges(axis)
        solid = [edge.kind in ("clamp", "bounce") for edge in edges]
        low, high = (own if holds else 0.0 for own, holds in zip(reach, solid, strict=True))
        size = self.width if axis == "x" else self.height
        return low - edges[0].margin, size - high + edges[1].margin

    def images_at(self, axis: Axis) -> tuple[float, float] | None:
        """Return the period of an axis that shows craft half over one edge at the other too."""
        if any(edge.kind != "wrap" or edge.snap for edge in self.ordered_edges(axis)):
            return None
        return self.bounds(axis)

    def seam(self, axis: Axis) -> tuple[float, float] | None:
        """Return the low and high coordinate at which an axis wraps, or None if it does not."""
        wraps = self.ordered_edges(axis)[0].kind == "wrap"
        return self.bounds(axis) if wraps else None

    def period(self, axis: Axis) -> float:
        """Return the length of one lap along an axis, 0 if it does not wrap."""
        low, high = self.seam(axis) or (0.0, 0.0)
        return high - low
