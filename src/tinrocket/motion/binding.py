"""Binding of a rule's data to its kernel: numbers, signals and memory.

A binding contains no addresses; plans assign them.  Numbers may be arrays, one value
for each variant of a sweep: bindings use arithmetic that takes both.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from tinrocket.language.records import Record
from tinrocket.motion import amounts, scaling, signals
from tinrocket.motion.amounts import Amount
from tinrocket.motion.angles import Heading
from tinrocket.motion.ramped import Traced
from tinrocket.motion.signals import Component, ConditionInput, Derived, Key, Listened, Raw, When
from tinrocket.scenario.names import is_negated
from tinrocket.scenario.numbers import Target, Timing, frames_in
from tinrocket.scenario.rules import MotionRule
from tinrocket.scenario.stick import Stick


@dataclass(frozen=True, slots=True, eq=False)
class Number:
    """A number that can be changed, and how it depends on the length of the step."""

    value: Amount
    scaling: int = scaling.PLAIN


@dataclass(frozen=True, slots=True)
class FieldOf:
    """A field of another craft, by its index."""

    craft: int
    name: str


@dataclass(frozen=True, slots=True)
class Memory:
    """A field of the rule's memory."""

    name: str


@dataclass(frozen=True, slots=True)
class Level:
    """The level of a resource of the craft, by its name."""

    resource: str


@dataclass(frozen=True, slots=True)
class OnScreen:
    """A place along an axis, relative to the corner of a view whose middle is known."""

    place: Raw
    middle: FieldOf
    half: float


@dataclass(frozen=True, slots=True)
class IsThere:
    """Whether another craft is present."""

    craft: int


@dataclass(frozen=True, slots=True, eq=False)
class Row:
    """A table of floats, made once: random numbers, or the points of a path."""

    values: NDArray[np.float64]


Argument = (
    Number
    | Listened
    | ConditionInput
    | FieldOf
    | Level
    | Memory
    | OnScreen
    | IsThere
    | Row
    | float
    | bool
)
"""Argument of a kernel's parameter; plain numbers are part of the structure."""


@dataclass(frozen=True, slots=True, eq=False)
class Step:
    """A kernel with its arguments.

    Parameters called `world`, `body`, `rule`, `memory`, `gathered` and `acts` are supplied by the
    plan.  A kernel with many numbers takes them as fields of one parameter `own`.

    Attributes
    ----------
    gives
        Target of its result, if it has one.
    """

    kernel: Callable[..., Any]
    arguments: Mapping[str, Argument] = field(default_factory=dict)
    gives: Level | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Bound:
    """A rule as steps.

    Attributes
    ----------
    steps
        Taken when the rule may act.
    listens
        Taken in every step, whether or not the rule may act, so that no input is missed.
    memory
        Record of its memory, zero at first except for `begins`.
    lasts
        The field of its memory that holds its end, if others wait for that, and whether that counts
        steps.
    rooms
        Length of each row of floats that a field of its memory points to.
    """

    steps: tuple[Step, ...]
    listens: tuple[Step, ...] = ()
    memory: type[Record] | None = None
    begins: Mapping[str, float] = field(default_factory=dict)
    lasts: tuple[str, bool] | None = None
    rooms: Mapping[str, int] = field(default_factory=dict)

    def step(self, number: int) -> Step:
        """Return one of its steps; those that listen are counted from -1 downward."""
        return self.steps[number] if number >= 0 else self.listens[-1 - number]


