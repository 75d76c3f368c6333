"""The player's hands: which action is down when, written down in seconds."""

from itertools import pairwise
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from tinrocket.scenario.numbers import Length, Model, Moment, Name, Number, PositiveSeconds

Sampling = Literal["polled", "buffered"]
NotEmpty = Field(min_length=1)
Changes = tuple[tuple[float, float], ...]


class Tape(Model):
    """Scripted input, sampled at the start of each frame.

    ``polled`` sees only what is down at that moment: a tap that begins and ends between
    two frames is lost.  ``buffered`` keeps such a tap for the next frame.
    """

    sampling: Sampling = "polled"
    holds: dict[Name, tuple[tuple[Moment, Moment], ...]] = Field(default_factory=dict)
    """For each action the intervals (down, up) in which it is held [s]."""
    taps: dict[Name, tuple[Moment, ...]] = Field(default_factory=dict)
    """For each action the moments at which it is tapped [s]."""
    tap_length: PositiveSeconds = 0.02
    """How long a tap is down [s]."""
    values: dict[Name, tuple[tuple[Moment, Number], ...]] = Field(default_factory=dict)
    """For each analog action the changes (time, new value); 0 before the first."""
    pointers: dict[Name, Annotated[tuple[tuple[Moment, Length, Length], ...], NotEmpty]] = Field(
        default_factory=dict
    )
    """For each pointer the points (time, x, y) of its way, straight between them."""

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        wrong = []
        for action, intervals in self.holds.items():
            for down, up in intervals:
                if not up > down:
                    wrong.append(
                        f"'{action}' is held from {down:g} s to {up:g} s, "
                        f"which ends before it starts"
                    )
        for pointer, points in self.pointers.items():
            moments = [t for t, _x, _y in points]
            if any(later <= earlier for earlier, later in pairwise(moments)):
                wrong.append(f"the times of the pointer '{pointer}' must grow")
        for action, changes in self.values.items():
            times = [t for t, _value in changes]
            if any(later <= earlier for earlier, later in pairwise(times)):
                wrong.append(f"the times of '{action}' must grow from one value to the next")
            if action in self.holds or action in self.taps:
                wrong.append(
                    f"'{action}' has analog values and is also held or tapped; give it one kind"
                )
        if wrong:
            raise ValueError("\n".join(wrong))
        return self

    @property
    def actions(self) -> tuple[str, ...]:
        """Every action on the tape, once each."""
        return tuple(dict.fromkeys((*self.holds, *self.taps, *self.values)))

    def presses(self, action: str) -> tuple[tuple[float, float], ...]:
        """Return the intervals [s] in which a digital action is down, merged and in order."""
        taps = ((t, t + self.tap_length) for t in self.taps.get(action, ()))
        merged: list[tuple[float, float]] = []
        for down, up in sorted((*self.holds.get(action, ()), *taps)):
            if merged and down <= merged[-1][1]:
                merged[-1] = merged[-1][0], max(up, merged[-1][1])
            else:
                merged.append((down, up))
        return tuple(merged)

    def changes(self, action: str) -> Changes:
        """Return (time, new value) for an action, of either kind, in order of time."""
        if action in self.values:
            return self.values[action]
        return tuple(
            change for down, up in self.presses(action) for change in ((down, 1.0), (up, 0.0))
        )
