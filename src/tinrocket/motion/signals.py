"""Signals: inputs of rules, computed in each step from the raw values of that step and the last.

A signal names its kernel and arguments; plans turn the needed ones into variables.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

from tinrocket.language.intrinsics import sqrt
from tinrocket.language.maths import pow, sign  # noqa: A004  # what it is called
from tinrocket.language.subset import kernel
from tinrocket.motion.world import TIME_EPSILON, World

When = Literal["held", "pressed", "released"]


@dataclass(frozen=True, slots=True)
class Raw:
    """A value that is passed to the game in each step: of an action, or of a pointer's place.

    `part` is empty for the value of an action, "again" for whether it was let go and pressed
    between two steps, and the axis of a pointer's place.
    """

    name: str
    part: Literal["", "again", "x", "y"] = ""

    @property
    def label(self) -> str:
        """Its name where inputs are given by name."""
        return f"{self.name} {self.part}" if self.part else self.name


@dataclass(frozen=True, slots=True)
class ConditionInput:
    """A condition or a timer used where an action is expected, as 1.0 or 0.0.

    It may depend on the craft of the rule, so it is computed among that craft's rules.
    """

    name: str
    when: When


@dataclass(frozen=True, slots=True)
class Before:
    """The value of a signal in the previous step; 0 before the first."""

    of: "Raw | Derived | ConditionInput"


@dataclass(frozen=True, slots=True)
class Derived:
    """Result of a kernel of other signals and plain numbers.

    Attributes
    ----------
    name
        Names of its variables.
    kernel, arguments
        The kernel and its arguments, in order, without a parameter `world`.
    results
        Number of values.
    remembers
        Whether the kernel's last parameter is its result in the previous step.
    """

    name: str
    kernel: Callable[..., Any]
    arguments: "tuple[Signal | Component | Before | ConditionInput | float | bool, ...]"
    results: int = 1
    remembers: bool = False


Signal = Raw | Derived


@dataclass(frozen=True, slots=True)
class Component:
    """One of the values of a signal that has several."""

    of: Derived
    index: int


Listened = Raw | Derived | Component
Key = Raw | Derived | ConditionInput | float
"""The replacement of one key: 0 where there is none."""


def states_in(signal: object) -> tuple[ConditionInput, ...]:
    """Return the states that a signal depends on, each once; they make it depend on a craft."""
    match signal:
        case ConditionInput():
            return (signal,)
        case Before(of) | Component(of):
            return states_in(of)
        case Derived():
            states = [state for argument in signal.arguments for state in states_in(argument)]
            return tuple(dict.fromkeys(states))
    return ()


@kernel
def pressed(now: float, before: float, again: float) -> float:
    """Return the value in the step in which an action went down, else 0.

    `again` is 1 if it was let go and pressed between two steps.
    """
    return now if before == 0.0 or again != 0.0 else 0.0


@kernel
def released(now: float, before: float, again: float) -> float:
    """Return 1 in the step in which an action went up, else 0."""
    return 1.0 if before != 0.0 and (now == 0.0 or again != 0.0) else 0.0


@kernel
def difference(plus: float, minus: float) -> float:
    """Return the difference of two opposing actions."""
    return plus - minus


@kernel
def winner(plus: float, minus: float, plus_wins: bool) -> float:
    """Return the value of two opposing actions if one of them wins while it is down."""
    if plus_wins:
        return plus if plus != 0.0 else -minus
    return -minus if minus != 0.0 else plus


@kernel
def last_pressed(
    plus: float,
    minus: float,
    plus_before: float,
    minus_before: float,
    plus_again: float,
    minus_again: float,
    plus_first: bool,
    before: float,
) -> float:
    """Return the value of two opposing actions if the one that was pressed last wins.

    Of two that are pressed in the same step the first wins, left or up: `plus_first` marks
    which of them that is.
    """
    if plus == 0.0 or minus == 0.0:
        return plus - minus
    new_plus = plus_before == 0.0 or plus_again != 0.0
    new_minus = minus_before == 0.0 or minus_again != 0.0
    plus_wins = new_plus or (not new_minus and before > 0.0)
    if new_plus and new_minus:
        plus_wins = plus_first
    return plus if plus_wins else -minus


@kernel
def shortened(across: float, along: float) -> tuple[float, float]:
    """Return a direction no longer than 1."""
    square = across * across + along * along
    if square > 1.0:
        shorter = 1.0 / sqrt(square)
        across, along = across * shorter, along * shorter
    return across, along


@kernel
def response(length: float, dead: float, outer: float, exponent: float, full: bool) -> float:
    """Return ((length - dead) / (outer - dead)) ^ exponent, clamped to 0 and 1."""
    share = min(max((length - dead) / (outer - dead), 0.0), 1.0)
    if full:
        return sign(share)
    return share if exponent == 1.0 else pow(share, exponent)


@kernel
def tilt_radial(
    x: float, y: float, up: float, dead: float, outer: float, exponent: float, full: bool
) -> tuple[float, float]:
    """Return a stick's direction, its tilt measured as a whole."""
    y = up * y
    length = sqrt(x * x + y * y)
    if length == 0.0:
        return 0.0, 0.0
    scale = response(length, dead, outer, exponent, full) / length
    return x * scale, y * scale


