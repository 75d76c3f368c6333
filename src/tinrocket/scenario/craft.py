"""A thing that moves: where it starts, how large it is, and its rules in order."""

from collections import Counter
from typing import Self

from pydantic import Field, model_validator

from tinrocket.scenario.numbers import Model, Name, NotNegative, Number, Timing, Velocity
from tinrocket.scenario.rules import Rule


class Start(Model):
    """The state before the first frame."""

    x: Number
    y: Number
    vx: Velocity = 0.0
    vy: Velocity = 0.0
    heading: Number = 0.0
    """Degrees, counted as the arena counts them."""


class Craft(Model):
    """A thing that moves.  Its rules run in the order given, once a frame."""

    name: Name
    start: Start
    radius: NotNegative = 0.0
    """Hit radius: clamping and bouncing walls hold the craft this far off [px]."""
    timing: Timing = "scaled"
    """How rules that do not say so themselves use the length of the frame."""
    rules: tuple[Rule, ...] = Field(min_length=1)

    @model_validator(mode="after")
    def _rules_told_apart(self) -> Self:
        named = Counter(rule.name for rule in self.rules if rule.name)
        twice = sorted(name for name, count in named.items() if count > 1)
        if twice:
            raise ValueError(f"two rules are named '{twice[0]}'; give each its own name")
        return self

    @property
    def actions(self) -> tuple[str, ...]:
        """Every action its rules listen to, once each, in order of first mention."""
        return tuple(dict.fromkeys(action for rule in self.rules for action in rule.actions))
