"""Craft: start, size, and rules in order.

A pool is a group of alike craft that are absent at first: shots, crates, debris. A grid is a group
of alike craft that begin side by side.
"""

from collections import Counter
from collections.abc import Callable, Mapping
from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field, model_validator

from tinrocket.scenario.arena import Edges
from tinrocket.scenario.body_index import Family, Lattice, any_found, numbered
from tinrocket.scenario.names import plain_names
from tinrocket.scenario.numbers import (
    Angle,
    Distance,
    LastingSpan,
    Length,
    Model,
    Name,
    PlainPositive,
    Quantity,
    Seconds,
    Span,
    Timing,
    TurnRate,
    Velocity,
)
from tinrocket.scenario.resource import Resource
from tinrocket.scenario.rules import MotionRule, Rule
from tinrocket.scenario.shapes import Hit, Mask, Shape

Mass = Annotated[PlainPositive, Quantity("")]
Count = Annotated[int, Field(strict=True, ge=1, le=1000)]


class Start(Model):
    """The state before the first frame."""

    x: Length
    """Place along x [px]."""
    y: Length
    """Place along y [px]."""
    vx: Velocity = 0.0
    """Velocity along x [px/s]."""
    vy: Velocity = 0.0
    """Velocity along y [px/s]."""
    heading: Angle = 0.0
    """Heading, counted as the arena counts angles [degrees]."""
    spin: TurnRate = 0.0
    """Rate of turn, as torque builds up [degrees/s]."""


class Grid(Model):
    """Alike craft side by side, the first at the start."""

    columns: Count = 1
    """Number of columns."""
    rows: Count = 1
    """Number of rows."""
    step: tuple[Length, Length]
    """Distance of columns, and of rows [px]."""


class Respawn(Model):
    """Return some time after the craft was removed."""

    spans: ClassVar[tuple[str, ...]] = ("after",)

    after: Span
    """Time after its removal."""
    at: tuple[Length, Length] | None = None
    """Place (default: its start) [px]."""
    times: Count | None = None
    """Number of returns (default: no limit)."""