@kernel
def tilt_axes(
    x: float, y: float, up: float, dead: float, outer: float, exponent: float, full: bool
) -> tuple[float, float]:
    """Return a stick's direction, its tilt measured along each axis by itself."""
    y = up * y
    tilt_x = sign(x) * response(abs(x), dead, outer, exponent, full)
    return tilt_x, sign(y) * response(abs(y), dead, outer, exponent, full)


@kernel
def is_tilted(x: float, y: float, above: float, below: float, way: int) -> float:
    """Return 1 if a stick's tilt lies between two bounds, else 0.

    `way` is 0 for its whole tilt, 1 and 2 for its x and y with their signs, 3 and 4 for the
    greater and the smaller of both without.
    """
    across, along = abs(x), abs(y)
    tilt = max(across, along) if way == 3 else min(across, along)
    if way == 0:
        tilt = sqrt(x * x + y * y)
    elif way == 1:
        tilt = x
    elif way == 2:
        tilt = y
    return 1.0 if tilt > above and tilt < below else 0.0


@kernel
def within(world: World, begins: float, ends: float) -> float:
    """Return 1 if the step begins from a moment to just before another, else 0."""
    moment = world.now + TIME_EPSILON
    return 1.0 if moment >= begins and moment < ends else 0.0


def again(name: str) -> Raw:
    """Return whether an action was let go and pressed between the last two steps."""
    return Raw(name, "again")


def action(name: str, when: When) -> Signal:
    """Return an action as held, or in the step in which it changed."""
    raw = Raw(name)
    if when == "held":
        return raw
    made = pressed if when == "pressed" else released
    return Derived(f"{name}_{when}", made, (raw, Before(raw), again(name)))


def opposed(
    plus: "Key", minus: "Key", when: When, opposing: str, *, plus_first: bool = False
) -> "Listened | float":
    """Return the signal of two opposing keys.

    Parameters
    ----------
    plus, minus
        Their signals: an action or a state as held, pressed or released; 0 if missing.
    plus_first
        Whether `plus` is the first of them, which is left or up.
    """
    if plus == 0.0 and minus == 0.0:
        return 0.0
    name = f"{_named(plus)}_{_named(minus)}"
    if opposing == "cancel" or 0.0 in (plus, minus):
        return Derived(name, difference, (plus, minus))
    if opposing != "last" or when != "held":
        return Derived(name, winner, (plus, minus, (opposing == "first") == plus_first))
    told = (plus, minus, before(plus), before(minus), _again(plus), _again(minus), plus_first)
    return Derived(name, last_pressed, told, remembers=True)


def before(key: "Key") -> "Before | float":
    """Return the value of a key in the previous step."""
    return key if isinstance(key, float) else Before(key)


def _again(key: "Key") -> "Raw | float":
    """Return whether a key was let go and pressed between two steps; a state never is."""
    return again(key.name) if isinstance(key, Raw) else 0.0


def _named(key: "Key") -> str:
    return key.name if isinstance(key, Raw | Derived | ConditionInput) else ""


def pointer(name: str) -> tuple[Raw, Raw]:
    """Return the place of a pointer."""
    return Raw(name, "x"), Raw(name, "y")
