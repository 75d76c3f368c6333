"""Input sampling: when a game looks at its input, and how long a press waits for that.

A press may begin at any moment with the same chance.  Means over that are exact where frames
repeat: between two moments at which another frame begins to see a press, or ceases to, all
presses of one length are alike.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from tinrocket.feel_metrics.course import SECONDS, Course
from tinrocket.trajectory.clocks import paced, resolved_clock

Floats = NDArray[np.float64]

ALIKE = 1e-9
"""Difference below which two spans of time are equal [s]."""
LONGEST_PATTERN = 24
"""Largest number of looks after which a pattern of frames and steps may repeat."""
DRAWN = 24
"""Number of looks that are tried where frames never repeat."""
WINDOW = 16
"""Number of consecutive looks within which presses begin where frames never repeat."""
BEGIN = 0.2
"""Earliest begin of a press [s]."""


@dataclass(frozen=True, slots=True)
class Looks:
    """When a game looks at its input.

    Attributes
    ----------
    t
        Begin of each frame that takes a step [s].
    period
        Number of looks after which their spans repeat; 0 if they do not.
    buffered
        Whether a press between two looks is kept for the later one.
    """

    t: Floats
    period: int
    buffered: bool

    @classmethod
    def of(cls, course: Course) -> "Looks":
        """Return the moments at which the game looks, over 20 s."""
        place = course.place.replaced(duration=SECONDS)
        pacing = paced(place, resolved_clock(place, course.clock))
        t = pacing.times[np.unique(pacing.frame)]
        return cls(t, _period(np.diff(t)), course.whole.tape.sampling == "buffered")

    @property
    def spans(self) -> Floats:
        """The time between two looks [s]: of one period, or of all of them."""
        spans = np.diff(self.t)
        return spans[: self.period] if self.period else spans

    def mean_wait(self) -> float:
        """Return the mean time that a press waits for a look [s]: sum d^2 / (2 sum d)."""
        return float((self.spans**2).sum() / (2.0 * self.spans.sum()))

    def unseen(self, length: float) -> float:
        """Return the share of presses of a length [s] that no look sees.

        sum max(0, d - length) / sum d, and none where presses are kept.
        """
        if self.buffered:
            return 0.0
        return float(np.maximum(self.spans - length, 0.0).sum() / self.spans.sum())

    def some(self) -> tuple[list[int], Floats]:
        """Return representative looks, and the share of presses that each sees."""
        first = int(np.searchsorted(self.t, BEGIN)) + 1
        if self.period:
            chosen = list(range(first, first + self.period))
        else:
            chosen = np.unique(np.linspace(first, self.t.size - 60, DRAWN).astype(int)).tolist()
        spans = self.t[chosen] - self.t[np.array(chosen) - 1]
        return chosen, spans / spans.sum()

    def presses(self, length: float) -> list[tuple[float, float]]:
        """Return the begins of representative presses of a length [s], and their shares.

        One for each interval in which presses are seen by the same looks.
        """
        first = int(np.searchsorted(self.t, BEGIN))
        begin = float(self.t[first])
        end = float(self.t[min(first + (self.period or WINDOW), self.t.size - 1)])
        turns = np.concatenate([self.t, self.t - length])
        turns = np.unique(np.concatenate([[begin, end], turns[(turns > begin) & (turns < end)]]))
        spans = np.diff(turns)
        kept = spans > ALIKE
        middles = (turns[:-1] + spans / 2.0)[kept]
        shares = spans[kept] / spans[kept].sum()
        return list(zip(middles.tolist(), shares.tolist(), strict=True))

    def taps(self, moments: Floats) -> list[tuple[float, float]]:
        """Return presses seen by exactly one look each: the first at or after each moment [s]."""
        found = np.unique(np.searchsorted(self.t, moments - ALIKE))
        found = found[found < self.t.size - 1]
        spans = np.diff(self.t)
        before = np.where(found > 0, spans[np.maximum(found - 1, 0)], 0.0)
        begins = self.t[found] - 0.5 * before
        ends = self.t[found] + 0.5 * spans[found]
        return list(zip(begins.tolist(), ends.tolist(), strict=True))


def _period(spans: Floats) -> int:
    """Return the number of looks after which their spans repeat, 0 if they do not."""
    for period in range(1, min(LONGEST_PATTERN, spans.size // 3) + 1):
        if np.abs(spans[period:] - spans[:-period]).max(initial=0.0) < ALIKE:
            return period
    return 0
