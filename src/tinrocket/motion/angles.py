"""How an arena counts angles, and the direction of y."""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tinrocket.scenario.arena import Arena

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Heading:
    """How the arena counts angles: core = `zero` + `sign` * surface."""

    zero: float
    sign: float
    clockwise: float
    """1 if a clockwise turn on the screen makes the core's angle grow, else -1."""

    @classmethod
    def of(cls, arena: Arena) -> "Heading":
        """Return the arena's way of counting."""
        down = arena.y_axis == "down"
        clockwise = 1.0 if down else -1.0
        quarters = {"right": 0.0, "down": 1.0, "left": 2.0, "up": 3.0}  # clockwise from right
        zero = clockwise * quarters[arena.angles.zero] * math.pi / 2
        sign = clockwise if arena.angles.positive == "clockwise" else -clockwise
        return cls(zero, sign, clockwise)

    @property
    def up(self) -> float:
        """1 if y grows up the screen, else -1."""
        return -self.clockwise

    def to_core(self, degrees: float) -> float:
        """Convert from the arena's degrees to rad."""
        return self.zero + self.sign * math.radians(degrees)

    def to_degrees(self, radians: Floats, out: Floats | None = None) -> Floats:
        """Convert from rad to the arena's degrees, maybe in place."""
        turned: Floats = np.subtract(radians, self.zero, out=out)
        turned *= math.degrees(self.sign)
        return turned
