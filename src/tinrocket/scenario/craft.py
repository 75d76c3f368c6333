"""A thing that moves: where it starts, how large it is, and its rules in order.

A pool is many alike craft that are not there yet: shots, crates, debris.  A grid is many
alike craft that begin side by side.
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
    """px."""
    y: Length
    """px."""
    vx: Velocity = 0.0
    """px/s."""
    vy: Velocity = 0.0
    """px/s."""
    heading: Angle = 0.0
    """Degrees, counted as the arena counts them."""
    spin: TurnRate = 0.0
    """Rate of turn [degrees/s], as torque builds up."""


class Grid(Model):
    """Alike craft side by side, the first at the start."""

    columns: Count = 1
    """How many side by side."""
    rows: Count = 1
    """How many below each other."""
    step: tuple[Length, Length]
    """From one column to the next, and from one row to the next [px]."""


class Respawn(Model):
    """Back some time after the craft was removed."""

    spans: ClassVar[tuple[str, ...]] = ("after",)

    after: Span
    """How long after it was removed."""
    at: tuple[Length, Length] | None = None
    """Where [px]; at its start if not given."""
    times: Count | None = None
    """How often; always if not given."""


class Craft(Model):
    """A thing that moves.  Its rules run in the order given, once a frame."""

    spans: ClassVar[tuple[str, ...]] = ("lifetime",)

    name: Name
    """By which everything finds it."""
    start: Start = Start(x=0.0, y=0.0)
    """A pool needs none: what enters gets its place from whoever sends it."""
    pool: Count | None = None
    """How many of them may be there at once; none of them is at first."""
    grid: Grid | None = None
    """Alike craft side by side from the start on."""
    lifetime: LastingSpan | None = None
    """After which it is gone; it stays if not given."""
    mass: Mass | Literal["immovable"] | None = None
    """What it weighs where bodies bounce off each other, or that no hit moves it.

    If not given, it weighs 1 against those with which it responds to each other, and no hit by
    others moves it: a bat.
    """
    invulnerable: Seconds = 0.0
    """Seconds after it appears in which nothing hits it."""
    respawn: Respawn | None = None
    """Whether and when it comes back after it was removed."""
    radius: Distance = 0.0
    """Hit radius: clamping and bouncing walls hold the craft this far off [px]."""
    shape: Shape | None = None
    """The drawn shape (default: a circle of the hit radius)."""
    hit: Hit | None = None
    """What of it can be hit; all that is drawn if not given."""
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
    """Degrees from the heading to where the picture points; the motion does not use it."""
    resources: tuple[Resource, ...] = ()
    """What it holds a limited amount of, such as fuel."""
    rules: tuple[Rule, ...] = Field(min_length=1)
    """One after the other, once a frame; their order is the integrator."""

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
        """How many of it there are."""
        return self.grid.columns * self.grid.rows if self.grid else self.pool or 1

    @property
    def places(self) -> Lattice:
        """Where each of it starts."""
        place = self.start.x, self.start.y
        if self.grid is None:
            return Lattice.of(place, 1, self.count, (0.0, 0.0))
        return Lattice.of(place, self.grid.columns, self.grid.rows, self.grid.step)

    @property
    def family(self) -> Family:
        """The craft by itself, or those of a pool or grid, numbered from 1 row by row."""
        alone = self.grid is None and self.pool is None
        return Family(self.called, (self.name,) if alone else numbered(self.name, self.count))

    @property
    def called(self) -> tuple[str, ...]:
        """The names by which contacts and conditions find it."""
        return (self.name, *self.groups)

    def goes_by(self, *names: str) -> bool:
        """Whether it, or one of it, is found by one of some names."""
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
        return next((one for one in self.resources if one.name == name), None)

    @property
    def timers(self) -> frozenset[str]:
        """Names of its timers."""
        return frozenset(rule.label for rule in self.rules if rule.times)

    @property
    def pressed(self) -> tuple[str, ...]:
        """The actions of its rules' own keys.

        A name means a condition, else a timer of the craft, else an action; a rule that is a
        timer itself waits for the action of its name.
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
