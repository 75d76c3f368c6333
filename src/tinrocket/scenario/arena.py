"""The playfield: its size, its axes, and what its sides do."""

from typing import Annotated, Any, Literal, Self

from pydantic import BeforeValidator, Field, model_validator

from tinrocket.errors import ScenarioError
from tinrocket.scenario.numbers import Distance, Fraction, Model, Name, Size

Side = Literal["left", "right", "top", "bottom"]
SIDES: tuple[Side, ...] = ("left", "right", "top", "bottom")
Axis = Literal["x", "y"]
AXES: tuple[Axis, Axis] = ("x", "y")
Reach = tuple[tuple[float, float], tuple[float, float]]
"""How far a body comes along x and along y, toward low and toward high coordinates."""
EdgeKind = Literal["wrap", "clamp", "bounce", "open", "remove"]


class Angles(Model):
    """How headings are counted, as seen on the screen."""

    zero: Literal["right", "up", "left", "down"] = "right"
    """Where a craft with heading 0 points."""
    positive: Literal["clockwise", "counterclockwise"] = "clockwise"
    """Which way headings grow."""


class Edge(Model):
    """What one side of the arena does to a craft that reaches it."""

    kind: EdgeKind
    """What it does; a plain name means an edge of that kind."""
    margin: Distance = 0.0
    """How far outside the side it happens [px]."""
    restitution: Fraction | None = None
    """Share of the speed into the wall that a bounce gives back; 1 if not given."""
    snap: bool = False
    """Whether a bounce puts the craft back onto the side, and a wrap onto the opposite one, as
    simple games do; how far it came beyond is lost.
    """
    keeps_velocity: bool = False
    """Whether a clamp acts on the place only, so that the speed goes on pushing."""

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
    """Where x is 0."""
    right: AnyEdge = Edge(kind="wrap")
    """Where x is the width."""
    top: AnyEdge = Edge(kind="wrap")
    """The upper side on the screen."""
    bottom: AnyEdge = Edge(kind="wrap")
    """The lower side on the screen."""

    @model_validator(mode="before")
    @classmethod
    def _one_for_all(cls, value: Any) -> Any:
        whole = isinstance(value, str) or (isinstance(value, dict) and "kind" in value)
        if not whole:
            return value
        try:  # its errors are reported once, not for each edge
            one = Edge.from_data(_edge(value))
        except ScenarioError as error:
            lines = [
                f"{one.where}: {one.what}" if one.where else one.what for one in error.problems
            ]
            raise ValueError("\n".join(lines)) from None
        return dict.fromkeys(SIDES, one)

    def at(self, side: Side) -> Edge:
        """Return the edge at a side."""
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
    """x runs from 0 to here [px]."""
    height: Size
    """y runs from 0 to here [px]."""
    y_axis: Literal["up", "down"] = "down"
    """Which way y grows on the screen."""
    unit: Name = "px"
    """What lengths are called."""
    angles: Angles = Field(default_factory=Angles)
    """How headings are counted: where 0 points, and which way they grow."""
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
        """Return the edge where a coordinate is low, and the one where it is high."""
        low, high = self.sides(axis)
        return self.edges.at(low), self.edges.at(high)

    def sides(self, axis: Axis) -> tuple[Side, Side]:
        """Return the side where a coordinate is low, and the one where it is high."""
        if axis == "x":
            return "left", "right"
        return ("bottom", "top") if self.y_axis == "up" else ("top", "bottom")

    def bounds(self, axis: Axis, reach: tuple[float, float] = (0.0, 0.0)) -> tuple[float, float]:
        """Return the coordinates at which the low and the high side act on a craft.

        A margin moves a side outward; a wall that clamps or bounces is met by what can be
        hit of the craft, which reaches so far toward low and toward high coordinates, every
        other edge by its place.
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
