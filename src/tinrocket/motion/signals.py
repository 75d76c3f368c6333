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
    """A value that the game is handed in each step: an action's, or a pointer's place."""

    name: str


@dataclass(frozen=True, slots=True)
class Before:
    """The raw value of the step before; 0 before the first."""

    of: Raw


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
    """

    name: str
    kernel: Callable[..., Any]
    arguments: "tuple[Signal | Component | Before | float | bool, ...]"
    results: int = 1


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
def shortened(right: float, left: float, high: float, low: float) -> tuple[float, float]:
    """Return the direction of four actions, no longer than 1."""
    across, along = right - left, high - low
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
def within(world: World, begins: float, ends: float) -> float:
    """Return 1 from a moment to just before another, by when the step begins, else 0."""
    moment = world.now + TIME_EPSILON
    return 1.0 if moment >= begins and moment < ends else 0.0


def again(name: str) -> Raw:
    """Return whether an action was let go and pressed between the last two steps."""
    return Raw(f"{name} again")


def action(name: str, when: When) -> Signal:
    """Return an action as held, or in the step in which it changed."""
    raw = Raw(name)
    if when == "held":
        return raw
    made = pressed if when == "pressed" else released
    return Derived(f"{name}_{when}", made, (raw, Before(raw), again(name)))


def pointer(name: str) -> tuple[Raw, Raw]:
    """Return the place of a pointer."""
    return Raw(f"{name} x"), Raw(f"{name} y")