class Craft(Model):
    """A thing that moves.  Its rules run in the order given, once a frame."""

    spans: ClassVar[tuple[str, ...]] = ("lifetime",)

    name: Name
    """Name by which everything refers to it."""
    start: Start = Start(x=0.0, y=0.0)
    """State before the first frame; a pool needs none, because its sender sets the place."""
    pool: Count | None = None
    """Number of members of a pool, all absent at first."""
    grid: Grid | None = None
    """Columns and rows of alike craft, present from the start."""
    lifetime: LastingSpan | None = None
    """Time after which it disappears (default: it stays)."""
    mass: Mass | Literal["immovable"] | None = None
    """Mass where bodies bounce off each other, or that no hit moves it. By default it is 1 between
    two that respond to each other, and no hit by others moves it: a bat.
    """
    invulnerable: Seconds = 0.0
    """Time after it appears in which nothing hits it."""
    respawn: Respawn | None = None
    """Whether and when it comes back after it was removed."""
    radius: Distance = 0.0
    """Hit radius: distance at which clamping and bouncing walls hold the craft [px]."""
    shape: Shape | None = None
    """The drawn shape (default: a circle of the hit radius)."""
    hit: Hit | None = None
    """Hit shape (default: the drawn shape)."""
    groups: tuple[Name, ...] = ()
    """Further names under which contacts find the craft."""
    timing: Timing | None = None
    """Timing of rules without their own (default: the scenario's)."""
    stepping: Literal["rules", "closed_form"] = "rules"
    """Whether the rules take turns, or all act at once in one exact expression."""
    edges: Edges | None = None
    """Edges that act on this craft (default: the arena's)."""
    within: Literal["arena", "view"] = "arena"
    """The edges that act on it: those of the arena, or of the view, which moves."""
    art_offset: Angle = 0.0
    """Angle from the heading to the direction of the picture [degrees]; motion ignores it."""
    resources: tuple[Resource, ...] = ()
    """Resources that it holds, such as fuel."""
    rules: tuple[Rule, ...] = Field(min_length=1)
    """Motion rules, applied in order once a frame; the order is the integrator."""

    @model_validator(mode="after")
    def _rules_told_apart(self) -> Self:
        named = Counter(rule.name for rule in self.rules if rule.name)
        twice = sorted(name for name, count in named.items() if count > 1)
        if twice:
            raise ValueError(f"two rules are named '{twice[0]}'; give each its own name")
        return self

    @model_validator(mode="after")
    def _inset_of_a_whole(self) -> Self:
        if isinstance(self.shape, Mask) and self.hit and self.hit.inset is not None:
            raise ValueError("a mask has no inset; give 'hit' a 'scale' or a 'shape' of its own")
        return self

    @model_validator(mode="after")
    def _begins_somewhere(self) -> Self:
        if self.pool is None and "start" not in self.model_fields_set:
            raise ValueError("give a 'start'; only a pool needs none")
        if self.pool is not None and self.grid is not None:
            raise ValueError("a grid is there from the start and a pool is not; give one of them")
        if self.pool is not None and self.respawn is not None:
            raise ValueError("whoever sends a pool's craft sends them again; drop 'respawn'")
        return self

    @property
    def count(self) -> int:
        """Number of members; 1 for a single craft."""
        return self.grid.columns * self.grid.rows if self.grid else self.pool or 1

    @property
    def places(self) -> Lattice:
        """Start of each member."""
        place = self.start.x, self.start.y
        if self.grid is None:
            return Lattice.of(place, 1, self.count, (0.0, 0.0))
        return Lattice.of(place, self.grid.columns, self.grid.rows, self.grid.step)

    @property
    def family(self) -> Family:
        """Names of the members, numbered from 1 row by row."""
        alone = self.grid is None and self.pool is None
        return Family(self.called, (self.name,) if alone else numbered(self.name, self.count))

    @property
    def called(self) -> tuple[str, ...]:
        """The names by which contacts and conditions find it."""
        return (self.name, *self.groups)

    def goes_by(self, *names: str) -> bool:
        """Return whether it, or a member, has one of some names."""
        alone = self.grid is None and self.pool is None
        return any_found(names, self.called, 0 if alone else self.count)

    def timing_of(self, rule: MotionRule, default: Timing) -> Timing:
        """Return how one of its rules uses the length of the frame.

        Parameters
        ----------
        rule
            A rule of this craft.
        default
            Timing of the scenario.
        """
        if self.stepping == "closed_form":
            return "exact"
        return rule.timing or self.timing or default

    def with_rules(self, changes: Callable[[MotionRule], Mapping[str, object]]) -> "Craft":
        """Return the same craft with some keys of each rule replaced."""
        rules = tuple(rule.replaced(**changes(rule)) for rule in self.rules)
        return self.replaced(rules=rules)

    def resource(self, name: str) -> Resource | None:
        """Return one of its resources, or None."""
        return next((own for own in self.resources if own.name == name), None)

    @property
    def timers(self) -> frozenset[str]:
        """Names of its timers."""
        return frozenset(rule.label for rule in self.rules if rule.times)

    @property
    def pressed(self) -> tuple[str, ...]:
        """The actions of its rules' own keys.

        A name means a condition, else a timer of the craft, else an action. A rule that is a timer
        itself waits for the action of its name.
        """
        each = (
            (rule.label, name) for rule in self.rules for name in plain_names(*rule.own_actions)
        )
        return tuple(name for label, name in each if name not in self.timers or name == label)

    @property
    def actions(self) -> tuple[str, ...]:
        """The distinct actions, or replacements of one, that its rules listen to."""
        names = (
            name for rule in self.rules for name in (*rule.actions, *plain_names(*rule.unless))
        )
        return tuple(dict.fromkeys(names))
