"""What a rule is lowered to: instructions, their numbers, and the columns they listen to."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field

from tinrocket.core import hands, layout
from tinrocket.core.custom import Written
from tinrocket.core.lower.angles import Heading
from tinrocket.scenario.numbers import Target, Timing, frames_in
from tinrocket.scenario.rules import Dash, Drive, MotionRule
from tinrocket.scenario.stick import Stick


@dataclass(frozen=True, slots=True)
class Timed:
    """A number that depends on the length of the step."""

    number: float
    kind: int


Value = float | Timed


@dataclass(frozen=True, slots=True)
class Instruction:
    """One instruction.

    Attributes
    ----------
    opcode
        What it does, from `opcodes`.
    numbers, slots, links
        What it takes; see there.
    memory
        How many cells it remembers; its first link is the first of them.
    """

    opcode: int
    numbers: tuple[Value, ...] = ()
    slots: tuple[int, ...] = ()
    links: tuple[int, ...] = ()
    memory: int = 0


@dataclass(frozen=True, slots=True)
class Pace:
    """How a rule uses the length of the step: all that a timing means.

    With ``frame`` a number is what a tuned frame makes of it, whatever the step; with
    ``scaled`` it is of first order in the step, with ``exact`` its closed form.
    """

    timing: Timing
    tuned_at: float

    def times(self, number: float) -> Value:
        """Return number times step."""
        if self.timing == "frame":
            return number / self.tuned_at
        return Timed(number, layout.TIMES)

    def kept(self, rate: float, at_tuned: float | None = None) -> Value:
        """Return the share kept in a step of what decays at a rate [1/s].

        `at_tuned` is what is kept in a tuned frame, where that is how it was typed.
        """
        if self.timing == "frame":
            return math.exp(-rate / self.tuned_at) if at_tuned is None else at_tuned
        return Timed(rate, layout.KEPT_LINEAR if self.timing == "scaled" else layout.KEPT_EXACT)

    def share(self, rate: float, at_tuned: float | None = None) -> Value:
        """Return the share lost in a step of what decays at a rate [1/s]."""
        if self.timing == "frame":
            return -math.expm1(-rate / self.tuned_at) if at_tuned is None else at_tuned
        return Timed(rate, layout.TIMES if self.timing == "scaled" else layout.SHARE_EXACT)

    def per_step(self) -> Value:
        """Return 1 / step."""
        return self.tuned_at if self.timing == "frame" else Timed(1.0, layout.PER)

    @property
    def exact(self) -> float:
        """1 with exact timing, else 0."""
        return float(self.timing == "exact")


def span(value: float | str) -> tuple[float, float]:
    """Return a span of time and whether it is counted in frames (1) or in seconds (0)."""
    frames = frames_in(value)
    return (float(value), 0.0) if frames is None else (frames, 1.0)


@dataclass(slots=True)
class Workshop:
    """What the lowering of a rule may look up, and the columns that have been asked for."""

    heading: Heading
    tuned_at: float
    sticks: Mapping[str, Stick]
    craft: Mapping[str, int]
    """Index of each craft by its name."""
    pools: Mapping[str, tuple[int, int]] = field(default_factory=dict)
    """Index of the first craft of each pool, and how many there are."""
    pointing: float = 0.0
    """Of the craft at hand, from its heading to where its picture points [rad]."""
    columns: list[hands.Column] = field(
        default_factory=lambda: [hands.Constant(0.0), hands.Constant(1.0)]
    )
    written: list[Written] = field(default_factory=list)
    """The user's rules, in the order in which they are numbered."""

    def column(self, wanted: hands.Column) -> int:
        """Return the index of a column, which is added if nobody has asked for it yet."""
        if wanted not in self.columns:
            self.columns.append(wanted)
        return self.columns.index(wanted)

    def action(self, name: str, rule: MotionRule) -> int:
        """Return the column of an action as the rule is bound to it."""
        return self.column(hands.Action(name, rule.when))

    def direction(self, rule: Drive | Dash) -> tuple[int, int]:
        """Return the columns of the direction that a rule takes from its actions or stick."""
        if rule.stick:
            return self.tilt(rule.stick)
        when: hands.When = rule.when if isinstance(rule, Drive) else "held"
        right, left = hands.Action(rule.right, when), hands.Action(rule.left, when)
        up, down = hands.Action(rule.up, when), hands.Action(rule.down, when)
        if self.heading.up < 0:
            up, down = down, up
        if isinstance(rule, Dash):
            x, y = (hands.Direction(right, left, up, down, True, c) for c in (0, 1))
            return self.column(x), self.column(y)
        if rule.axis == "both":
            x, y = (hands.Direction(right, left, up, down, rule.normalise, c) for c in (0, 1))
            return self.column(x), self.column(y)
        if rule.axis == "x":
            only = hands.Direction(right, left, right, right, False, 0)
            return self.column(only), layout.ZEROS
        only = hands.Direction(up, up, up, down, False, 1)
        return layout.ZEROS, self.column(only)

    def tilt(self, name: str) -> tuple[int, int]:
        """Return the columns of a stick's direction."""
        stick = self.sticks[name]
        shape = (stick.dead_zone, stick.outer, stick.exponent)
        how = (stick.zone == "radial", stick.magnitude == "full")
        x, y = (hands.Tilt(stick.x, stick.y, self.heading.up, *shape, *how, c) for c in (0, 1))
        return self.column(x), self.column(y)

    def target(self, target: Target) -> tuple[tuple[int, int], tuple[int]]:
        """Return slots and link of a target: two columns, or a craft counted from 1."""
        if isinstance(target, tuple):
            x, y = (self.column(hands.Constant(place)) for place in target)
            return (x, y), (0,)
        if target in self.craft:
            return (layout.ZEROS, layout.ZEROS), (self.craft[target] + 1,)
        x, y = (self.column(hands.Pointer(target, c)) for c in (0, 1))
        return (x, y), (0,)
