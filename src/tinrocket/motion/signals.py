"""What rules listen to, worked out in each step from the raw values of that step and the last.

A signal says which kernel makes it of what; plans turn those that are needed into variables.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Literal

from tinrocket.kernel.intrinsics import sqrt
from tinrocket.kernel.maths import pow, sign  # noqa: A004  # what it is called
from tinrocket.kernel.subset import kernel
from tinrocket.motion.world import TIME_EPSILON, World

When = Literal["held", "pressed", "released"]


@dataclass(frozen=True, slots=True)
class Raw:
    """A value that the game is handed in each step: an action's, or a pointer's place.

    `part` is empty for the value of an action, "again" for whether it was let go and pressed
    between two steps, and the axis of a pointer's place.
    """

    name: str
    part: Literal["", "again", "x", "y"] = ""

    @property
    def label(self) -> str:
        """What it is called where inputs are given by name."""
        return f"{self.name} {self.part}" if self.part else self.name


@dataclass(frozen=True, slots=True)
class Before:
    """The value of a signal in the step before; 0 before the first."""

    of: "Raw | Derived"


@dataclass(frozen=True, slots=True)
class Derived:
    """What a kernel makes of other signals and of plain numbers.

    Attributes
    ----------
    name
        What its variables are called.
    kernel, arguments
        The kernel, and what it takes, in order; a parameter called `world` is left out.
    results
        How many values it has.
    remembers
        Whether the kernel's last parameter is what it returned in the step before.
    """

    name: str
    kernel: Callable[..., Any]
    arguments: "tuple[Signal | Component | Before | float | bool, ...]"
    results: int = 1
    remembers: bool = False


Signal = Raw | Derived


@dataclass(frozen=True, slots=True)
class Component:
    """One of the values of a signal that has several."""

    of: Derived
    index: int


Listened = Raw | Derived | Component


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
    """Return what two opposing actions come to."""
    return plus - minus


@kernel
def winner(plus: float, minus: float, plus_wins: bool) -> float:
    """Return what two opposing actions come to if one of them wins while it is down."""
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
    before: float,
) -> float:
    """Return what two opposing actions come to if the one that was pressed last wins.

    Of two that are pressed in the same step the first, which is `minus`.
    """
    if plus == 0.0 or minus == 0.0:
        return plus - minus
    new_plus = plus_before == 0.0 or plus_again != 0.0
    new_minus = minus_before == 0.0 or minus_again != 0.0
    if new_minus:
        return -minus
    return plus if new_plus or before > 0.0 else -minus


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
    """Return ((length - dead) / (outer - dead)) ^ exponent, held within 0 and 1."""
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
def tilts_past(x: float, y: float, threshold: float, way: int) -> float:
    """Return 1 if a stick is tilted further than a threshold, else 0.

    `way` is 0 for its whole tilt, 1 and 2 for its x and y, 3 and 4 for the greater and the smaller
    of both; an x or y toward the side of the threshold's sign.
    """
    across, along = abs(x), abs(y)
    tilt = max(across, along) if way == 3 else min(across, along)
    if way == 0:
        tilt = sqrt(x * x + y * y)
    elif way == 1:
        tilt = x if threshold >= 0.0 else -x
    elif way == 2:
        tilt = y if threshold >= 0.0 else -y
    return 1.0 if tilt > abs(threshold) else 0.0


@kernel
def within(world: World, begins: float, ends: float) -> float:
    """Return 1 from a moment to just before another, by when the step begins, else 0."""
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


def opposed(plus: str, minus: str, when: When, opposing: str) -> "Listened | float":
    """Return what two opposing actions come to; the first of them is `minus`."""
    if not plus and not minus:
        return 0.0
    high: Listened | float = action(plus, when) if plus else 0.0
    low: Listened | float = action(minus, when) if minus else 0.0
    name = f"{plus}_{minus}"
    if opposing == "cancel" or not plus or not minus:
        return Derived(name, difference, (high, low))
    if opposing != "last" or when != "held":
        return Derived(name, winner, (high, low, opposing == "second"))
    one, other = Raw(plus), Raw(minus)
    told = (one, other, Before(one), Before(other), again(plus), again(minus))
    return Derived(name, last_pressed, told, remembers=True)


def pointer(name: str) -> tuple[Raw, Raw]:
    """Return the place of a pointer."""
    return Raw(name, "x"), Raw(name, "y")
