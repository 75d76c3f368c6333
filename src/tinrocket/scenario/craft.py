"""A thing that moves: where it starts, how large it is, and its rules in order."""

from collections import Counter
from collections.abc import Callable, Mapping
from typing import Literal, Self

from pydantic import Field, model_validator

from tinrocket.scenario.arena import Edges
from tinrocket.scenario.numbers import Model, Name, NotNegative, Number, Timing, Velocity
from tinrocket.scenario.rules import MotionRule, Rule
from tinrocket.scenario.shapes import Hit, Shape


class Start(Model):
    """The state before the first frame."""

    x: Number
    y: Number
    vx: Velocity = 0.0
    vy: Velocity = 0.0
    heading: Number = 0.0
    """Degrees, counted as the arena counts them."""
    spin: Velocity = 0.0
    """Rate of turn [degrees/s], as torque builds up."""


class Craft(Model):
    """A thing that moves.  Its rules run in the order given, once a frame."""

    name: Name
    start: Start
    radius: NotNegative = 0.0
    """Hit radius: clamping and bouncing walls hold the craft this far off [px]."""
    shape: Shape | None = None
    """What is drawn; a circle of the hit radius if not given."""
    hit: Hit | None = None
    """What of it can be hit; all that is drawn if not given."""
    groups: tuple[Name, ...] = ()
    """Further names under which contacts find the craft."""
    timing: Timing | None = None
    """How rules that do not say so themselves use the frame; the scenario's if not given."""
    stepping: Literal["rules", "closed_form"] = "rules"
    """Whether the rules take turns, or all act at once in one exact expression."""
    edges: Edges | None = None
    """What the sides do to this craft; the arena's edges if not given."""
    within: Literal["arena", "view"] = "arena"
    """Whose sides they are: the arena's, or those of the view, which moves."""
    art_offset: Number = 0.0
    """Degrees from the heading to where the picture points; the motion does not use it."""
    rules: tuple[Rule, ...] = Field(min_length=1)

    @model_validator(mode="after")
    def _rules_told_apart(self) -> Self:
        named = Counter(rule.name for rule in self.rules if rule.name)
        twice = sorted(name for name, count in named.items() if count > 1)
        if twice:
            raise ValueError(f"two rules are named '{twice[0]}'; give each its own name")
        return self

    def with_rules(self, changes: Callable[[MotionRule], Mapping[str, object]]) -> "Craft":
        """Return the same craft with some keys of each rule replaced."""
        rules = tuple(rule.model_copy(update=changes(rule)) for rule in self.rules)
        return self.model_copy(update={"rules": rules})

    @property
    def actions(self) -> tuple[str, ...]:
        """Every action its rules listen to, once each, in order of first mention."""
        return tuple(dict.fromkeys(action for rule in self.rules for action in rule.actions))