@dataclass(frozen=True, slots=True)
class Context:
    """The context of a binding, and the rule's time scaling.

    Attributes
    ----------
    timing
        How the rule uses the length of the step.
    frames
        Tuned frames in a unit of time: the tuned rate, or 1 where numbers count per frame.
    unit
        Units of time in a second.
    closed
        Whether the craft's rules all act at once, in one exact expression.
    pointing
        From the craft's heading to where its picture points [rad].
    conditions, timers
        Names of the conditions, and of the craft's timers.
    resources
        Lower and upper bound of each resource of the craft.
    screen
        The view that pointers are relative to, the fields of its middle, and half of its size;
        None if they are in the world.
    """

    timing: Timing
    frames: float
    unit: float
    closed: bool
    heading: Heading
    sticks: Mapping[str, Stick]
    craft: Mapping[str, int]
    pools: Mapping[str, tuple[int, int]]
    pointing: float
    conditions: frozenset[str]
    timers: frozenset[str]
    resources: Mapping[str, tuple[float, float]]
    screen: tuple[int, tuple[str, str], tuple[float, float]] | None

    @property
    def exact(self) -> bool:
        """Whether the rule's timing is exact."""
        return self.timing == "exact"

    # Numbers

    def plain(self, amount: Amount) -> Number:
        """Return an amount unchanged."""
        return Number(amount)

    def radians(self, degrees: Amount) -> Number:
        """Return an angle, or a rate of turn, in rad."""
        return Number(np.radians(degrees))

    def times(self, amount: Amount) -> Number:
        """Return an amount per unit of time, times the step; the rate itself in a closed form."""
        if self.closed:
            return Number(amount)
        return self.step(amount)

    def step(self, amount: Amount = 1.0) -> Number:
        """Return an amount per unit of time, times the step."""
        if self.timing == "frame":
            return Number(amount / self.frames)
        return Number(amount, scaling.TIMES)

    def each(self, amount: Amount, when: When) -> Number:
        """Return an amount per press, or per tuned frame held."""
        if when != "held" or self.timing == "frame":
            return Number(amount)
        return Number(amount * self.frames, scaling.TIMES)

    def kept(self, rate: Amount, at_tuned: Amount | None = None) -> Number:
        """Return the share kept in a step at a rate of decay.

        `at_tuned` is the share kept in a tuned frame, if that was typed.
        """
        if self.closed:
            return Number(rate)
        if self.timing == "frame":
            return Number(amounts.exp(-rate / self.frames) if at_tuned is None else at_tuned)
        linear = self.timing == "dt"
        return Number(rate, scaling.KEPT_LINEAR if linear else scaling.KEPT_EXACT)

    def share(self, rate: Amount, at_tuned: Amount | None = None) -> Number:
        """Return the share lost in a step at a rate of decay."""
        if self.timing == "frame":
            return Number(-amounts.expm1(-rate / self.frames) if at_tuned is None else at_tuned)
        linear = self.timing == "dt"
        return Number(rate, scaling.TIMES if linear else scaling.SHARE_EXACT)

    def per_step(self) -> Number:
        """Return 1 / step."""
        if self.timing == "frame":
            return Number(self.frames)
        return Number(1.0, scaling.PER)

    def per_second(self, rate: Amount) -> Amount:
        """Return a rate in 1/s as one per unit of time."""
        return rate / self.unit

    def span(self, value: Any) -> tuple[Number, bool]:
        """Return a span of time, and whether it counts steps."""
        length, counted = span(value)
        return Number(length if counted else length * self.unit), counted

    # Signals

    def action(self, name: str, rule: MotionRule) -> Listened | ConditionInput:
        """Return the signal of an action, or of a state in its place."""
        return self.listened(name, rule.when, rule)

    def listened(self, name: str, when: When, rule: MotionRule) -> Raw | Derived | ConditionInput:
        """Return the signal of a name that a rule listens to.

        A condition, else a timer of the craft, else an action.  A rule that is a timer itself
        waits for the action of its name, not for itself.
        """
        state = name in self.conditions or (name in self.timers and name != rule.label)
        if state or is_negated(name):
            return ConditionInput(name, when)
        return signals.action(name, when)

    def key(self, name: str, when: When, rule: MotionRule) -> Key:
        """Return the replacement of one of several keys; 0 if there is none."""
        return self.listened(name, when, rule) if name else 0.0

    def direction(
        self, rule: Any, when: When, *, normalised: bool = True, axis: str = "both"
    ) -> tuple[Argument, Argument]:
        """Return the direction that a rule takes from its four actions or its stick."""
        if rule.stick:
            tilt = self.tilt(rule.stick)
            # a stick whose zone is square may reach its corners
            square = self.sticks[rule.stick].zone == "axes"
            if not (square and normalised and axis == "both"):
                return tilt
            both = Derived(f"{rule.stick}_shortened", signals.shortened, tilt, results=2)
            return Component(both, 0), Component(both, 1)
        left, right, up, down = (
            self.key(name, when, rule) for name in (rule.left, rule.right, rule.up, rule.down)
        )
        across = signals.opposed(right, left, when, rule.opposing)
        along = signals.opposed(down, up, when, rule.opposing)
        if self.heading.up > 0:
            along = signals.opposed(up, down, when, rule.opposing, plus_first=True)
        if axis == "both" and normalised:
            names = f"{rule.right}_{rule.left}_{rule.up}_{rule.down}"
            both = Derived(names, signals.shortened, (across, along), results=2)
            return Component(both, 0), Component(both, 1)
        return (0.0 if axis == "y" else across), (0.0 if axis == "x" else along)

    def turning(self, rule: Any) -> tuple[Argument, Argument]:
        """Return the left and the right of a rule that turns."""
        if rule.opposing == "cancel" or not rule.left or not rule.right:
            left: Argument = self.action(rule.left, rule) if rule.left else 0.0
            return left, self.action(rule.right, rule) if rule.right else 0.0
        left, right = (self.key(name, rule.when, rule) for name in (rule.left, rule.right))
        return 0.0, signals.opposed(right, left, rule.when, rule.opposing)

    def tilt(self, name: str) -> tuple[Component, Component]:
        """Return a stick's direction."""
        stick = self.sticks[name]
        made = signals.tilt_radial if stick.zone == "radial" else signals.tilt_axes
        numbers = (self.heading.up, stick.dead_zone, stick.full_at, stick.exponent)
        along = Raw(stick.y) if stick.y else 0.0
        arguments = (Raw(stick.x), along, *numbers, stick.magnitude == "full")
        both = Derived(name, made, arguments, results=2)
        return Component(both, 0), Component(both, 1)

    def target(self, target: Target) -> dict[str, Argument]:
        """Return the place of a target, and whether it is present."""
        if isinstance(target, tuple):
            x, y = target
            return {"target_x": Number(x), "target_y": Number(y), "there": True}
        if target in self.craft:
            index = self.craft[target]
            place: dict[str, Argument] = {
                "target_x": FieldOf(index, "x"),
                "target_y": FieldOf(index, "y"),
            }
            return place | {"there": IsThere(index)}
        pointed: tuple[Argument, ...] = signals.pointer(target)
        if self.screen is not None:
            view, middles, halves = self.screen
            pointed = tuple(
                OnScreen(raw, FieldOf(view, middle), half)
                for raw, middle, half in zip(signals.pointer(target), middles, halves, strict=True)
            )
        return {"target_x": pointed[0], "target_y": pointed[1], "there": True}


def span(value: Any) -> tuple[Amount, bool]:
    """Return a span of time in s or in steps, and whether it counts steps."""
    if isinstance(value, np.ndarray):
        if value.dtype.kind == "f":
            return value, False
        return np.array([span(number)[0] for number in value.tolist()]), span(value[0])[1]
    if isinstance(value, Traced):
        return value, value.counts_frames  # type: ignore[return-value]
    frames = frames_in(value)
    return (float(value), False) if frames is None else (frames, True)


Binding = Callable[[Any, Context], Bound]
Function = TypeVar("Function", bound=Callable[..., Bound])
BINDINGS: dict[type[MotionRule], Binding] = {}
"""Binding function of each kind of rule."""


def binds(kind: type[MotionRule]) -> Callable[[Function], Function]:
    """Return a decorator that registers the binding of a kind of rule."""

    def declare(function: Function) -> Function:
        BINDINGS[kind] = function
        return function

    return declare


def bind(rule: MotionRule, context: Context) -> Bound:
    """Return a rule as steps; its numbers count in the scenario's units."""
    return BINDINGS[type(rule)](rule, context)
