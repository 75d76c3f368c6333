"""What the rules listen to in each step, worked out before the flight.

The tape is sampled into one row per action; the columns that rules ask for (an action
as held, the step in which it went down, a direction, a stick, a pointer, a window of
time) are computed from these rows at once, so that the loop only looks them up.
"""

from dataclasses import dataclass
from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
When = Literal["held", "pressed", "released"]


@dataclass(frozen=True, slots=True, eq=False)
class Sampled:
    """What the game has seen in each of S steps.

    Attributes
    ----------
    actions
        Shape (S,) each: the values of the actions.
    pointers
        Shape (2, S) each: x and y [px].
    moments
        Shape (S,): the game's time when the step begins [s].
    """

    actions: dict[str, Floats]
    pointers: dict[str, Floats]
    moments: Floats


class Column(Protocol):
    """One thing that rules listen to."""

    def values(self, sampled: Sampled) -> Floats | np.float64:
        """Return its value in each step, shape (S,), or the one that it has in all."""


@dataclass(frozen=True, slots=True)
class Constant:
    """The same value in all steps."""

    value: float

    def values(self, sampled: Sampled) -> np.float64:
        """Return the value, which is the same in all of them."""
        return np.float64(self.value)


@dataclass(frozen=True, slots=True)
class Action:
    """An action: its value while held, or 1 in the step in which it changed."""

    name: str
    when: When = "held"

    def values(self, sampled: Sampled) -> Floats:
        """Return the value in each step; before the first step nothing was down."""
        now = sampled.actions[self.name]
        if self.when == "held":
            return now
        before = np.concatenate([[0.0], now[:-1]])
        if self.when == "pressed":
            return np.where(before == 0.0, now, 0.0)
        return np.where((now == 0.0) & (before != 0.0), 1.0, 0.0)


@dataclass(frozen=True, slots=True)
class Direction:
    """One component of a direction from opposing actions.

    ``plus - minus`` along each axis; normalised, a diagonal is no longer than a
    straight one: the vector is shortened to 1 where it is longer.
    """

    plus_x: Action
    minus_x: Action
    plus_y: Action
    minus_y: Action
    normalised: bool
    component: Literal[0, 1]

    def values(self, sampled: Sampled) -> Floats:
        """Return the component in each step."""
        x = self.plus_x.values(sampled) - self.minus_x.values(sampled)
        y = self.plus_y.values(sampled) - self.minus_y.values(sampled)
        if self.normalised:
            shorter = 1.0 / np.maximum(np.sqrt(x * x + y * y), 1.0)
            x, y = x * shorter, y * shorter
        return (x, y)[self.component]


@dataclass(frozen=True, slots=True)
class Tilt:
    """One component of an analog stick after its dead zone, threshold and response.

    A length l becomes ``((l - dead) / (outer - dead)) ** exponent``, held within 0 and 1:
    of the whole tilt (radial) or of each axis by itself.
    """

    x: str
    y: str | None
    sign_y: float
    dead: float
    outer: float
    exponent: float
    radial: bool
    full: bool
    """Whether any tilt past the dead zone counts as a full one."""
    component: Literal[0, 1]

    def values(self, sampled: Sampled) -> Floats:
        """Return the component in each step."""
        x = sampled.actions[self.x]
        y = self.sign_y * sampled.actions[self.y] if self.y else np.zeros_like(x)
        if self.radial:
            length = np.sqrt(x * x + y * y)
            wanted = self._response(length)
            scale = np.divide(wanted, length, out=np.zeros_like(length), where=length > 0.0)
            return (x, y)[self.component] * scale
        one = (x, y)[self.component]
        return np.sign(one) * self._response(np.abs(one))

    def _response(self, length: Floats) -> Floats:
        tilted = np.clip((length - self.dead) / (self.outer - self.dead), 0.0, 1.0)
        return np.sign(tilted) if self.full else tilted**self.exponent


@dataclass(frozen=True, slots=True)
class Pointer:
    """One coordinate of a pointer."""

    name: str
    component: Literal[0, 1]

    def values(self, sampled: Sampled) -> Floats:
        """Return the coordinate in each step [px]."""
        row: Floats = sampled.pointers[self.name][self.component]
        return row


@dataclass(frozen=True, slots=True)
class Window:
    """1 from a moment of the game's time to just before another, else 0."""

    begins: float
    ends: float

    def values(self, sampled: Sampled) -> Floats:
        """Return 1 or 0 for each step, by the moment at which it begins."""
        t = sampled.moments + 1e-9
        return ((t >= self.begins) & (t < self.ends)).astype(np.float64)


def inputs(columns: tuple[Column, ...], sampled: Sampled) -> Floats:
    """Return the columns side by side, shape (S, A)."""
    table = np.zeros((sampled.moments.size, len(columns)))
    for index, column in enumerate(columns[1:], start=1):  # the first is zeros
        table[:, index] = column.values(sampled)
    return table
