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

        One for each interval in which presses are seen by the same looks.  Where frames never
        repeat, presses are drawn evenly over all of them, and their shares are calibrated: frames
        see as much of them on average, in time and in number, as of presses at all moments.
        """
        first = int(np.searchsorted(self.t, BEGIN))
        begin = float(self.t[first])
        if self.period:
            middles, spans = self._intervals(begin, float(self.t[first + self.period]), length)
            return list(zip(middles.tolist(), (spans / spans.sum()).tolist(), strict=True))
        end = float(self.t[max(self.t.size - 60, first + 1)])
        moments, spans = self._intervals(begin, end, length)
        seen = self._seen(moments, length) @ spans / spans.sum()
        begins = begin + (np.arange(DRAWN) + 0.5) / DRAWN * (end - begin)
        sample = self._seen(begins, length)
        off = sample - sample.mean(axis=1, keepdims=True)
        bend = np.linalg.pinv(off @ off.T, rcond=1e-9) @ (seen - sample.mean(axis=1)) @ off
        shares = np.maximum(1.0 / DRAWN + bend, 0.1 / DRAWN)
        return list(zip(begins.tolist(), (shares / shares.sum()).tolist(), strict=True))

    def _seen(self, begins: Floats, length: float) -> Floats:
        """Return length [s] and number of the frames that see presses of a length, (2, presses)."""
        ends = np.append(self.t, self.t[-1])[1:]
        reached = np.concatenate([[0.0], np.cumsum(ends - self.t)])
        low = np.searchsorted(self.t, begins)
        high = np.searchsorted(self.t, begins + length)
        if self.buffered:
            high = np.maximum(high, low + 1)
        seen = reached[np.minimum(high, self.t.size)] - reached[low]
        return np.stack([seen, (high - low) * float(np.median(self.spans))])

    def _intervals(self, begin: float, end: float, length: float) -> tuple[Floats, Floats]:
        """Return middle and length of intervals in which presses are seen by the same looks [s]."""
        turns = np.concatenate([self.t, self.t - length])
        turns = np.unique(np.concatenate([[begin, end], turns[(turns > begin) & (turns < end)]]))
        spans = np.diff(turns)
        long_enough = spans > ALIKE
        return (turns[:-1] + spans / 2.0)[long_enough], spans[long_enough]

    def taps(self, moments: Floats) -> list[tuple[float, float]]:
        """Return presses seen by exactly one look each: the first at or after each moment [s]."""
        pictures = np.unique(np.searchsorted(self.t, moments - ALIKE))
        pictures = pictures[pictures < self.t.size - 1]
        spans = np.diff(self.t)
        before = np.where(pictures > 0, spans[np.maximum(pictures - 1, 0)], 0.0)
        begins = self.t[pictures] - 0.5 * before
        ends = self.t[pictures] + 0.5 * spans[pictures]
        return list(zip(begins.tolist(), ends.tolist(), strict=True))


def _period(spans: Floats) -> int:
    """Return the number of looks after which their spans repeat, 0 if they do not."""
    for period in range(1, min(LONGEST_PATTERN, spans.size // 3) + 1):
        if np.abs(spans[period:] - spans[:-period]).max(initial=0.0) < ALIKE:
            return period
    return 0
